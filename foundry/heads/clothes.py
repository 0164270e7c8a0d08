"""Clothes: offset copies of the body below a neckline, collars and rims, caps and scarves."""

import numpy as np
import scipy.sparse as sp

from .maths import fbm, sstep, unit, vnormals
from .mesh import catmull_clark

def tube(P, rad, k=12):
    """A closed round tube along points: vertices and quads."""
    n = len(P)
    t = unit(np.roll(P, -1, 0) - np.roll(P, 1, 0))
    a = unit(np.cross(t, [0, 1, 0.01]))
    b = np.cross(t, a)
    th = np.arange(k) / k * 2 * np.pi
    V = P[:, None] + rad * (np.cos(th)[None, :, None] * a[:, None] + np.sin(th)[None, :, None] * b[:, None])
    I, J = [x.ravel() for x in np.meshgrid(np.arange(n), np.arange(k), indexing="ij")]
    I2 = (I + 1) % n
    J2 = (J + 1) % k
    return V.reshape(-1, 3), np.stack([I * k + J, I * k + J2, I2 * k + J2, I2 * k + J], 1)

def strip(rows):
    """Quads between rows of equally many points: vertices and quads."""
    n = len(rows[0])
    quads = [
        [j * n + i, j * n + i + 1, (j + 1) * n + i + 1, (j + 1) * n + i]
        for j in range(len(rows) - 1)
        for i in range(n - 1)
    ]
    return np.concatenate(rows), np.array(quads)


def edges_of(Q):
    return np.unique(np.sort(np.stack([Q, np.roll(Q, -1, 1)], -1).reshape(-1, 2), 1), axis=0)


def averaging(edges, n):
    """A matrix that takes each vertex to the mean of its neighbours."""
    A = sp.csr_matrix(
        (np.ones(2 * len(edges)), (np.r_[edges[:, 0], edges[:, 1]], np.r_[edges[:, 1], edges[:, 0]])), (n, n)
    )
    return sp.diags(1 / np.maximum(np.asarray(A.sum(1)).ravel(), 1)) @ A


def neckline(kind, W):
    """Above 0 where there is cloth; W are places on the neutral body."""
    height = dict(crew=5.76, vneck=5.74, turtle=6.06, collar=5.80)[kind]
    slope = dict(crew=0.34, vneck=0.30, turtle=0.30, collar=0.30)[kind]
    front = W[:, 2] > 0.3
    below = height - slope * (W[:, 2] - 0.2) - W[:, 1]
    if kind == "vneck":
        below -= 0.75 * np.clip(1 - np.abs(W[:, 0]) / 0.36, 0, 1) * front
    if kind == "collar":
        below -= 0.25 * np.clip(1 - np.abs(W[:, 0]) / 0.2, 0, 1) * front
    return below


def rim(S, below, edges):
    """The line at which a cloth ends, as 180 points around the neck."""
    crossing = edges[below[edges[:, 0]] * below[edges[:, 1]] < 0]
    a, b = below[crossing[:, 0]], below[crossing[:, 1]]
    t = (a / (a - b))[:, None]
    ring = S[crossing[:, 0]] * (1 - t) + S[crossing[:, 1]] * t
    ring = ring[np.linalg.norm(ring[:, [0, 2]] - [0, 0.2], axis=1) < 1.5]
    angle = np.arctan2(ring[:, 0], ring[:, 2] - 0.2)
    grid = np.linspace(-np.pi, np.pi, 181)[:-1]
    order = np.argsort(angle)
    even = np.stack([np.interp(grid, angle[order], ring[order, k], period=2 * np.pi) for k in range(3)], 1)
    seven = np.ones(7) / 7
    smooth = [np.convolve(np.r_[even[-3:, k], even[:, k], even[:3, k]], seven, "valid") for k in range(3)]
    return np.stack(smooth, 1), grid


def collar(ring, grid):
    """A stand, then folded over, open at the front."""
    kept = np.abs(grid) > 0.10
    order = np.argsort(np.where(grid[kept] > 0, grid[kept], grid[kept] + 2 * np.pi))
    base = ring[kept][order]
    outward = unit((base - [0, 0, 0.2]) * [1, 0, 1])
    front = np.exp(-(((np.abs(np.abs(np.linspace(-1, 1, len(base))) - 1)) / 0.12) ** 2))[:, None]
    profile = [(0, 0.0), (0.14, -0.03), (0.27, -0.03), (0.32, 0.01), (0.28, 0.055), (0.12, 0.10), (-0.05, 0.13)]
    fall = np.array([0, -0.55, 0.12])
    rows = [
        base + np.array([0, 1.0, 0]) * up + outward * out + front * fall * max(0, j - 3) / 3 * 0.35
        for j, (up, out) in enumerate(profile)
    ]
    S, Q = strip(rows)
    for _ in range(2):
        matrix, Q = catmull_clark(len(S), Q)
        S = matrix @ S
    return S, Q


def shirt(kind, seed, W, P, N, Q):
    """Pieces (vertices, quads) of a shirt over the body P with normals N, and which quads of the body stay bare."""
    below = neckline(kind, W)
    edges = edges_of(Q)
    mean = averaging(edges, len(P))
    folds = 0.09 * (fbm(W * [1.3, 0.6, 1.3] + fbm(W, 3, 2)[:, None], seed % 991, 2) - 0.5) * sstep(0, 0.6, below)
    S = P + N * 0.045
    loose = sstep(0.05, 0.5, below)[:, None]
    for _ in range(60):
        S = S * (1 - 0.5 * loose) + 0.5 * loose * (mean @ S)
    S = S + N * (folds + 0.03 * sstep(0, 0.2, below))[:, None]
    ring, grid = rim(S, below, edges)
    pieces = [(S, Q[(below[Q] > 0).all(1)])]
    if kind in ("crew", "vneck"):
        pieces.append(tube(ring, 0.035))
    elif kind == "turtle":
        pieces.append(tube(ring + [0, -0.02, 0], 0.075))
    else:
        pieces.append(collar(ring, grid))
    return pieces, (below[Q] < 0.12).any(1)


def headwear(kind, W, P, N, Q):
    """Pieces of a cap or a scarf."""
    mean = averaging(edges_of(Q), len(P))
    if kind == "cap":
        inside = W[:, 1] - (7.50 + 0.36 * sstep(-0.2, 1.3, W[:, 2]))
        off = 0.10 + 0.05 * sstep(0, 0.5, inside)
    else:
        oval = np.hypot(W[:, 0] / 0.64, (W[:, 1] - 7.12) / 0.89) - 1
        inside = np.minimum(np.maximum(oval, 0.55 - W[:, 2]), W[:, 1] - 5.3)
        off = (0.10 + 0.06 * fbm(W * [1.5, 2.5, 1.5], 5, 3)) * sstep(5.6, 6.1, W[:, 1])
    H = P + N * 0.02
    ear = (np.abs(W[:, 0]) > 0.68) & (W[:, 2] < 0.85) & (W[:, 1] > 6.7) & (W[:, 1] < 7.45)
    H[ear, 0] = np.sign(H[ear, 0]) * np.minimum(np.abs(H[ear, 0]), 0.70)
    for _ in range(150):
        H = 0.4 * H + 0.6 * (mean @ H)
    H = H + vnormals(H, Q) * off[:, None]
    pieces = [(H, Q[(inside[Q] > 0).all(1)])]
    if kind == "cap":
        k = np.linspace(-1, 1, 41)
        front = H[np.argmin(np.abs(W[:, 0]) + np.abs(inside - 0.06) + 9 * (W[:, 2] < 0))]
        rows = [
            np.stack(
                [
                    k * 0.70 * (1 + 0.05 * j),
                    front[1] - 0.02 - 0.035 * j - 0.10 * k**2 - 0.01 * j * j,
                    front[2] - 0.04 + 0.13 * j * (1 - 0.55 * k**2) - 0.55 * k**2,
                ],
                1,
            )
            for j in range(6)
        ]
        pieces.append(strip(rows + [x - [0, 0.03, 0] for x in rows[::-1]]))
    return pieces
