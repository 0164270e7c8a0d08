"""The glassworks' hands before the gate, as a photographer lined them up: small faces in a group.

    python group.py --width 1200 --height 840 --spp 64

The people are whole figures of foundry/heads, each with clothes, hair and a face of its own; nobody in it ever was. Lengths are in
dm and y is up, as there.
"""
import os
import sys

import numpy as np

from common import box, camera, grid_faces, lathe, mesh, mi, mix, quad, rgb, run, smooth, spectral, srgb, tex, T, TMP
from furnace import brick

sys.path.insert(0, os.path.join(os.path.dirname(os.path.abspath(__file__)), '../../foundry'))
from heads import strands  # noqa: E402
from heads.figure import Figure  # noqa: E402
from heads.maths import rot, vnormals  # noqa: E402
from heads.person import traits  # noqa: E402
from heads.transport import mesh as coloured_mesh  # noqa: E402
from heads.view import strand_colour  # noqa: E402

CLOTH = {
    'shirt': ['#b9b2a2', '#6f7480', '#8d8372', '#4a4e58', '#a69a86', '#7c6a58'],
    'trousers': ['#38342f', '#45413c', '#2c2e33'], 'skirt': ['#3a3532', '#2f3540', '#4b4038'],
    'waistcoat': ['#3a3c42', '#4b4239', '#2e2f2f'], 'apron': ['#5a4330', '#6b5138', '#cfc8ba'], 'shoes': ['#201a16'], 'hat': ['#3f3a35', '#59503f', '#2c2c30'],
}
STEP = 2.9  # how much higher the row behind stands

# seed, what is set, arms, apron; place across, row (0 in front), height against the others
PEOPLE = [
    (3001, dict(male=1, age=52, hair='cap', beard='moustache', shirt='collar', smile=.1), ('clasped', 'clasped'), True, -7.6, 0, 1.0),
    (3002, dict(male=1, age=27, hair='side', beard='none', shirt='collar', smile=.3), ('behind', 'behind'), True, -2.6, 0, 1.03),
    (3003, dict(male=0, age=34, hair='tied', shirt='turtle', smile=.2), ('clasped', 'clasped'), True, 2.3, 0, .95),
    (3004, dict(male=1, age=12, hair='cap', shirt='collar', smile=.5), ('down', 'down'), False, 6.6, 0, .78),
    (3005, dict(male=1, age=63, hair='bald', beard='full', grey=.8, shirt='collar', smile=0), ('on hip', 'down'), False, -10.2, 1, 1.0),
    (3006, dict(male=1, age=31, hair='crop', beard='stubble', shirt='crew', smile=.2), ('behind', 'behind'), True, -5.3, 1, 1.02),
    (3007, dict(male=1, age=44, hair='cap', beard='none', shirt='collar', smile=.15), ('behind', 'behind'), True, -.2, 1, 1.0),
    (3008, dict(male=0, age=23, hair='tied', shirt='collar', smile=.6), ('behind', 'behind'), False, 4.6, 1, .96),
    (3009, dict(male=1, age=38, hair='side', beard='moustache', shirt='collar', smile=.1), ('down', 'on hip'), False, 9.6, 1, 1.01),
]


def into(d, n, seed, given, arms, apron, x, row, size):
    """Adds the n-th figure to the scene."""
    who = traits(seed) | dict(glasses=False, melanin=1.6) | given
    r = np.random.default_rng([seed, 5])
    colours = {name: np.array(srgb(some[r.integers(len(some))])) for name, some in CLOTH.items()}
    figure = Figure(who, colours, arms, apron, waistcoat=who['male'] > .5 and who['age'] > 30 and r.random() < .7)
    turn = rot(1, -3.2 * x + r.normal(0, 7))
    head = rot(1, r.normal(0, 9)) @ rot(0, r.normal(2, 3)) @ rot(2, r.normal(0, 3))
    pivot, person, behind = np.array([0, 6.35, .35]), figure.person, r.normal(0, .35) - 3.6 * row

    def placed(P):
        # only what is above the collar turns with the head
        share = smooth(5.75, 6.55, P[..., 1] + .5 * (P[..., 2] - .3))[..., None]
        local = P - pivot
        P = (local @ head.T * share + local * (1 - share)) + pivot
        return ((P - [0, figure.floor, 0]) * size) @ turn.T + [x, STEP * row, behind]

    shown = {'type': 'mesh_attribute', 'name': 'vertex_color'}
    for k, (P, Q, colour) in enumerate(figure.pieces):
        P = placed(P)
        cloth = {'type': 'twosided', 'b': {'type': 'principled', 'base_color': shown, 'roughness': .8, 'specular': .2}}
        d[f'p{n}x{k}'] = coloured_mesh(f'p{n}x{k}', P, Q, vnormals(P, Q), cloth, {'color': colour * np.ones((len(P), 1))})
    skin_ = {'type': 'principled', 'base_color': shown, 'roughness': .48, 'specular': .32}
    P, Q = person.P[:person.n2], person.Q2[figure.bare]
    P = placed(P)
    d[f'p{n}skin'] = coloured_mesh(f'p{n}skin', P, Q, vnormals(P, Q), skin_, {'color': person.albedo[:person.n2]})
    for i in range(2):
        P, Q, colour = person.eyeball(i, np.array([r.normal(0, .06), -.02, 1.0]))
        P = placed(P)
        wet = {'type': 'principled', 'roughness': .06, 'specular': .22, 'base_color': shown}
        d[f'p{n}eye{i}'] = coloured_mesh(f'p{n}eye{i}', P, Q, vnormals(P, Q), wet, {'color': colour})
    for i, (S, radius, pigment, name) in enumerate(person.hair):
        # every second hair, thicker: a head is some fifty pixels tall
        keep = S if name != 'hair' else S[r.random(len(S)) < .5]
        path = os.path.join(TMP, f'p{n}h{i}.txt')
        strands.write(path, placed(keep.reshape(-1, 3)).reshape(keep.shape), radius * (1.5 if name == 'hair' else 1.2) * size, r)
        fibre = {'type': 'principled', 'base_color': rgb(*map(float, strand_colour(who, pigment, name))), 'roughness': .45, 'specular': .22}
        d[f'p{n}hair{i}'] = {'type': 'bsplinecurve', 'filename': path, 'bsdf': fibre}


def build(w, h, seed=1):
    d = {'type': 'scene', 'integrator': {'type': 'path', 'max_depth': 5, 'rr_depth': 3},
         'sensor': camera((.3, 16.5, 62), (-.2, 13.0, -2), 27.0, w, h, aperture=.22, focus=62, up=(0, 1, 0))}
    for n, (s, given, arms, apron, x, row, size) in enumerate(PEOPLE):
        into(d, n, s, given, arms, apron, x, row, size)
    # the gate: brick, a round-headed doorway with its planks, a step of stone
    colour, height = brick(1024, 26, seed, dark=.25)
    wall = {'type': 'bumpmap', 'arbitrary': tex(height), 'scale': .5, 'nested': {'type': 'twosided', 'b': {
        'type': 'principled', 'base_color': tex(colour * .9), 'roughness': .85, 'specular': .2}}}
    V, F, uv = quad((-60, -1, -9), (60, -1, -9), (-60, 60, -9), (60, 60, -9), (5.2, 2.65))
    d['wall'] = mesh(V, F, wall, uv)
    a = np.linspace(0, np.pi, 33)
    rim = np.concatenate([[[9.5, 0]], np.stack([9.5 * np.cos(a), 19 + 9.5 * np.sin(a)], 1), [[-9.5, 0]]])
    arch = np.concatenate([np.concatenate([rim * k, np.full((len(rim), 1), z)], 1) for k, z in ((1.0, -8.9), (1.0, -8.3), (1.11, -8.3), (1.11, -9.0))])
    d['arch'] = mesh(arch, grid_faces(4, len(rim)), {'type': 'twosided', 'b': {'type': 'principled', 'base_color': rgb(.40, .37, .32), 'roughness': .8}}, flat=True)
    fan = np.concatenate([[[0, 10, -8.95]], np.concatenate([rim, np.full((len(rim), 1), -8.95)], 1)])
    i = np.arange(1, len(rim))
    grain = np.clip(.5 + .2 * spectral(512, 512, 1.6, 3, stretch=(1, 6)).T, 0, 1)
    lines = smooth(0, .03, np.abs(((np.arange(512) / 512 * 12) % 1) - .5))[None, :]
    boards = mix(np.array(srgb('#3a3f3c')), np.array(srgb('#5d655f')), grain) * (.25 + .75 * lines)[..., None]
    d['door'] = mesh(fan, np.stack([0 * i, i, i + 1], 1), {'type': 'principled', 'base_color': tex(boards), 'roughness': .7, 'specular': .3}, fan[:, :2] / 22 + .5, flat=True)
    d['step'] = mesh(*box((0, STEP / 2, -5.0), (34, STEP, 5.0)), {'type': 'principled', 'base_color': rgb(.30, .285, .26), 'roughness': .85}, flat=True)
    V, F, uv = quad((-90, 0, 40), (90, 0, 40), (-90, 0, -9), (90, 0, -9), (6, 2))
    d['ground'] = mesh(V, F, {'type': 'principled', 'base_color': tex(np.clip(.19 + .035 * spectral(512, 512, 1.4, 5), .05, .4)[..., None] * np.array([1, .96, .88])), 'roughness': .9}, uv)
    # what they make: jugs and a tall vase on two crates in front
    for k, (x, tall, wide) in enumerate([(-.7, 3.2, .75), (.9, 2.2, 1.0), (2.1, 1.7, .62)]):
        profile = [(.02, 0), (wide * .62, .05), (wide, tall * .35), (wide * .45, tall * .72), (wide * .62, tall), (wide * .56, tall), (wide * .38, tall * .72), (wide * .9, tall * .35), (.02, .2)]
        V, F = lathe(profile, n=96, steps=120)
        V = V[:, [0, 2, 1]] * [1, 1, -1] + [x, 6.25, 5.2]
        d[f'vase{k}'] = mesh(V, F, {'type': 'twosided', 'b': {
            'type': 'principled', 'base_color': rgb(*map(float, srgb(('#3f7290', '#9a5a3c', '#5b8a70')[k]))), 'roughness': .08, 'specular': .7, 'clearcoat': .8}})
    crate = {'type': 'principled', 'base_color': rgb(.25, .18, .11), 'roughness': .8}
    for j in range(4):
        d[f'crate{j}'] = mesh(*box((.6, .8 + 1.5 * j, 5.2), (5.4, 1.3, 2.6)), crate, flat=True)
    d['crates'] = mesh(*box((.6, 3.0, 5.1), (5.1, 6.1, 2.2)), {'type': 'diffuse', 'reflectance': rgb(.05, .04, .03)}, flat=True)
    # a bright overcast day, brighter from the left
    y = (np.arange(32)[:, None] + .5) / 32
    up = np.cos(y * np.pi) + np.zeros((32, 64))
    sky = np.where(up > 0, .55 + .8 * up, .16)[..., None] * np.array([.97, 1.0, 1.05])
    d['sky'] = {'type': 'envmap', 'bitmap': mi.Bitmap(sky.astype(np.float32)), 'scale': 1.0}
    d['cloud'] = {'type': 'rectangle', 'to_world': T().look_at(origin=[-60, 75, 75], target=[0, 8, 0], up=[0, 1, 0]) @ T().scale([22, 22, 1]),
                  'emitter': {'type': 'area', 'radiance': rgb(14, 13.6, 12.8)}}
    return d


if __name__ == '__main__':
    run('group', build, spp=48, clamp=12)
