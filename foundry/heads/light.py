"""Light on a head: sky or room, lamps, and what is out of focus behind."""

import numpy as np

from .maths import fbm


def envmap(kind, r):
    """small lat-long sky/room, numpy 32x64x3; returns map and optional extra lamps (direction, size, radiance)"""
    h, w = 32, 64
    y = (np.arange(h) + 0.5)[:, None] / h
    up = np.cos(y * np.pi) + np.zeros((h, w))
    soft = np.kron(r.uniform(0.6, 1.4, (4, 8)), np.ones((8, 8)))
    if kind == "overcast":
        E = (0.35 + 0.75 * np.clip(up + 0.15, 0, 1))[..., None] * [0.95, 1.0, 1.06]
        E *= np.where(up < 0, 0.45, 1)[..., None]
        lamps = [((r.uniform(-1, 1), 1.6, 1.0), 1.6, [3, 3.1, 3.3])]
    elif kind == "window":
        E = 0.13 * soft[..., None] * [1.05, 1.0, 0.92] + 0 * up[..., None]
        s = r.choice([-1, 1])
        lamps = [((s * r.uniform(0.8, 1.3), r.uniform(0.1, 0.6), r.uniform(0.35, 1.1)), 1.1, [9, 9.6, 10.6])]
    elif kind == "lamp":
        E = 0.10 * soft[..., None] * [1.15, 0.95, 0.72] + 0 * up[..., None]
        s = r.choice([-1, 1])
        lamps = [
            ((s * r.uniform(0.4, 1.2), r.uniform(0.3, 0.9), 1.0), 0.4, [60, 42, 24]),
            ((-s, 0.4, -0.3), 1.0, [0.8, 0.9, 1.2]),
        ]
    elif kind == "studio":
        E = 0.16 * np.ones((h, w, 3))
        s = r.choice([-1, 1])
        lamps = [
            ((s * 0.8, 0.7, 1.0), 0.9, [12, 12, 12]),
            ((-s * 1.0, 0.2, 0.9), 1.0, [2.5, 2.5, 2.6]),
            ((-s * 1.3, 0.9, -0.6), 0.5, [14, 14, 14]),
        ]
    elif kind == "sun":
        E = (0.30 + 0.35 * np.clip(up + 0.1, 0, 1))[..., None] * [0.85, 1.0, 1.2]
        E *= np.where(up < 0, 0.7, 1)[..., None]
        s = r.choice([-1, 1])
        lamps = [((s * r.uniform(0.4, 1.1), r.uniform(0.7, 1.2), r.uniform(0.3, 1.0)), 0.25, [150, 135, 112])]
    else:
        E = 0.10 * soft[..., None] * [1, 1, 1] + 0 * up[..., None]
        lamps = [((0.08, 0.15, 1.0), 0.25, [110, 108, 104])]  # frontal flash
    return E, lamps


def background(kind, r, h, w):
    """out-of-focus backdrop, linear RGB"""
    y, x = np.mgrid[0:h, 0:w] / h
    base = r.uniform(0.04, 0.5) * np.array(
        r.choice([[1, 0.97, 0.92], [0.9, 1, 0.85], [0.85, 0.93, 1.05], [1.05, 0.85, 0.7], [1, 1, 1]])
    )
    B = base * (
        1
        + 0.35
        * (
            fbm(np.stack([x.ravel() * 2.2, y.ravel() * 2.2], 1), int(r.integers(999)), 2).reshape(h, w, 1)
            - 0.5
        )
    )
    mode = (
        r.choice(["plain", "blocks", "leaves", "bokeh"], p=[0.35, 0.25, 0.25, 0.15])
        if kind not in ("studio",)
        else "plain"
    )
    if mode == "plain":
        B = B * (1.15 - 0.6 * ((x - w / h / 2) ** 2 + (y - 0.4) ** 2))[..., None]
    if mode == "blocks":
        for _ in range(r.integers(3, 8)):
            cx, cy, sx, sy, k = (
                r.uniform(0, w / h),
                r.uniform(0, 1),
                r.uniform(0.08, 0.4),
                r.uniform(0.1, 0.6),
                r.uniform(0.012, 0.05),
            )
            m = (1 / (1 + np.exp(np.clip((np.abs(x - cx) - sx) / k, -30, 30)))) * (
                1 / (1 + np.exp(np.clip((np.abs(y - cy) - sy) / k, -30, 30)))
            )
            B = B * (1 - m[..., None]) + m[..., None] * base * r.uniform(0.25, 2.2) * r.uniform(0.8, 1.2, 3)
    if mode in ("leaves", "bokeh"):
        n, lo, hi = (90, 0.5, 2.2) if mode == "leaves" else (16, 1.5, 6)
        for _ in range(n):
            cx, cy, s = r.uniform(0, w / h), r.uniform(0, 1), r.uniform(0.03, 0.11)
            m = 1 / (1 + np.exp(np.clip((np.hypot(x - cx, y - cy) - s) / (s * 0.25), -30, 30)))
            c = (
                base
                * r.uniform(lo, hi)
                * (
                    r.uniform([0.6, 0.9, 0.4], [1, 1.2, 0.7])
                    if mode == "leaves"
                    else r.uniform([0.8, 0.7, 0.4], [1.2, 1, 0.9])
                )
            )
            a = r.uniform(0.2, 0.7) * m[..., None]
            B = B * (1 - a) + a * c
    return B
