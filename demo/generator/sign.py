"""Old painted shop sign on a lime-plaster wall in raking afternoon light.

    python sign.py --width 900 --height 600 --spp 48 --text VETRERIA
"""
import numpy as np
from PIL import Image, ImageDraw, ImageFont
from common import *

W, H = 11.0, 6.8          # wall, in units of about 0.5 m
PX = 400                  # texture pixels per unit
WOBBLE = PX / 100         # of the brush, texture pixels


def letters(text, small, h, w, seed):
    """Coverage of the painted lettering, hand-wobbled, in [0,1]."""
    def font(name, size):
        for p in (f'/usr/share/fonts/truetype/dejavu/{name}.ttf', name + '.ttf'):
            try:
                return ImageFont.truetype(p, size)
            except OSError:
                pass
        return ImageFont.load_default(size)

    im = Image.new('L', (w, h), 0)
    d = ImageDraw.Draw(im)
    size = int(h * .2)
    f = font('DejaVuSerifCondensed-Bold', size)
    gap = int(size * .10)
    total = sum(f.getlength(c) + gap for c in text) - gap
    if total > w * 6.66 / W:
        f = font('DejaVuSerifCondensed-Bold', int(size * w * 6.66 / W / total))
        gap = int(gap * w * 6.66 / W / total)
        total = sum(f.getlength(c) + gap for c in text) - gap
    x = w * .5 - total / 2
    for c in text:
        d.text((x, h * .43), c, font=f, fill=255, anchor='lm')
        x += f.getlength(c) + gap
    g = font('DejaVuSerifCondensed-Italic', int(h * .062))
    d.text((w * .5, h * .62), small, font=g, fill=255, anchor='mm')
    yy = h * .62
    half = g.getlength(small) / 2 + w * .02
    for s in (-1, 1):
        x0, x1 = sorted((w * .5 + s * half, w * .5 + s * w * 3.24 / W))
        d.line((x0, yy, x1, yy), fill=255, width=max(2, h // 250))
    a = np.asarray(im, float) / 255
    # wobble of a hand-held brush
    n1, n2 = spectral(h, w, 2.6, seed + 60, fmin=6, fmax=120), spectral(h, w, 2.6, seed + 61, fmin=6, fmax=120)
    Y, X = np.mgrid[0:h, 0:w]
    return sample2d(a, (X + .5 + WOBBLE * n1) / w, (Y + .5 + WOBBLE * n2) / h)


def textures(text, small, seed=1):
    h, w = int(H * PX), int(W * PX)
    y = np.linspace(0, 1, h)[:, None]
    n = lambda b, k, **kw: spectral(h, w, b, seed + k, **kw)
    # plaster relief (units): waves of the trowel, grains, pits, hair cracks, lost patches
    hgt = .030 * n(3.4, 1, fmax=14) + .0034 * n(1.7, 2, fmin=14, stretch=(1.6, 1)) + .0016 * n(.5, 3, fmin=80)
    pits = smooth(2.3, 3.2, n(1.2, 4, fmin=50))
    hgt -= .022 * pits
    ww, wv = .035 * n(2.4, 5), .035 * n(2.4, 6)
    D, _ = worley(h, w, 5, seed + 7)
    d1 = sample2d((D[1] - D[0]), (np.arange(w)[None] + .5) / w + ww, (np.arange(h)[:, None] + .5) / h + wv)
    crack = np.exp(-(d1 / .010) ** 2) * smooth(.0, .9, n(2.6, 8))
    hgt -= .03 * crack
    loss_f = n(2.7, 9, fmin=2) + .35 * n(1.4, 10, fmin=20) + .7 * smooth(.75, 1.0, y) - .35
    loss = smooth(1.50, 1.56, loss_f)                      # top coat gone: rougher, deeper
    edge = smooth(1.30, 1.5, loss_f) * (1 - loss)
    hgt += loss * (-.055 + .012 * n(1.4, 11, fmin=20)) + .010 * edge
    # lime wash: ochre rose, blotches, rain streaks
    base = ramp(np.clip(.5 + .22 * n(2.6, 12) + .06 * n(1.2, 13), 0, 1) + 0 * y,
                [(0, srgb('#c08a62')), (.5, srgb('#d2a379')), (1, srgb('#dfbf98'))])
    streak = n(1.6, 14, fmin=4, stretch=(.06, 1)) * .5 + n(2.0, 15, stretch=(.12, 1)) * .6
    base = base * (1 - .15 * smooth(.3, 1.8, streak) * (1 - .5 * y))[..., None]
    base = mix(base, np.array(srgb('#7b6a58')), .55 * smooth(.84, 1.02, y + .035 * n(2.2, 16)))
    # pale signboard field with a painted border
    L = letters(text, small, h, w, seed)
    Y, X = np.mgrid[0:h, 0:w] / np.array([h, w])[:, None, None]
    inside = np.minimum(3.735 - np.abs(X - .5) * W, 1.57 - np.abs(Y - .495) * H) + .006 * n(2, 17, fmax=60)
    field = smooth(0, .012, inside)
    border = smooth(.10, .112, inside) * smooth(.162, .15, inside)
    wear = n(2.3, 18) * .5 + .75 * n(1.1, 19, fmin=15) + .25 * hgt / .03 + .25 * streak
    keep = smooth(1.35, .55, wear) * (1 - loss)
    keep2 = smooth(1.0, .15, wear + .1 * n(.7, 20, fmin=40)) * (1 - loss)
    fade = .80 + .12 * n(2.4, 21)
    base = mix(base, np.array(srgb('#e6dcc4')), np.clip(field * keep * .85, 0, 1))
    ink = mix(np.array(srgb('#23483f')), np.array(srgb('#4d7468')), np.clip(.4 + .4 * n(2.2, 22), 0, 1))
    base = mix(base, ink, np.clip(L * keep2 * fade, 0, 1))
    base = mix(base, np.array(srgb('#8c3b27')), np.clip(border * keep2 * fade, 0, 1))
    under = mix(np.array(srgb('#a48d74')), np.array(srgb('#7a6653')), smooth(-1.5, 1.5, n(1.3, 23)))
    base = mix(base, under, loss)
    base = base * (1 - .55 * crack - .4 * pits)[..., None] * (1 + .035 * n(.6, 24, fmin=60))[..., None]
    hgt += .0025 * L * keep2 + .0018 * field * keep
    return np.clip(base, .005, .92), hgt


def build(w, h, seed=1, text='VETRERIA', small='soffiatori dal 1871'):
    col, hgt = textures(text, small, seed)
    n = 6                                          # relief mesh: every n-th texel
    g = blur(hgt, 1.0)[::n, ::n]
    ny, nx = g.shape
    X, Z = np.meshgrid((np.arange(nx) + .5) / nx * W - W / 2, H - (np.arange(ny) + .5) / ny * H)
    V = np.stack([X, -g, Z], -1).reshape(-1, 3)
    uv = np.stack([(X + W / 2) / W, 1 - Z / H], -1).reshape(-1, 2)
    d = {'type': 'scene', 'integrator': {'type': 'path', 'max_depth': 5},
         'sensor': camera((-1.5, -9.6, 2.5), (-.02, 0, 3.38), 46, w, h, aperture=.02, focus=9.7)}
    d['wall'] = mesh(V, grid_faces(ny, nx)[:, ::-1], {'type': 'bumpmap', 'arbitrary': tex(hgt), 'scale': .02, 'nested': {
        'type': 'twosided', 'b': {'type': 'diffuse', 'reflectance': tex(col)}}}, uv)
    # ground and a stone plinth
    d['street'] = mesh(np.array([[-30, -30, -2.], [30, -30, -2], [-30, 0, -2], [30, 0, -2]], float), np.array([[0, 1, 3], [0, 3, 2]]),
                       {'type': 'diffuse', 'reflectance': rgb(.22, .20, .18)})
    # iron bracket with a lamp arm above the sign: throws a long shadow
    iron = {'type': 'principled', 'base_color': rgb(.025, .022, .02), 'roughness': .55, 'specular': .4, 'metallic': .3}
    a = np.linspace(0, 1, 40)
    arm = np.stack([2.9 - .35 * np.sin(a * 3.0) * 0, -1.25 * a, 5.65 + .25 * np.sin(a * np.pi * .9)], 1)
    b = np.linspace(0, 4.6 * np.pi, 90)
    rr = .30 * np.exp(-b / 9)
    scroll = np.stack([2.9 + 0 * b, -.42 - rr * np.cos(b), 5.42 + rr * np.sin(b)], 1)
    d['arm'] = curves(arm[None], .035, iron)
    d['scroll'] = curves(scroll[None], .024, iron)
    t = np.linspace(0, 2 * np.pi, 48, endpoint=False)
    prof = np.array([[.03, .30], [.05, .28], [.07, .22], [.20, .10], [.36, 0], [.37, -.02], [.34, -.01], [.19, .07], [.05, .18]])
    S = np.stack([2.9 + prof[:, :1] * np.cos(t), -1.25 + prof[:, :1] * np.sin(t), 5.42 + prof[:, 1:] + 0 * t], -1).reshape(-1, 3)
    d['shade'] = mesh(S, grid_faces(len(prof), 48, wrap_x=True), {'type': 'twosided', 'b': iron})
    d['bulb'] = {'type': 'sphere', 'center': [2.9, -1.25, 5.38], 'radius': .13,
                 'bsdf': {'type': 'plastic', 'diffuse_reflectance': rgb(.6, .6, .58)}}
    # a climbing plant's twigs and leaves off-camera, only their shadows fall on the wall
    rng = np.random.default_rng(seed + 5)
    q = rng.normal(0, 1, (240, 3)) * [.75, .5, 1.0] + [-6.1, -2.2, 6.6]
    th = np.linspace(0, 2 * np.pi, 12, endpoint=False)
    leaf = np.stack([.16 * np.cos(th), .26 * np.sin(th) * (1 + .2 * np.cos(th)), .02 * np.cos(3 * th)], 1)
    F = np.stack([np.zeros(10, int), np.arange(1, 11), np.arange(2, 12)], 1)
    R = rotations(*rng.uniform(0, 6.28, (3, 240))) * rng.uniform(.7, 1.5, 240)[:, None, None]
    Wv = instances(leaf, F, R, q)
    d['leaves'] = mesh(Wv[0], Wv[1], {'type': 'twosided', 'b': {'type': 'diffuse', 'reflectance': rgb(.10, .17, .04)}}, flat=True)
    # sun: a small disc far away, so shadows soften with distance
    sd = np.array([-.80, -.30, .50]); sd /= np.linalg.norm(sd)
    d['sun'] = {'type': 'disk', 'to_world': T().look_at(origin=[float(v) for v in sd * 400], target=[0, 0, 3], up=[0, 0, 1]) @ T().scale([3.4, 3.4, 1]),
                'emitter': {'type': 'area', 'radiance': rgb(62000, 52000, 38000)}}
    d['env'] = envmap(sky_env(64, None, zenith=(.30, .48, .95), horizon=(.75, .80, .90), ground=(.22, .19, .16)), scale=1.0)
    return d


if __name__ == '__main__':
    run('sign', build, spp=32, text='VETRERIA', small='soffiatori dal 1871')
