"""Where hair grows: weights at every vertex, from its place on the neutral head."""

import numpy as np

from .maths import sstep, vnoise


def scalp_mask(N, recede=0.0, low=0.0):
    """1 on hair-bearing scalp; canonical hairline curve"""
    x = np.abs(N[:, 0])
    z = N[:, 2]
    y = N[:, 1]
    front = 8.03 + 0.30 * recede * np.exp(-(((x - 0.36) / 0.17) ** 2)) - 0.16 * (x / 0.5) ** 2 - low
    front = (
        front
        - 0.62 * sstep(0.46, 0.78, x)
        + 0.09 * (vnoise(N * 5, 77) - 0.5)
        + 0.07 * (vnoise(N * 17, 78) - 0.5)
    )  # down the temples
    back = 6.35 + 0.75 * sstep(0.02, 0.45, z)  # nape to behind the ear
    line = np.where(z > 0.95, front, np.where(z < 0.55, back, back + (front - back) * (z - 0.55) / 0.4))
    ear = (z > 0.30) & (z < 0.76) & (y < 7.36) & (x > 0.70)
    side = (z > 0.55) & (z < 1.0) & (y < 7.30)
    return sstep(-0.06, 0.14, y - line) * ~ear * ~side


def brow_mask(N, shape=0.0, thick=1.0):
    x = np.abs(N[:, 0])
    t = np.clip((x - 0.125) / 0.42, 0, 1)
    y = (
        7.437
        + 0.08 * np.sin(np.minimum(t / 0.66, 1) * np.pi / 2)
        - 0.10 * np.clip(t - 0.62, 0, 1) / 0.38 * (1 + shape)
    )
    w = 0.026 * thick * (1 - 0.75 * sstep(0.45, 1, t)) * sstep(-0.05, 0.15, t)
    return (np.exp(-(((N[:, 1] - y) / (w + 1e-4)) ** 4)) * (x > 0.11) * (x < 0.56) * (N[:, 2] > 1.0)), t


def beard_mask(N, kind, lips):
    x = np.abs(N[:, 0])
    y = N[:, 1]
    z = N[:, 2]
    cheek = 6.55 + 0.62 * sstep(0.42, 0.80, x) + 0.05 * (vnoise(N * 9, 5) - 0.5)
    jaw = (
        sstep(-0.03, 0.14, cheek - y)
        * sstep(6.0, 6.2, y + 0.35 * (z - 0.9))
        * sstep(0.42, 0.6, z)
        * (y < 7.25)
    )
    mous = (
        np.exp(-(((y - 6.765 + 0.13 * np.clip(x - 0.06, 0, 1)) / 0.05) ** 4))
        * (x < 0.30)
        * (z > 1.2)
        * sstep(-0.02, 0.06, x)
    )
    chin = (np.exp(-((x / 0.2) ** 4)) * (y < 6.5) * (z > 1.1)) * sstep(6.02, 6.2, y)
    m = dict(
        stubble=np.maximum(jaw, mous * 0.9),
        full=np.maximum(jaw, mous),
        moustache=mous,
        goatee=np.maximum(chin, mous),
    )[kind]
    ear = (z < 0.7) & (y > 6.85) & (x > 0.72)
    return m * (lips < 0.25) * ~ear * (y > 5.9)
