"""Skin: colour, relief and gloss at every vertex, from its place on the neutral head."""

import numpy as np

from .maths import fbm, sstep, vnoise

TONES = np.array(
    [
        [0.66, 0.475, 0.39],
        [0.565, 0.375, 0.285],
        [0.43, 0.265, 0.185],
        [0.25, 0.145, 0.095],
        [0.105, 0.060, 0.042],
    ]
)


def tone_rgb(t):
    t = np.clip(t, 0, 0.999) * 4
    i = t.astype(int)
    f = (t - i)[..., None]
    return TONES[i] * (1 - f) + TONES[i + 1] * f


def blob(N, c, s):
    return np.exp(-(((N - np.array(c)) / np.array(s)) ** 2).sum(1))


def skin(T, base, ids):
    """albedo, bump height and gloss of fine vertices ids, from canonical position N"""
    r = np.random.default_rng(T["seed"] + 2000)
    N = base.N[-1][ids]
    S = N.copy()
    S[:, 0] = np.abs(S[:, 0])
    sd = T["seed"] * 17 % 9973
    M = {k: m[ids] for k, m in base.masks.items()}
    lips = sstep(0.3, 0.75, M["lips"])
    ears = M["ears"]
    old = sstep(40, 75, T["age"])
    dark = T["tone"]
    mel = np.full(len(N), T["tone"])
    blood = np.zeros(len(N))
    mel += (
        0.03 * (fbm(N * 2.5, sd) - 0.5)
        + 0.05 * (fbm(N * 9, sd + 9) - 0.5) * (0.5 + old)
        + 0.03 * (vnoise(N * 45, sd + 3) - 0.5)
    )
    blood += r.uniform(0.3, 0.8) * blob(S, (0.42, 6.88, 1.35), (0.22, 0.2, 0.4)) + r.uniform(0.3, 0.7) * blob(
        S, (0, 6.93, 1.68), (0.13, 0.13, 0.14)
    )
    blood += (
        0.45 * ears
        + 0.2 * blob(S, (0.12, 6.9, 1.5), (0.08, 0.08, 0.12))
        + 0.25 * blob(S, (0, 6.3, 1.5), (0.2, 0.12, 0.2))
        + 0.22 * (fbm(N * 6, sd + 21) - 0.5)
    )
    eyes = (
        blob(S, (0.31, 7.17, 1.4), (0.2, 0.09, 0.2))
        + 0.8 * blob(S, (0.17, 7.25, 1.4), (0.07, 0.12, 0.2))
        + 0.6 * blob(S, (0.31, 7.36, 1.4), (0.17, 0.07, 0.2))
    )
    mel += eyes * (0.05 + 0.07 * old + r.uniform(0, 0.06))
    blood += 0.35 * eyes + 0.5 * M["eyelids"]
    fr = T["freckles"] * (blob(S, (0.25, 7.0, 1.5), (0.45, 0.35, 0.5)) + 0.25) * (M["face"] > 0.1)
    mel += 0.22 * fr * sstep(0.60, 0.74, vnoise(N * 26, sd + 31)) * vnoise(
        N * 7, sd + 32
    ) + 0.10 * fr * sstep(0.62, 0.75, vnoise(N * 48, sd + 33))
    mel += 0.12 * old * sstep(0.66, 0.8, fbm(N * 7, sd + 41))  # age spots
    face = np.flatnonzero((N[:, 2] > 0.6) & (N[:, 1] < 8) & (N[:, 1] > 5.9))
    moles = np.zeros(len(N))
    for i in r.choice(face, r.integers(0, 5)):
        moles = np.maximum(
            moles,
            r.uniform(0.3, 0.9)
            * np.exp(-((np.linalg.norm(N - N[i], axis=1) / r.uniform(0.010, 0.022)) ** 4)),
        )
    alb = tone_rgb(mel + 0.30 * moles)
    lip_b = r.uniform(0.7, 1.1)
    b = (np.clip(blood, -0.3, 1.6))[:, None] * (1 - 0.45 * dark)
    alb = alb * np.exp(-b * np.array([0.06, 0.34, 0.30]))
    lipc = tone_rgb(np.array(min(dark + 0.10, 1.0))) * np.exp(
        -lip_b * (1 - 0.4 * dark) * np.array([0.08, 0.72, 0.52])
    )
    if T["makeup"] > 0.25:
        pick = np.array([[0.40, 0.05, 0.06], [0.45, 0.12, 0.13], [0.30, 0.06, 0.10], [0.5, 0.2, 0.17]])[
            r.integers(4)
        ] * (1 - 0.4 * dark)
        lipc = lipc * (1 - T["makeup"] * 0.8) + pick * T["makeup"] * 0.8
        alb *= 1 - (0.45 * T["makeup"] * blob(S, (0.32, 7.36, 1.4), (0.17, 0.065, 0.2)))[:, None] * np.array(
            [0.7, 1, 0.9]
        )
    lipc = lipc * (0.8 + 0.4 * fbm(N * [34, 7, 7], sd + 51))[:, None]
    alb = alb * (1 - lips[:, None]) + lipc * lips[:, None]
    seam = np.exp(-(((N[:, 1] - 6.605) / 0.016) ** 2)) * lips
    alb *= (1 - 0.45 * seam)[:, None]
    inside = sstep(0.4, 0.8, M["inside-mouth"])
    alb = alb * (1 - inside[:, None]) + np.array([0.25, 0.07, 0.06]) * inside[:, None]
    # bump: pores, mottling, lip lines, wrinkles with age
    h = (
        0.0022 * (vnoise(N * 60, sd + 61) - 0.5)
        + 0.0030 * (vnoise(N * 28, sd + 62) - 0.5) * (1 + old)
        + 0.005 * (fbm(N * 8, sd + 63) - 0.5)
    )
    h += lips * 0.006 * (vnoise(N * [55, 4, 4], sd + 64) - 0.5)
    warp = fbm(N * 3, sd + 71) * 0.12
    fore = blob(S, (0, 7.78, 1.5), (0.5, 0.2, 0.5))
    y = N[:, 1] + warp + 0.05 * S[:, 0]
    crease = lambda t, k: np.maximum(0, np.cos(t)) ** k
    h -= (
        (0.002 + 0.011 * old)
        * fore
        * crease(y / 0.105 * 2 * np.pi, 5)
        * sstep(0.3, 0.6, fbm(N * [2.5, 6, 3], sd + 72))
    )
    a = np.arctan2(N[:, 1] - 7.27, S[:, 0] - 0.40)
    crow = blob(S, (0.60, 7.26, 1.2), (0.13, 0.16, 0.3))
    h -= (0.001 + 0.010 * old + 0.004 * T["smile"]) * crow * crease(a * 9 + fbm(N * 4, sd + 73) * 3, 4)
    bag = (
        np.exp(-(((np.hypot((S[:, 0] - 0.31) * 0.75, N[:, 1] - 7.30) - 0.155) / 0.022) ** 2))
        * (N[:, 1] < 7.24)
        * (N[:, 2] > 1.1)
    )
    h -= (0.003 + 0.008 * old) * bag
    gloss = (
        0.07
        + 0.20 * blob(S, (0, 7.2, 1.6), (0.2, 0.7, 0.4)) * (0.6 + 0.6 * vnoise(N * 3, sd + 81))
        + 0.5 * lips
        + 0.35 * M["eyelids"] * 0
        + 0.15 * inside
    )
    rough = np.clip(gloss * (0.7 + 0.6 * fbm(N * 12, sd + 82)), 0, 0.9)
    return np.clip(alb, 0.004, 0.85), h, rough
