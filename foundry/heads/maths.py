"""Small functions that every part of a head is made with. Lengths are in dm, as in the base mesh."""

import numpy as np
from scipy.ndimage import map_coordinates


def sstep(a, b, x):
    t = np.clip((x - a) / (b - a), 0, 1)
    return t * t * (3 - 2 * t)


def unit(v):
    return v / (np.linalg.norm(v, axis=-1, keepdims=True) + 1e-12)


TABLE = np.random.default_rng(0).random((48, 48, 48)).astype(np.float32)


def vnoise(p, seed=0):
    """periodic value noise in 2-D/3-D, 0..1"""
    p = np.asarray(p, np.float32)
    p = p if p.shape[1] == 3 else np.c_[p, np.zeros(len(p), np.float32)]
    i = np.floor(p)
    f = p - i
    return map_coordinates(
        TABLE,
        (i + f * f * (3 - 2 * f) + np.array([seed * 7.0, seed * 13.0, seed * 5.0], np.float32) % 48).T,
        order=1,
        mode="grid-wrap",
    )


def fbm(p, seed=0, octaves=3):
    return sum(vnoise(p * 2.0**k, seed + k) * 0.5**k for k in range(octaves)) / (2 - 0.5 ** (octaves - 1))


def vnormals(P, Q):
    fn = np.cross(P[Q[:, 2]] - P[Q[:, 0]], P[Q[:, 3]] - P[Q[:, 1]])
    n = np.stack([np.bincount(Q.ravel(), np.repeat(fn[:, k], 4), len(P)) for k in range(3)], 1)
    return unit(n)


def rot(axis, deg):
    a = np.radians(deg)
    c, s = np.cos(a), np.sin(a)
    i, j = [(1, 2), (2, 0), (0, 1)][axis]
    R = np.eye(3)
    R[i, i] = R[j, j] = c
    R[i, j] = -s
    R[j, i] = s
    return R
