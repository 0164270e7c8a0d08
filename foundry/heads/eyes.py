"""Eyeballs: one surface with sclera, iris and pupil as vertex colours, and the cornea as a bulge."""

import numpy as np

from .maths import fbm, sstep, unit, vnoise


def eye_mesh(center, R, gaze, iris, seed, age):
    """one closed-ish surface: sclera, iris and pupil as vertex colours, cornea as a bulge"""
    r = np.random.default_rng(seed)
    ri = 0.063
    ti = np.arcsin(ri / R)
    tc = ti * 1.12
    th = np.concatenate([np.linspace(0, ti * 1.25, 70), np.linspace(ti * 1.25, 2.2, 60)[1:]])
    nphi = 192
    ph = np.arange(nphi) / nphi * 2 * np.pi
    TH, PH = np.meshgrid(th, ph, indexing="ij")
    t = TH.ravel()
    p = PH.ravel()
    rad = eye_radius(t, R, tc)
    P = np.stack([np.sin(t) * np.cos(p), np.sin(t) * np.sin(p), np.cos(t)], 1) * rad[:, None]
    n = len(th)
    i, j = np.meshgrid(np.arange(n - 1), np.arange(nphi), indexing="ij")
    i = i.ravel()
    j = j.ravel()
    k = (j + 1) % nphi
    Q = np.stack([i * nphi + j, (i + 1) * nphi + j, (i + 1) * nphi + k, i * nphi + k], 1)
    # colour
    cx, cy = np.cos(p), np.sin(p)
    q = t / ti
    pal = dict(
        dark=[(0.030, 0.014, 0.008), (0.055, 0.026, 0.012)],
        brown=[(0.085, 0.036, 0.014), (0.17, 0.080, 0.030)],
        hazel=[(0.15, 0.085, 0.03), (0.16, 0.14, 0.065)],
        green=[(0.16, 0.15, 0.06), (0.15, 0.19, 0.12)],
        blue=[(0.20, 0.23, 0.24), (0.17, 0.27, 0.40)],
        grey=[(0.24, 0.24, 0.22), (0.24, 0.29, 0.34)],
    )[iris]
    c0, c1 = (np.array(c) * r.uniform(0.55, 0.85) for c in pal)
    fib = (
        vnoise(np.stack([cx * 14, cy * 14, q * 1.5], 1), seed) * 0.5
        + vnoise(np.stack([cx * 34, cy * 34, q * 2.5], 1), seed + 1) * 0.5
    )
    pup = r.uniform(0.28, 0.42)
    coll = np.exp(-(((q - pup - 0.17) / 0.09) ** 2))
    mixv = sstep(pup, pup + 0.5, q + (fib - 0.5) * 0.35)
    col = (c0 * (1 - mixv[:, None]) + c1 * mixv[:, None]) * (0.45 + 1.15 * fib + 0.45 * coll)[:, None]
    col *= (1 - 0.8 * sstep(0.80, 0.99, q))[:, None]  # limbal ring
    col *= sstep(pup - 0.03, pup + 0.04, q + (fib - 0.5) * 0.03)[:, None] * 0.98 + 0.006  # pupil
    yel = sstep(20, 80, age)
    scl = np.array([0.36, 0.345, 0.325]) * np.array([1, 1 - 0.05 * yel, 1 - 0.16 * yel])
    vein = np.abs(fbm(P / R * 5.5, seed + 5, 4) - 0.5)
    vein = (1 - sstep(0, 0.03, vein)) * sstep(1.5, 3.0, q) * 0.45
    red = sstep(1.6, 3.2, q * (0.7 + 0.5 * np.abs(cx)))
    scl = (
        scl
        * (1 - red[:, None] * np.array([0.04, 0.20, 0.22]))
        * (1 - vein[:, None] * np.array([0.1, 0.55, 0.55]))
    )
    m = sstep(0.94, 1.12, q)[:, None]
    col = col * (1 - m) + scl * m
    z = unit(gaze)
    x = unit(np.cross([0, 1, 0], z))
    y = np.cross(z, x)
    return center + P @ np.stack([x, y, z]), Q, np.clip(col, 0.002, 0.9)


def eye_radius(t, R, tc):
    return R + 0.0115 * np.clip(1 - (t / tc) ** 2, 0, 1) ** 1.5
