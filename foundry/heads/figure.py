"""Whole figures for groups that are seen from some way off: the body posed by its skeleton, clothes and all, as plain meshes.

Lengths are in dm, y up, as everywhere here; a figure stands on y = its `floor` and faces +z. Light below the skin is left out.
"""

import json

import numpy as np

from . import clothes, mesh
from .body import Person
from .maths import fbm, sstep, unit, vnormals

RIG = "rigs/standard/{}.game_engine.json"
HAND = ("hand", "thumb", "index", "middle", "ring", "pinky")

# Which way upper and lower arm point, the person's left; the right mirrors it.
ARMS = {
    "down": ((0.20, -0.97, 0.02), (0.10, -0.97, 0.20)),
    "clasped": ((0.28, -0.94, 0.16), (-0.62, -0.42, 0.66)),
    "behind": ((0.26, -0.94, -0.20), (-0.42, -0.82, -0.38)),
    "on hip": ((0.62, -0.76, -0.16), (-0.52, -0.80, 0.30)),
}


def turning(a, b):
    """The least rotation that brings direction a to direction b (Rodrigues)."""
    a, b = unit(np.asarray(a, float)), unit(np.asarray(b, float))
    v, c = np.cross(a, b), a @ b
    K = np.array([[0, -v[2], v[1]], [v[2], 0, -v[0]], [-v[1], v[0], 0]])
    return np.eye(3) + K + K @ K / (1 + c)


class Skeleton:
    """The body's bones, and how much each of them moves each coarse vertex."""

    def __init__(self, base):
        self.base = base
        self.bones = json.load(open(mesh.D + RIG.format("rig")))
        given = json.load(open(mesh.D + RIG.format("weights")))["weights"]
        self.weight = {bone: np.array(pairs, float) for bone, pairs in given.items() if pairs}

    def joint(self, V, bone):
        return V[np.unique(self.base.group(self.bones[bone]["head"]["cube_name"]))].mean(0)

    def share(self, count, names):
        """How much bones whose names begin so move each vertex, 0 to 1."""
        total = np.zeros(count)
        for bone, pairs in self.weight.items():
            if bone.startswith(names):
                total[pairs[:, 0].astype(int)] += pairs[:, 1]
        return np.clip(total, 0, 1)

    def with_arms(self, V, left, right):
        """The coarse body with its arms as told (linear blend skinning); all else stays."""
        count = len(V)
        for side, pose, mirror in (("_l", left, 1), ("_r", right, -1)):
            at = {name: self.joint(V, name + side) for name in ("upperarm", "lowerarm", "hand")}
            upper, lower = (np.array(d) * [mirror, 1, 1] for d in ARMS[pose])
            first = turning(at["lowerarm"] - at["upperarm"], upper)
            second = turning(first @ (at["hand"] - at["lowerarm"]), lower) @ first
            elbow = at["upperarm"] + first @ (at["lowerarm"] - at["upperarm"])
            below = tuple(bone for bone in self.weight if bone.endswith(side) and bone.startswith(("lowerarm", *HAND)))
            moved_first = at["upperarm"] + (V - at["upperarm"]) @ first.T
            moved_second = elbow + (V - at["lowerarm"]) @ second.T
            with_upper = self.share(count, ("upperarm" + side,))[:, None]
            with_lower = self.share(count, below)[:, None]
            V = V + with_upper * (moved_first - V) + with_lower * (moved_second - V)
        return V


def sheet(at, across, down, body, off, seed):
    """A cloth that hangs before the body: its front-most places, bridged and smoothed. Vertices and quads."""
    X, Y = np.meshgrid(np.linspace(-1, 1, 28), np.linspace(at, down, 60))
    X = X * np.interp(Y, [down, at], across)
    front = body[body[:, 2] > -0.2]
    Z = np.array([[front[(np.abs(front[:, 0] - x) < 0.3) & (np.abs(front[:, 1] - y) < 0.3), 2].max(initial=0.2) for x, y in zip(*row)] for row in zip(X, Y)])
    for _ in range(14):
        P = np.pad(Z, 1, mode="edge")
        Z = np.maximum(Z * 0.3 + 0.7 * (P[:-2, 1:-1] + P[2:, 1:-1] + P[1:-1, :-2] + P[1:-1, 2:]) / 4, Z * 0.985)
    Z = Z - 0.5 * (np.abs(np.linspace(-1, 1, 28)) ** 3)[None]  # it is tied behind
    points = np.stack([X, Y, Z + off], -1).reshape(-1, 3)
    points[:, 2] += 0.10 * (fbm(points * [1.6, 0.35, 0], seed, 2) - 0.5) * sstep(at, at - 4, points[:, 1])
    return clothes.strip(list(points.reshape(60, 28, 3)))


def skirt(body, r):
    """A long skirt from the waist to the ankles."""
    turn = np.linspace(0, 2 * np.pi, 97)[:-1]
    rows = []
    waist = body[np.abs(body[:, 1] - 1.2) < 0.2]
    middle, close = waist.mean(0), waist[:, 0].max() + 0.05
    folds = r.uniform(0, 6, 3)
    for y in np.linspace(1.25, -7.4, 40):
        fall = sstep(1.25, -0.2, y)
        wide = close + 0.34 * fall + 0.14 * (1.25 - y)
        ripple = 1 + 0.035 * fall * (1.25 - y) / 3 * (np.sin(9 * turn + folds[0]) + 0.6 * np.sin(14 * turn + folds[1]))
        rows.append(np.stack([middle[0] + wide * ripple * np.cos(turn), y + 0 * turn, middle[2] + 0.82 * wide * ripple * np.sin(turn)], 1))
    n = len(turn)
    i = np.arange(len(rows) * n).reshape(len(rows), n)
    j = np.roll(i, -1, 1)
    return np.concatenate(rows), np.stack([i[:-1], i[1:], j[1:], j[:-1]], -1).reshape(-1, 4)


class Figure:
    """A person from head to foot, in a suit of one piece that is coloured as several.

    `pieces` are (vertices, quads, colours): a colour each for a vertex of the suit, one for all of a piece. `bare` says which quads of
    the person's own mesh stay uncovered.
    """

    def __init__(self, who, colours, arms=("down", "down"), apron=False, waistcoat=False):
        """`colours` has linear RGB for shirt, waistcoat, trousers, skirt, apron, shoes, hat."""
        self.person = person = Person(who)
        base, skeleton = person.base, Skeleton(person.base)
        self.floor = float(person.V[np.unique(base.group("body")), 1].min())
        r = np.random.default_rng([who["seed"], 311])
        woman, count = who["male"] < 0.5, len(person.V)
        V = skeleton.with_arms(person.V, *arms)
        Q = base.group("body")
        ids, Q = np.unique(Q[base.V[Q][..., 1].max(1) < 6.4], return_inverse=True)
        matrix, Q = mesh.catmull_clark(len(ids), Q.reshape(-1, 4))
        second, Q = mesh.catmull_clark(matrix.shape[0], Q)
        matrix = second @ matrix

        def finer(weights):
            return matrix @ weights[ids]

        rest, S = finer(base.V), finer(V)
        hand, foot = finer(skeleton.share(count, HAND)), finer(skeleton.share(count, ("foot", "ball")))
        sleeve = finer(skeleton.share(count, ("upperarm", "lowerarm", *HAND)))
        dressed = clothes.neckline(who["shirt"], rest)
        below, height = sstep(1.3, 1.1, rest[:, 1]), rest[:, 1]
        vest = (sstep(0.45, 0.35, sleeve) * sstep(5.40, 5.32, height)) * waistcoat
        vest *= np.where(rest[:, 2] > 0.2, sstep(0, 0.05, np.abs(rest[:, 0]) - 0.30 * (height - 3.1).clip(0)), 1)

        mean = clothes.averaging(clothes.edges_of(Q), len(S))
        suit = S + vnormals(S, Q) * 0.08
        for _ in range(40):
            suit = 0.5 * suit + 0.5 * (mean @ suit)
        folds = fbm(rest * [1.4, 0.9, 1.4] + fbm(rest, 3, 2)[:, None], who["seed"] % 991, 3) - 0.5
        off = 0.13 + 0.22 * folds * sstep(0, 0.8, dressed) + 0.16 * sstep(1.0, -1.0, height) + 0.06 * vest
        off += 0.05 * below - 0.10 * np.exp(-(((height - 1.2) / 0.25) ** 2)) * (sleeve < 0.3)
        suit = suit + vnormals(suit, Q) * off[:, None]
        colour = np.array(colours["shirt"]) * np.ones((len(S), 1))
        for share, name in ((vest, "waistcoat"), (below * (sleeve < 0.3), "skirt" if woman else "trousers")):
            colour = colour * (1 - share[:, None]) + np.array(colours[name]) * share[:, None]
        belt = np.exp(-(((height - 1.16) / 0.12) ** 4)) * (sleeve < 0.3)
        colour = colour * (1 - 0.9 * belt[:, None]) + 0.9 * belt[:, None] * np.array(colours["shoes"])
        seam = np.exp(-((rest[:, 0] / 0.02) ** 2)) * (rest[:, 2] > 0.2) * (height > 1.3)
        colour = colour * (1 - 0.5 * seam[:, None])

        def where(mask):
            return Q[mask[Q].all(1)]

        skin = person.albedo.mean(0)
        self.pieces = [(suit, where((dressed > 0) & (hand < 0.6) & (foot < 0.5)), colour), (S, where(hand > 0.45), skin)]
        self.pieces.append((S + vnormals(S, Q) * 0.10, where(foot > 0.4), colours["shoes"]))
        if woman:
            self.pieces.append((*skirt(suit[sleeve < 0.2], r), colours["skirt"]))
        if apron:
            top, across = (1.5, (1.9, 1.2)) if woman else (3.4, (1.9, 0.95))
            self.pieces.append((*sheet(top, across, -4.6, suit[sleeve < 0.2], 0.12, who["seed"]), colours["apron"]))
        pieces, self.bare = clothes.shirt(who["shirt"], who["seed"], person.neutral[: person.n2], person.P[: person.n2], person.N2, person.Q2)
        self.pieces += [(P, q, colours["shirt"]) for P, q in pieces[1:]]
        self.pieces += [(P, q, colours["hat"]) for P, q, name in person.cloth if name == "hat"]
