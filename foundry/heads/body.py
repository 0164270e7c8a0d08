"""A person, built once: the shaped mesh, skin, strands and clothes, before any pose.

Lengths are in dm. Whoever it is, eyes and head height lie where the neutral head has them, so that every mask can be a
function of the neutral place. The first vertices of the finest level are those of the level below: P[:n2].
"""

import numpy as np

from . import clothes, masks, skin, strands
from .eyes import eye_mesh, eye_radius
from .maths import sstep, unit, vnormals
from .mesh import catmull_clark, get_base, quads
from .person import morph

IRIS = 0.060  # radius of the cornea's rim


def outward(S, Q):
    """The quads of a piece of cloth, wound so that they face away from neck and head."""
    inside = np.array([0, min(7.2, S[:, 1].mean()), 0.4])
    return Q if ((S - inside) * vnormals(S, Q)).sum() > 0 else Q[:, ::-1]


class Person:
    """P, N, Q: finest vertices, normals, quads. hair: (strands, radius, pigment, name). cloth: (vertices, quads, name)."""

    def __init__(self, who):
        self.who, self.base = who, get_base()
        self.r = np.random.default_rng(who["seed"] + 5000)
        self.V = morph(who, self.base)
        self.neutral = self.base.N[3]
        self.P, self.Q = self.base.S[3] @ self.V[self.base.ids], self.base.Q[3]
        self.n2, self.Q2 = len(self.base.N[2]), self.base.Q[2]
        self.eyes = [self.socket("helper-l-eye", 1), self.socket("helper-r-eye", -1)]
        self.keep_lids_off([np.array([0.0, 0.0, 1.0])] * 2)
        everywhere = np.arange(len(self.P))
        self.albedo, self.relief, self.gloss = skin.skin(who, self.base, everywhere)
        self.N2 = vnormals(self.P[: self.n2], self.Q2)
        self.hair = []
        self.grow_scalp()
        self.grow_face()
        W, P2 = self.neutral[: self.n2], self.P[: self.n2]
        pieces, self.bare = clothes.shirt(who["shirt"], who["seed"], W, P2, self.N2, self.Q2)
        self.cloth = [(S, q, "shirt") for S, q in pieces]
        if who["hair"] in ("cap", "scarf"):
            self.cloth += [(S, q, "hat") for S, q in clothes.headwear(who["hair"], W, P2, self.N2, self.Q2)]
        self.cloth = [(S, outward(S, q), name) for S, q, name in self.cloth]
        self.frames = self.glasses() if who["glasses"] else []
        self.mouth = [self.part(g) for g in ("helper-upper-teeth", "helper-lower-teeth", "helper-tongue")]

    def socket(self, group, side):
        """The sphere through a helper eye, by least squares: centre, radius, side."""
        v = self.V[np.unique(self.base.group(group))]
        x = np.linalg.lstsq(np.c_[2 * v, np.ones(len(v))], (v**2).sum(1), rcond=None)[0]
        return x[:3], np.sqrt(x[3] + x[:3] @ x[:3]) * 0.99, side

    def keep_lids_off(self, gazes):
        """Pushes lids out of the eyeballs, whose corneas bulge where they look."""
        for (c, R, _), gaze in zip(self.eyes, gazes):
            d = self.P - c
            away = np.linalg.norm(d, axis=1)
            t = np.arccos(np.clip(d @ gaze / away, -1, 1))
            need = eye_radius(t, R, np.arcsin(IRIS / R) * 1.12) + 0.003
            k = (away < need) & (d[:, 2] > 0.1 * R)
            self.P[k] = c + d[k] / away[k, None] * need[k, None]

    def eyeball(self, i, gaze):
        c, R, _ = self.eyes[i]
        return eye_mesh(c, R, gaze, self.who["iris"], self.who["seed"] * 2 + 7, self.who["age"])

    @property
    def hair_colour(self):
        who = self.who
        pigment = np.array([0.45, 0.32, 0.2]) * np.exp(-1.2 * who["melanin"] * np.array([0.75, 0.92, 1.1]))
        return pigment * (1 - who["grey"]) + who["grey"] * 0.35

    def add(self, S, radius, pigment=1.0, name="hair"):
        if len(S):
            self.hair.append((S, radius, pigment, name))

    def grow_scalp(self):
        who, r, W = self.who, self.r, self.neutral
        P2, Q2, N2, n2 = self.P[: self.n2], self.Q2, self.N2, self.n2
        style, man = who["hair"], who["male"] > 0.5
        recede = r.uniform(0.2, 1) * man * sstep(25, 60, who["age"])
        cover = masks.scalp_mask(W, recede=recede, low=r.uniform(-0.04, 0.08))
        if style == "bald":
            cover = cover * sstep(7.55, 7.25, W[:, 1])
            S, radius = strands.scalp_hair("buzz", P2, Q2, N2, cover[:n2] * 0.5, r)
            self.add(S[:11000], radius)
            cover = cover * 0.7
        elif style != "scarf":
            weight = cover[:n2] * (W[:n2, 1] < 7.8) if style == "cap" else cover[:n2]
            grown = {"cap": "buzz" if man else "tied"}.get(style, style)
            part = r.choice([-1, 1]) * r.uniform(0.05, 0.35)
            self.add(*strands.scalp_hair(grown, P2, Q2, N2, weight, r, part=part))
        if style == "tied" and r.random() < 0.7:
            self.add(strands.bun(r), 0.003)
        if style != "scarf":
            dense = (cover * dict(buzz=0.75, bald=0.4).get(style, 0.92))[:, None]
            self.albedo = self.albedo * (1 - dense) + dense * self.hair_colour * 0.35

    def grow_face(self):
        who, r, W = self.who, self.r, self.neutral
        P2, Q2, N2, n2 = self.P[: self.n2], self.Q2, self.N2, self.n2
        man = who["male"] > 0.5
        thick = r.uniform(0.65, 1.2) * (1.15 if man else 0.8)
        brow, along = masks.brow_mask(W, r.uniform(-0.5, 0.6), thick)
        # Brows are sparse, and sparser outwards: what is dense and even reads as painted on.
        density = brow[:n2] * (1 - 0.55 * along[:n2])
        self.add(*strands.brows(P2, Q2, N2, density, along[:n2], r, thick, int(r.uniform(260, 560) * thick)), 0.75, "brow")
        self.albedo *= 1 - (0.18 * brow)[:, None] * (1 - self.hair_colour / 0.6).clip(0, 1)
        lips = self.base.masks["lips"]
        if who["beard"] != "none":
            weight = masks.beard_mask(W, who["beard"], lips)
            self.add(*strands.beard(P2, Q2, N2, weight[:n2], r, who["beard"]), 0.95, "beard")
            k = (dict(stubble=0.38, full=0.6, moustache=0.45, goatee=0.5)[who["beard"]] * weight)[:, None]
            self.albedo = self.albedo * (1 - k) + k * (self.hair_colour * 0.4 + 0.25 * self.albedo)
        elif man and who["age"] > 18:
            k = 0.16 * r.random() * masks.beard_mask(W, "stubble", lips)
            self.albedo *= 1 - k[:, None] * np.array([1.1, 0.95, 0.75])
        longer = 1 + 0.35 * who["makeup"] + (0 if man else 0.12)
        for (centre, _, side), letter in zip(self.eyes, "lr"):
            for lid, n, length, up, forward in ((2, 105, 0.058, 0.5, (0, 0.1, 0.9)), (1, 45, 0.03, -0.4, (0, -0.25, 0.7))):
                root, tip = self.lid_lines(f"helper-{letter}-eyelashes-{lid}", centre, side)
                S, radius = strands.lashes(root, tip, r, n, length * longer, up, forward)
                self.add(S, radius * (1 + 0.4 * who["makeup"]), 3.0, "lash")

    def lid_lines(self, group, centre, side):
        """Matched lines along a lid's rim and along the lash tips, from the helper strip of lashes."""
        v = self.V[np.unique(quads(self.base.F[group])[0])]
        x = (v[:, 0] - v[:, 0].min()) / np.ptp(v[:, 0])
        away = np.linalg.norm(v - centre, axis=1)
        bins = np.linspace(0, 1, 13)
        slices = [np.flatnonzero((x >= a - 0.03) & (x <= b + 0.03)) for a, b in zip(bins[:-1], bins[1:])]
        slices = [k for k in slices if len(k)]
        root = np.array([v[k[np.argmin(away[k])]] for k in slices])
        tip = np.array([v[k[np.argmax(away[k])]] for k in slices])
        order = np.argsort(root[:, 0] * side)
        # The helper's rim floats a little above the lid: roots go to the lid's own edge, near the eyeball.
        root = root[order] + 0.012 * unit(centre - root[order])
        return root, tip[order]

    def part(self, group):
        """A helper part inside the mouth, smoothed once: vertices, quads, name."""
        q = self.base.group(group)
        ids, q = np.unique(q, return_inverse=True)
        matrix, q = catmull_clark(len(ids), q.reshape(-1, 4))
        return matrix @ (self.V[ids] - [0, 0, 0.02]), q, group

    def glasses(self):
        """Frames as lines: two temples, two rims, a bridge."""
        r = self.r
        turn = np.linspace(0, 2 * np.pi, 41)
        square, wide, high = r.uniform(0.5, 1.0), r.uniform(0.23, 0.27), r.uniform(0.16, 0.21)
        temples, rims = [], []
        for c, _, side in self.eyes:
            x = np.sign(np.cos(turn)) * np.abs(np.cos(turn)) ** square * wide + side * 0.02
            y = np.sign(np.sin(turn)) * np.abs(np.sin(turn)) ** square * high - 0.03
            z = c[2] + 0.40 - (x * side + 0.1).clip(0) ** 2
            rims.append(np.stack([c[0] + x, c[1] + y, z], 1))
            hinge = np.array([c[0] + side * (wide + 0.02), c[1] + 0.02, c[2] + 0.30])
            temples.append(np.linspace(hinge, [side * 0.88, c[1] + 0.02, 0.45], 8))
        a, b = rims[0][np.argmin(rims[0][:, 0])], rims[1][np.argmax(rims[1][:, 0])]
        arch = np.array([0, 0.05, 0.05])
        bridge = np.stack([a * (1 - t) + b * t + arch * np.sin(np.pi * t) for t in np.linspace(0, 1, 7)])
        return [*temples, *rims, bridge]


# Places on the neutral head whose nearest vertices are given as landmarks.
LANDMARKS = dict(
    nose_tip=(0, 6.93, 1.68),
    mouth_left=(0.245, 6.605, 1.39),
    mouth_right=(-0.245, 6.605, 1.39),
    lip_top=(0, 6.70, 1.59),
    lip_bottom=(0, 6.505, 1.57),
    chin=(0, 6.22, 1.46),
    hairline=(0, 8.03, 1.43),
    left_eye_outer=(0.475, 7.275, 1.33),
    left_eye_inner=(0.185, 7.25, 1.37),
    right_eye_outer=(-0.475, 7.275, 1.33),
    right_eye_inner=(-0.185, 7.25, 1.37),
    left_brow=(0.34, 7.54, 1.45),
    right_brow=(-0.34, 7.54, 1.45),
)
