"""Strands grown from mesh regions: scalp hair styles, brows, lashes, beard."""

import numpy as np
from scipy.spatial import cKDTree
from .maths import sstep, unit, vnoise


def roots(P, Q, w, n, r):
    """n random points on quads Q, density ~ vertex weight w -> positions, quad index, bilinear (u,v)"""
    A = np.linalg.norm(np.cross(P[Q[:, 2]] - P[Q[:, 0]], P[Q[:, 3]] - P[Q[:, 1]]), axis=1) * w[Q].mean(1)
    if A.sum() <= 0:
        return np.zeros((0, 3)), np.zeros(0, int), np.zeros((0, 4))
    q = r.choice(len(Q), n, p=A / A.sum())
    u, v = r.random((2, n))
    b = np.stack([(1 - u) * (1 - v), u * (1 - v), u * v, (1 - u) * v], 1)
    return lerp(P, Q, q, b), q, b


def lerp(A, Q, q, b):
    return (A[Q[q]] * (b[..., None] if A.ndim > 1 else b)).sum(1)


def grow(p, d, length, steps, field, tree, HP, HN, standoff, inertia=0.6, hold=0.0):
    """march all strands together; field(p, k) adds a pull; stay `standoff` outside the head"""
    pts = [p.copy()]
    ds = (length / steps)[:, None]
    for k in range(steps):
        d = unit(d * inertia + field(p, (k + 1) / steps))
        p = p + ds * d
        _, i = tree.query(p, workers=2)
        n = HN[i]
        depth = ((p - HP[i]) * n).sum(1)
        so = standoff * min(1, (k + 1) / 3.0)
        d = d - n * (np.clip((depth - so) / 0.15, 0, 1) * hold)[:, None]
        push = np.maximum(0, so - depth)[:, None]
        p = p + n * push
        into = np.minimum(0, (d * n).sum(1))[:, None]
        d = np.where(push > 0, d - n * into, d)
        pts.append(p.copy())
    return np.stack(pts, 1)


def clump(S, r, n, amount, tip=1.5):
    """pull strands towards n random guides, more at the tips"""
    g = r.choice(len(S), n, False)
    _, i = cKDTree(S[g, 0]).query(S[:, 0])
    t = np.linspace(0, 1, S.shape[1]) ** tip
    a = amount * (0.5 + r.random(len(S)))[:, None, None] * t[None, :, None]
    return S + (S[g][i] - S) * np.clip(a, 0, 0.95), i


def wave(S, r, ids, amp, freq):
    """sideways waves, in step within a clump"""
    k = ids.max() + 1
    ph = r.random(k) * 6.28
    fr = freq * r.uniform(0.7, 1.3, k)
    t = np.linspace(0, 1, S.shape[1])
    L = np.linalg.norm(np.diff(S, axis=1), axis=2).sum(1)
    d = unit(S[:, -1] - S[:, 0])
    a = unit(np.cross(d, [0, 0, 1.0]))
    b = np.cross(d, a)
    w = ph[ids][:, None] + fr[ids][:, None] * t * L[:, None] * 6.28
    s = (amp * np.minimum(1, t * 3))[None, :, None]
    return S + s * (np.sin(w)[..., None] * a[:, None] + np.cos(w * 0.8)[..., None] * b[:, None] * 0.7)


def scalp_hair(style, P, Q, HN, w, r, bun=None, part=0.2):
    """P,Q,HN: medium-resolution head in its final pose-free position"""
    tree = cKDTree(P)
    n = dict(buzz=26000, crop=26000, side=24000, bob=22000, long=24000, tied=22000, curly=26000)[style]
    p, q, b = roots(P, Q, w, n, r)
    nr = unit(lerp(HN, Q, q, b))
    R = r.normal(size=(n, 3))
    zz = p[:, 2]
    co = lambda f, s: np.stack([vnoise(p * f, s + k) - 0.5 for k in range(3)], 1)
    seed = int(r.integers(1 << 20))
    nz = co(3.0, seed)
    if style == "buzz":
        S = grow(
            p,
            unit(nr + 0.35 * R),
            0.05 + 0.03 * r.random(n),
            3,
            lambda p, k: np.zeros_like(p),
            tree,
            P,
            HN,
            0.0,
            1.0,
        )
        return S, 0.0021
    if style == "crop":
        top = sstep(7.6, 8.2, p[:, 1])
        L = (0.16 + 0.30 * top * r.uniform(0.6, 1.6)) * r.uniform(0.6, 1.1, n)
        comb = r.choice([-1, 1]) * r.uniform(0.2, 0.8)
        f = (
            lambda p, k: np.stack(
                [comb * top, -0.75 + 0.55 * top, 0.35 * top * np.sign(comb) * comb - 0.45 * (1 - top)], 1
            )
            * 0.32
            + 0.25 * nz
            - np.array([0, 0.12, 0]) * k
        )
        S = grow(
            p, unit(nr + 0.45 * R * 0.6 + 0.8 * nz), L, 6, f, tree, P, HN, 0.03 + 0.05 * r.random(n), 0.75
        )
        S, ids = clump(S, r, 900, 0.55)
        return wave(S, r, ids, 0.012, 1.2), 0.0026
    if style == "curly":
        L = r.uniform(0.25, 0.6) * r.uniform(0.6, 1.1, n)
        S = grow(
            p,
            unit(nr + 0.3 * R),
            L,
            14,
            lambda p, k: 0.25 * nz - np.array([0, 0.10, 0]) * k,
            tree,
            P,
            HN,
            0.03 + 0.3 * L * r.random(n),
            0.9,
        )
        S, ids = clump(S, r, 1300, 0.75, 0.7)
        return wave(S, r, ids, 0.045, r.uniform(3.5, 6)), 0.0026
    if style == "tied":
        bun = np.array([0, 7.75, -0.45]) if bun is None else bun

        def f(p, k):
            v = bun - p
            return unit(v) * 1.2 + 0.06 * nz

        L = np.linalg.norm(bun - p, axis=1) * 1.25 + 0.1
        S = grow(
            p, unit(nr * 0.3 + unit(bun - p)), L, 14, f, tree, P, HN, 0.02 + 0.07 * r.random(n) ** 2, 0.4
        )
        S, ids = clump(S, r, 500, 0.45)
        return wave(S, r, ids, 0.006, 1.0), 0.0026
    # side part, bob, long: combed away from a parting, then down
    px = part * np.clip((zz - 0.0) / 1.2, 0.3, 1)
    side = np.where(p[:, 0] > px, 1.0, -1.0)
    top = sstep(7.55, 8.1, p[:, 1])
    if style == "side":
        L = (0.18 + r.uniform(0.25, 0.5) * top) * r.uniform(0.7, 1.1, n)
        f = (
            lambda p, k: np.stack(
                [side * (0.25 + 0.6 * top), -0.45 - 0.5 * (1 - top) - 0.9 * k, -0.5 * (1 - k) * np.ones(n)], 1
            )
            * 0.5
            + 0.12 * nz
        )
        S = grow(
            p,
            unit(
                nr * (0.35 + 0.5 * top[:, None])
                + np.stack([side * 0.6, 0 * zz, -0.1 * np.ones(n)], 1)
                + 0.12 * R
            ),
            L,
            9,
            f,
            tree,
            P,
            HN,
            0.03 + 0.09 * top * r.random(n),
            0.6,
            0.95,
        )
        S, ids = clump(S, r, 500, 0.6)
        return wave(S, r, ids, 0.012, 0.9), 0.0026
    low = dict(bob=r.uniform(6.0, 6.5), long=r.uniform(4.6, 5.4))[style]
    L = np.maximum(0.3, p[:, 1] - low) * r.uniform(0.9, 1.08, n) + 0.35

    def f(p, k):
        g = np.array([0, -1.0, 0]) * (0.35 + 0.65 * k)
        x = np.abs(p[:, 0])
        away = np.stack(
            [
                side * (0.8 * (1 - k) ** 2 + 0.9 * (p[:, 2] > 0.85) * (x < 0.74) * (p[:, 1] < 7.95)),
                0 * x,
                -0.35 * (1 - k) - 0.8 * (p[:, 2] > 0.95) * (p[:, 1] < 7.7),
            ],
            1,
        )
        return g + away + 0.08 * nz

    lift = r.uniform(0.6, 1.4)
    S = grow(
        p,
        unit(nr * 0.5 * lift + np.stack([side * 0.8, 0.1 + 0 * zz, -0.25 + 0 * zz], 1) + 0.06 * R),
        L,
        22,
        f,
        tree,
        P,
        HN,
        0.03 + 0.11 * lift * r.random(n) * np.minimum(1, L),
        0.55,
        0.35,
    )
    S, ids = clump(S, r, 380, 0.6, 1.0)
    return wave(S, r, ids, r.choice([0.008, 0.02, 0.035]), r.uniform(0.5, 1.1)), 0.0028


def bun(r):
    """5000 strands wound into a knot at the back of the head."""
    n = 5000
    u = unit(r.normal(size=(n, 3)))
    w = unit(np.cross(u, r.normal(size=3)))
    k = np.linspace(0, 2.4, 12)[None, :, None]
    wound = np.cos(k) * u[:, None] + np.sin(k) * w[:, None]
    return np.array([0, 7.75, -0.5]) + 0.33 * wound * r.uniform(0.85, 1.05, (n, 1, 1))


def brows(P, Q, HN, w, t, r, thick, n=1100):
    p, q, b = roots(P, Q, w, n, r)
    tt = lerp(t, Q, q, b)
    side = np.sign(p[:, 0])
    nr = unit(lerp(HN, Q, q, b))
    d = np.stack([side * (0.45 + 0.7 * tt), 1.0 - 1.45 * tt, np.zeros(n)], 1) + 0.16 * r.normal(size=(n, 3))
    d = unit(d - nr * (d * nr).sum(1)[:, None])
    L = (r.uniform(0.035, 0.065, n) * (1 - 0.45 * tt))[:, None]
    k = np.linspace(0, 1, 5)
    S = np.stack(
        [
            p
            + d * L * x
            + nr * (0.012 * np.sin(x * 2.2) + 0.002)
            - np.array([0, 0.25, 0]) * L * x * x * tt[:, None]
            for x in k
        ],
        1,
    )
    return S, 0.0012 * (0.7 + 0.4 * thick)


def beard(P, Q, HN, w, r, kind):
    n, L0, rad = dict(
        stubble=(15000, 0.018, 0.0009),
        full=(17000, r.uniform(0.06, 0.2), 0.0016),
        moustache=(1500, 0.065, 0.0011),
        goatee=(3200, 0.08, 0.0012),
    )[kind]
    p, q, b = roots(P, Q, w, n, r)
    nr = unit(lerp(HN, Q, q, b))
    side = np.sign(p[:, 0])
    up = sstep(6.62, 6.70, p[:, 1]) * (np.abs(p[:, 0]) < 0.3)
    d = np.stack([side * (0.25 + 0.6 * up), -0.8 + 0.1 * up, 0 * side + 0.1], 1)
    L = L0 * r.uniform(0.5, 1.1, n)
    L = np.where(up > 0.5, np.minimum(L, 0.11), L)[:, None]
    ww = lerp(w, Q, q, b)[:, None]
    L = L * (0.35 + 0.65 * ww)
    d0 = unit(0.8 * nr + 0.7 * d + 0.16 * r.normal(size=(n, 3)))
    k = np.linspace(0, 1, 3 if kind == "stubble" else 6)
    S = np.stack([p + L * (x * d0 * (1 - 0.5 * x) + 0.75 * x * x * unit(d)) for x in k], 1)
    if kind != "stubble":
        S, ids = clump(S, r, 700, 0.5)
        S = wave(S, r, ids, 0.006, 1.2)
    return S, rad


def lashes(root, tip, r, n, length, up, fwd):
    """root/tip: matched polylines along the lid; fans outwards"""
    t = np.sort(r.random(n))
    s = np.linspace(0, 1, len(root))
    f = lambda A: np.stack([np.interp(t, s, A[:, k]) for k in range(3)], 1)
    p = f(root)
    d = unit(f(tip) - p)
    mid = root.mean(0)
    out = (p - mid) * 0.9
    out[:, 1] = 0
    d = unit(d + np.array(fwd) + out * 1.6 + 0.10 * r.normal(size=(n, 3)))
    L = (length * r.uniform(0.6, 1.1, n) * (0.65 + 0.35 * np.sin(np.pi * np.clip(t * 0.9 + 0.1, 0, 1))))[
        :, None
    ]
    return (
        np.stack([p + d * L * x + np.array([0, up, 0]) * L * x**2 for x in np.linspace(0, 1, 5)], 1),
        0.0010,
    )


def write(path, S, radius, r=None, least=0):
    """bsplinecurve text file; end points doubled so strands reach root and tip, tapering; filled up to `least` with unseen ones"""
    S = np.concatenate([S[:, :1] * 2 - S[:, 1:2], S, S[:, -1:] * 2 - S[:, -2:-1]], 1)
    n, m, _ = S.shape
    tap = np.interp(np.arange(m), [0, m * 0.55, m - 1], [1, 1, 0.35]) if n > 1 else np.ones(m)
    rr = np.full((n, 1), radius) if r is None else radius * r.uniform(0.8, 1.25, (n, 1))
    A = np.concatenate([S, (rr * tap)[..., None]], 2)
    if n < least:
        unseen = np.repeat(A[-1:], least - n, 0)
        unseen[..., 3] = 1e-5
        A = np.concatenate([A, unseen])
    A = A.reshape(len(A), -1)
    row = "\n".join(["%.4f %.4f %.4f %.5f"] * m) + "\n\n"
    open(path, "w").write("".join(row % tuple(x) for x in A.tolist()))
