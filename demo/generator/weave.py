"""Close-up of an embroidered runner: linen in plain weave with a woven band, and silk laid over it in satin stitch.

    python weave.py --width 900 --height 600 --spp 64 --threads 104
"""
import numpy as np
from common import *
from knit import fuzz, wool, yarn

PITCH = .2  # from one thread to the next
PER_CROSSING = 6  # control points of a thread from one crossing to the next


def lying(P):
    """Lay the flat cloth over one soft fold and a slight unevenness."""
    x, y = P[..., 0], P[..., 1]
    h = .85 * np.exp(-((.55 * x + .8 * y - 4.4) / 1.5) ** 2) + .12 * np.sin(.5 * x + 1) * np.sin(.42 * y)
    return P + h[..., None] * np.array([0, 0, 1.0])


def system(count, rng, along_x):
    """Centre lines of one system of threads, over and under those of the other in turn: (count, n, 3)."""
    n = count * PER_CROSSING
    s = (np.arange(n) / PER_CROSSING - count / 2) * PITCH
    lines = []
    for i in range(count):
        at = (i - count / 2) * PITCH + .014 * np.interp(s, np.linspace(s[0], s[-1], 20), rng.normal(0, 1, 20))
        z = .05 * np.sin(np.pi * (s / PITCH + i + .5 + along_x))
        lines.append(np.stack([s, at + 0 * s, z] if along_x else [at + 0 * s, s, z], 1))
    return np.stack(lines)


def across(middle, half, rng, spacing, lift, slant=0.0):
    """Satin stitches over a shape given by its middle line (n, 2) and half its width along it: (stitches, 9, 3)."""
    length = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(middle, axis=0), axis=1))])
    at = np.arange(spacing, length[-1] - spacing, spacing)
    at = at + rng.normal(0, spacing * .10, len(at))
    line = np.stack([np.interp(at, length, middle[:, k]) for k in (0, 1)], 1)
    wide = np.interp(at, length, half) * (1 + rng.normal(0, .025, len(at)))
    along = np.gradient(line, axis=0)
    along /= np.linalg.norm(along, axis=1, keepdims=True)
    over = np.stack([-along[:, 1], along[:, 0]], 1) * np.cos(slant) + along * np.sin(slant)
    u = np.linspace(-1, 1, 9)
    flat = line[:, None] + u[None, :, None] * (wide[:, None] * np.ones(9))[..., None] * over[:, None]
    z = .115 + lift * np.sqrt(np.clip(1 - np.abs(u) ** 3, 0, 1))[None] * np.clip(wide / .3, .4, 1)[:, None] - .19 * (np.abs(u) > .95)
    return np.concatenate([flat, (z + rng.normal(0, .006, z.shape))[..., None]], -1)


def floss(stitches, rng, strands=5, width=.052):
    """The strands that a stitch is made of, side by side: (stitches * strands, 9, 3)."""
    along = np.gradient(stitches[..., :2], axis=1)
    along /= np.linalg.norm(along, axis=-1, keepdims=True) + 1e-9
    side = np.stack([-along[..., 1], along[..., 0], 0 * along[..., 0]], -1)
    up = np.array([0, 0, 1.0])
    parts = []
    for k in range(strands):
        off = (k - (strands - 1) / 2) / strands * width * 2 + rng.normal(0, .006, (len(stitches), 1, 1))
        parts.append(stitches + side * off + up * (.012 * (k % 2) + rng.normal(0, .005, (len(stitches), 1, 1))))
    return np.concatenate(parts)


def petal(base, direction, length, width):
    """Middle line and half width of a petal."""
    t = np.linspace(0, 1, 24)
    d = np.array([np.cos(direction), np.sin(direction)])
    side = np.array([-d[1], d[0]])
    middle = base + np.outer(t * length, d) + np.outer(.10 * length * np.sin(np.pi * t), side)
    return middle, width * np.sin(np.pi * np.clip(.12 + .86 * t, 0, 1)) ** .8


def knot(at, rng):
    """A thread wound twice round the needle and pulled down."""
    a = np.linspace(0, 4.6 * np.pi, 26) + rng.uniform(0, 6)
    r = .085 - .012 * np.linspace(0, 1, 26)
    return np.stack([at[0] + r * np.cos(a), at[1] + r * np.sin(a), .09 + .09 * np.linspace(0, 1, 26) + .02 * np.sin(a)], 1)


def sprig(rng):
    """Colour -> strands of silk: flowers, leaves in two halves, a stem, knots."""
    blue, pale, green, deep, ochre = (srgb(c) for c in ('#2f5f97', '#8fb0cf', '#5f7d45', '#3c5a38', '#c8912f'))
    laid = {}
    add = lambda colour, stitches: laid.setdefault(colour, []).append(floss(stitches, rng))
    for (x, y), size, turn in [((-2.1, .9), 1.35, .2), ((1.9, -.4), 1.1, .75), ((3.9, 2.2), .8, .4)]:
        for k in range(6):
            a = turn + k * np.pi / 3
            base = np.array([x, y]) + .30 * size * np.array([np.cos(a), np.sin(a)])
            middle, half = petal(base, a, 1.15 * size, .46 * size)
            add(blue if k % 2 else pale, across(middle, half, rng, .075, .10, .25))
        knots = np.stack([knot((x + r * np.cos(b), y + r * np.sin(b)), rng) for r, n in ((0, 1), (.17 * size, 6)) for b in np.arange(n) * 2 * np.pi / max(n, 1)])
        laid.setdefault(ochre, []).append(knots)
    t = np.linspace(0, 1, 60)
    stems = [np.stack([-6 + 9.5 * t, -2.6 + 1.9 * np.sin(2.2 * t) + .6 * t], 1), np.stack([-.4 + 4 * t, -1.0 + 2.6 * t ** 1.6], 1),
             np.stack([-2.4 + .2 * t, -1.25 + 1.6 * t], 1)]
    for stem in stems:
        add(deep, across(stem, np.full(len(stem), .10), rng, .06, .13, 1.0))
    for x, y, a, size in [(-4.2, -1.4, 1.9, 1.2), (-3.6, -2.1, -.9, 1.25), (-.9, -1.3, -.75, 1.2), (.6, .6, 2.4, .95), (2.9, .9, -.35, .9), (-5.6, -2.2, 2.2, .9)]:
        middle, half = petal(np.array([x, y]), a, 1.3 * size, .36 * size)
        d = np.array([-np.sin(a), np.cos(a)])
        for side in (1, -1):
            add(green if side > 0 else deep, across(middle + side * np.outer(half * .48, d), half * .54, rng, .07, .10, side * .7))
    return laid


def build(w, h, seed=1, threads=104):
    rng = np.random.default_rng(seed)
    linen, band, dark = (np.array(srgb(c)) for c in ('#cfc4ab', '#9c4a32', '#34495c'))
    d = {'type': 'scene', 'integrator': {'type': 'path', 'max_depth': 6, 'rr_depth': 4},
         'sensor': camera((.8, -8.4, 8.8), (-.2, .1, .2), 39, w, h, aperture=.13, focus=11.9)}
    groups = {}
    for along_x in (0, 1):
        for i, C in enumerate(system(threads, rng, along_x)):
            k = i - threads // 2
            # the band runs along the weft, near the far edge
            colour = band if along_x and 15 <= k <= 22 else dark if along_x and k in (12, 13, 24, 25) else linen
            tone = int(rng.integers(0, 4))
            groups.setdefault((tuple(colour), tone, .0135), []).append(lying(yarn(C, rng, plies=2, fibres=9, R=.094, twist=1.3, pts=PER_CROSSING)))
            groups.setdefault((tuple(colour), tone, .004), []).append(lying(fuzz(C, rng, 18, R=.09, L=.16, K=6)))
    for n, ((colour, tone, radius), parts) in enumerate(groups.items()):
        tint = np.clip(np.array(colour) * (.86, 1.0, .93, 1.08)[tone], 0, .95)
        parts = np.concatenate(parts)
        d[f'linen{n}'] = curves(parts, radius * rng.uniform(.8, 1.2, (len(parts), 1)) * np.ones((1, parts.shape[1])), wool(tint))
    for n, (colour, parts) in enumerate(sprig(rng).items()):
        silk = {'type': 'principled', 'base_color': rgb(*map(float, colour)), 'roughness': .34, 'specular': .6, 'sheen': .3}
        for m, part in enumerate(parts):
            d[f'silk{n}x{m}'] = curves(lying(part), .021 if part.shape[1] == 9 else .034, silk)
    side = threads * PITCH / 2
    X, Y = np.meshgrid(np.linspace(-side, side, 60), np.linspace(-side, side, 60))
    under = lying(np.stack([X, Y, 0 * X - .2], -1)).reshape(-1, 3)
    d['under'] = mesh(under, grid_faces(60, 60), {'type': 'twosided', 'b': {'type': 'diffuse', 'reflectance': rgb(.10, .085, .07)}})
    d['window'] = {'type': 'rectangle', 'to_world': T().look_at(origin=[-12, 7, 6.5], target=[0, 0, 0], up=[0, 0, 1]) @ T().scale([2.6, 2.4, 1]),
                   'emitter': {'type': 'area', 'radiance': rgb(26, 26.5, 28)}}
    d['env'] = envmap(np.zeros((32, 64, 3)) + np.array([.20, .19, .175]))
    return d


if __name__ == '__main__':
    run('weave', build, spp=24, clamp=8, threads=104)
