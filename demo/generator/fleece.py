"""A sheepskin over the arm of a chair, close: every strand a curve, in crimped locks.

    python fleece.py --width 900 --height 600 --spp 32
"""
import numpy as np

from common import *


def relief(x, y):
    """Height of the hide over the chair's arm, and its gradient."""
    def h(x, y):
        return (1.5 * np.exp(-((y - .25 * x) / 2.6) ** 2) + .28 * np.sin(.55 * x + .7 * y + .4)
                + .16 * np.sin(1.3 * x - .9 * y + 2.0) + .07 * np.sin(2.6 * x + 2.1 * y))
    e = 1e-3
    return h(x, y), (h(x + e, y) - h(x - e, y)) / (2 * e), (h(x, y + e) - h(x, y - e)) / (2 * e)


def locks(rng, count, strands, knots, extent):
    """Strands of `count` locks: points (count * strands, knots, 3), radii, and the lock of each.

    The strands of a lock share a fall, a bend and a crimp, draw together towards the tip, and stray a little each."""
    x, y = rng.uniform(-extent, extent, (2, count))
    fall = np.stack([.55 + .5 * sample2d(spectral(64, 64, 2.6, 11), x / 12, y / 12), -.35 + .6 * sample2d(spectral(64, 64, 2.6, 12), x / 12, y / 12)], 1)
    fall = fall + rng.normal(0, .22, (count, 2))
    length = rng.gamma(9, .115, count) * (1 + .25 * sample2d(spectral(64, 64, 2.4, 13), x / 12, y / 12))
    lift = rng.uniform(.35, 1.0, count)
    crimp, phase, turn = rng.uniform(.030, .060, count), rng.uniform(0, 6.28, count), rng.uniform(9, 15, count)

    of = np.repeat(np.arange(count), strands)
    n = len(of)
    spread = rng.normal(0, .085, (n, 2))
    own = length[of] * np.clip(rng.normal(1, .13, n), .5, 1.4)
    t = np.linspace(0, 1, knots)[None]
    draw = 1 - .72 * t ** .8                                       # towards the tip the strands come together
    fx, fy = (fall[of, k][:, None] for k in (0, 1))
    reach = own[:, None] * (t - .28 * t ** 2)
    px = x[of][:, None] + spread[:, :1] * draw + fx * reach
    py = y[of][:, None] + spread[:, 1:] * draw + fy * reach
    wave = turn[of][:, None] * own[:, None] * t + phase[of][:, None] + rng.normal(0, .35, (n, 1))
    amount = crimp[of][:, None] * np.minimum(1, 3 * t)
    norm = np.hypot(fx, fy) + 1e-6
    px = px - fy / norm * amount * np.sin(wave) + np.cumsum(rng.normal(0, .006, (n, knots)), 1)
    py = py + fx / norm * amount * np.sin(wave) + np.cumsum(rng.normal(0, .006, (n, knots)), 1)
    up = lift[of][:, None] * own[:, None] * (.75 * t - .62 * t ** 2) + amount * .8 * np.cos(wave) + rng.normal(0, .02, (n, 1)) * t
    z, _, _ = relief(px, py)
    radius = rng.uniform(.0055, .0105, n)[:, None] * (1 - .55 * t ** 2)
    return np.stack([px, py, z + np.maximum(up, .01)], -1), radius, of


def build(w, h, seed=1, count=5200, strands=46):
    rng = np.random.default_rng(seed)
    d = {'type': 'scene', 'integrator': {'type': 'path', 'max_depth': 7, 'rr_depth': 5},
         'sensor': camera((.5, -7.0, 7.6), (.1, -.25, .95), 36, w, h, aperture=.085, focus=9.6)}
    points, radius, of = locks(rng, count, strands, 18, 6.6)
    # fleece is yellow at the root and grey with dust at the tip, and no two locks alike
    tints = [srgb(c) for c in ('#e6d9bd', '#dccaa4', '#cdb88e', '#b99f74', '#8d7250')]
    kind = rng.choice(len(tints), len(np.unique(of)), p=[.34, .28, .2, .12, .06])
    patch = sample2d(spectral(64, 64, 2.8, 21), points[:, 0, 0] / 13, points[:, 0, 1] / 13)
    kind = np.where(patch > 1.15, 4, kind[of])
    for k, tint in enumerate(tints):
        chosen = kind == k
        d[f'locks{k}'] = curves(points[chosen], radius[chosen], {
            'type': 'principled', 'base_color': rgb(*map(float, tint)), 'roughness': .55, 'specular': .35, 'sheen': .4, 'sheen_tint': .5})
    # loose hairs and a little straw
    loose, thin, _ = locks(rng, 1500, 1, 18, 6.6)
    loose[..., 2] += np.linspace(0, 1, 18)[None] * rng.gamma(2, .09, (len(loose), 1))
    d['loose'] = curves(loose, thin * .6, {'type': 'principled', 'base_color': rgb(.8, .72, .55), 'roughness': .6})
    m, t = 26, np.linspace(-.5, .5, 6)[None]
    x, y = rng.uniform(-4, 4, (2, m))
    a, tilt, long = rng.uniform(0, 6.28, m)[:, None], rng.normal(0, .3, m)[:, None], rng.uniform(.25, .8, m)[:, None]
    z = relief(x, y)[0][:, None] + .30 + .1 * rng.random((m, 1))
    straw = np.stack([x[:, None] + np.cos(a) * long * t, y[:, None] + np.sin(a) * long * t, z + tilt * long * t], -1)
    d['straw'] = curves(straw, .016, {'type': 'principled', 'base_color': rgb(.46, .31, .10), 'roughness': .4, 'specular': .5})
    X, Y = np.meshgrid(np.linspace(-9, 9, 160), np.linspace(-9, 9, 160))
    Z = relief(X, Y)[0]
    d['hide'] = mesh(np.stack([X, Y, Z], -1).reshape(-1, 3), grid_faces(160, 160),
                     {'type': 'twosided', 'b': {'type': 'diffuse', 'reflectance': rgb(.30, .22, .13)}})
    # a window from the left and behind, the room's dim walls
    d['window'] = {'type': 'rectangle', 'to_world': T().look_at(origin=[-11, 5, 7.5], target=[0, 0, .8], up=[0, 0, 1]) @ T().scale([2.6, 3.2, 1]),
                   'emitter': {'type': 'area', 'radiance': rgb(19, 19.5, 20.5)}}
    d['env'] = envmap(np.zeros((32, 64, 3)) + np.array([.17, .155, .14]))
    return d


if __name__ == '__main__':
    run('fleece', build, spp=32, clamp=8, count=5200, strands=46)
