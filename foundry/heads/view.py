"""A photograph of a person: pose and gaze, light, lens, and the developed picture.

Light below the skin: irradiance is measured at the visible vertices, spread along the surface by heat diffusion with a
width for each channel, and shown as emission; a glossy coat is path-traced on top. So skin is nearly free of noise.
"""

import os
import tempfile
import time

import numpy as np
import scipy.sparse as sp
from scipy.sparse.linalg import cg

os.environ.setdefault("DRJIT_LIBLLVM_PATH", "/usr/lib/x86_64-linux-gnu/libLLVM.so.19.1")  # Debian's libllvm19
import mitsuba as mi

mi.set_variant("llvm_ad_rgb")
import drjit as dr

from . import strands
from .body import LANDMARKS
from .clothes import edges_of
from .light import background, envmap
from .maths import rot, sstep, unit, vnormals
from .skin import tone_rgb

T4 = mi.ScalarTransform4f
CLOTHS = np.array(
    [
        [0.55, 0.55, 0.53], [0.05, 0.07, 0.14], [0.02, 0.02, 0.022], [0.35, 0.06, 0.05], [0.12, 0.20, 0.16],
        [0.25, 0.30, 0.42], [0.42, 0.34, 0.22], [0.5, 0.42, 0.44], [0.08, 0.16, 0.30], [0.65, 0.64, 0.60],
    ]
)  # fmt: skip


def rgb(c):
    return {"type": "rgb", "value": [float(x) for x in c]}


GLOWING = {"radiance": {"type": "mesh_attribute", "name": "vertex_glow"}, "sampling_weight": 0.0}


def mesh(name, P, Q, N, bsdf, attrs=None, emitter=None, uv=None):
    tri = np.concatenate([Q[:, [0, 1, 2]], Q[:, [0, 2, 3]]]).astype(np.uint32)
    pr = mi.Properties()
    pr["bsdf"] = mi.load_dict(bsdf)
    if emitter:
        pr["emitter"] = mi.load_dict({"type": "area", **emitter})
    m = mi.Mesh(name, len(P), len(tri), has_vertex_normals=True, has_vertex_texcoords=uv is not None, props=pr)
    for k, a in (attrs or {}).items():
        m.add_attribute("vertex_" + k, 1 if a.ndim == 1 else 3, a.astype(np.float32).ravel())
    p = mi.traverse(m)
    p["vertex_positions"] = P.astype(np.float32).ravel()
    p["vertex_normals"] = N.astype(np.float32).ravel()
    p["faces"] = tri.ravel()
    if uv is not None:
        p["vertex_texcoords"] = uv.astype(np.float32).ravel()
    p.update()
    dr.eval(p["vertex_positions"], p["faces"])
    dr.sync_thread()  # Embree reads these buffers directly
    return m


def panel(name, at, towards, half, emitter, up=(0, 1, 0.01)):
    """A flat light that shines towards a place; `half` its width and height. The renderer's own rectangle is compiled in where it stands."""
    facing = T4().look_at(origin=list(at), target=list(towards), up=list(up)) @ T4().scale([*half, 1])
    corners = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]])
    turned = np.array(facing.matrix).reshape(4, 4)
    P = np.c_[corners, np.zeros(4), np.ones(4)] @ turned[:3].T
    N = np.repeat(unit(turned[None, :3, 2]), 4, 0)
    black = {"type": "diffuse", "reflectance": rgb([0, 0, 0])}
    return mesh(name, P, np.array([[0, 1, 2, 3]]), N, black, emitter=emitter, uv=(corners + 1) / 2)


def own(points):
    """Points (n, d) in the renderer's memory. Where numpy's is only lent to it, how that lies is compiled into its program."""
    zero = dr.opaque(mi.Float, 0)
    columns = [mi.Float(np.ascontiguousarray(column, np.float32)) + zero for column in points.T]
    dr.eval(columns)
    return columns


def bake(scene, P, N, spp, depth=2):
    """irradiance/pi at points: direct by emitter sampling + indirect by path tracing"""
    integ = mi.load_dict({"type": "path", "max_depth": depth, "hide_emitters": True})
    n = len(P)
    E = np.zeros((n, 3))
    p, nn = mi.Point3f(own(P + 0.004 * N)), mi.Normal3f(own(N))
    fr = mi.Frame3f(nn)
    smp = mi.load_dict({"type": "independent", "sample_count": 1})
    smp.seed(1, n)
    r0 = smp.next_2d()
    r1 = smp.next_2d()
    dr.eval(r0, r1)
    frac = lambda v: v - dr.floor(v)
    for k in range(spp):
        o = lambda x: dr.opaque(mi.Float, x % 1)  # opaque: keeps the kernel the same for every k
        u = frac(r0 + mi.Point2f(o(k * 0.7548776662), o(k * 0.5698402910)))
        v = frac(r1 + mi.Point2f(o(k // 3 * 0.7548776662), o(k // 3 * 0.5698402910)))
        smp.seed(k + 2, n)
        si = dr.zeros(mi.SurfaceInteraction3f, n)
        si.p = p
        si.n = nn
        si.sh_frame = fr
        si.t = 0
        ds, w = scene.sample_emitter_direction(si, u, True)
        L = w * dr.maximum(0, dr.dot(ds.d, nn)) / dr.pi
        if k % 3 == 0:
            d = fr.to_world(mi.warp.square_to_cosine_hemisphere(v))
            Li, _, _ = integ.sample(scene, smp, mi.RayDifferential3f(mi.Ray3f(p, d)), None, True)
            L += 3 * mi.Color3f(Li)
        dr.eval(L)  # before it becomes one array, whose size would be compiled in
        E += np.array(L).T
    return E / spp


def diffuse_on_mesh(E, P, Q, widths):
    """subsurface: heat diffusion of irradiance along the surface, one width (dm) per channel"""
    e = np.unique(np.sort(np.stack([Q, np.roll(Q, -1, 1)], -1).reshape(-1, 2), 1), axis=0)
    n = len(P)
    l = np.maximum(np.linalg.norm(P[e[:, 0]] - P[e[:, 1]], axis=1), 1e-3)
    deg = np.bincount(e.ravel(), np.concatenate([l, l]).reshape(2, -1).T.ravel(), n) / np.maximum(
        np.bincount(e.ravel(), None, n), 1
    )
    w = 0.5 / l**2
    W = sp.csr_matrix(
        (np.concatenate([w, w]), (np.concatenate([e[:, 0], e[:, 1]]), np.concatenate([e[:, 1], e[:, 0]]))),
        (n, n),
    )
    Lap = sp.diags(np.asarray(W.sum(1)).ravel()) - W
    out = E.copy()
    for c in range(3):
        A = sp.identity(n) + widths[c] ** 2 * Lap
        D = sp.diags(1 / A.diagonal())
        out[:, c] = cg(A, E[:, c], x0=E[:, c], rtol=1e-2, maxiter=20, M=D)[0]
    return np.maximum(out, 0)


class Pose:
    """Head turned on the neck, body turned as a whole, both eyes on something; all in degrees."""

    PIVOT = np.array([0, 6.35, 0.35])

    def __init__(self, r):
        self.yaw, self.pitch, self.roll = (
            np.clip(r.normal(0, 14), -32, 32),
            np.clip(r.normal(0, 6), -12, 11),
            r.normal(0, 4),
        )
        self.body = np.clip(r.normal(0, 14), -38 - self.yaw, 38 - self.yaw)
        self.RB = rot(1, self.body)
        self.RH = rot(1, self.yaw) @ rot(0, self.pitch) @ rot(2, self.roll)
        self.off = r.normal(0, 0.10, 3) if r.random() < 0.3 else r.normal(0, 0.02, 3)
        self.ahead = r.choice([0, r.uniform(0.1, 0.7)])  # 0: looks at the camera, 1: straight ahead

    def __call__(self, p, of=None):
        """Moves points; `of` says where on the body they belong, if not where they are."""
        of = p if of is None else of
        share = sstep(5.75, 6.55, of[..., 1] + 0.5 * (of[..., 2] - 0.3))[..., None]
        local = p - self.PIVOT
        return (local @ self.RH.T * share + local * (1 - share)) @ self.RB.T + self.PIVOT

    def gaze(self, centre, camera):
        """Where an eye looks, in the unposed head's frame."""
        back = np.linalg.inv(self.RB @ self.RH)
        at = unit(camera - self(centre[None])[0]) + self.off
        g = unit(back @ unit(at) * (1 - self.ahead) + self.ahead * np.array([0, 0, 1.0]))
        across = np.radians(np.clip(np.degrees(np.arctan2(g[0], g[2])), -24, 24))
        up = np.radians(np.clip(np.degrees(np.arcsin(g[1])), -7, 7))
        return np.array([np.sin(across) * np.cos(up), np.sin(up), np.cos(across) * np.cos(up)])


class Camera:
    """At about head height, framing the head; `height` of the frame in dm at the face."""

    def __init__(self, r, pose):
        lens, height = r.uniform(50, 85), r.uniform(3.0, 3.6)
        distance = max(height / 2 / (18 / lens), 7.5)
        self.fov = float(np.degrees(2 * np.arctan(height / 2 / distance)))
        rise = np.radians(np.clip(r.normal(2, 5), -8, 12))
        head = pose(np.array([[0, 7.2, 0.55]]))[0]
        self.target = head + np.array([r.normal(0, 0.06), -height * 0.06 + r.normal(0, 0.05), 0])
        self.at = self.target + distance * np.array([0, np.sin(rise), np.cos(rise)])
        self.forward = unit(self.target - self.at)
        self.right = unit(np.cross(self.forward, [0, 1, 0]))
        self.up = np.cross(self.right, self.forward)
        self.aperture = float(r.uniform(0.03, 0.12))

    def looking(self):
        return T4().look_at(origin=self.at.tolist(), target=self.target.tolist(), up=[0, 1, 0])

    def project(self, p, size):
        W, H = size
        scale = H / 2 / np.tan(np.radians(self.fov / 2))
        d = p - self.at
        depth = d @ self.forward
        return [round(float(W / 2 + scale * (d @ self.right) / depth), 2), round(float(H / 2 - scale * (d @ self.up) / depth), 2)]

    def sensor(self, size, focus):
        return {
            "type": "thinlens", "fov": self.fov, "fov_axis": "y", "aperture_radius": self.aperture,
            "focus_distance": focus, "to_world": self.looking(),
            "film": {"type": "hdrfilm", "width": size[0], "height": size[1], "pixel_format": "rgb"},
        }  # fmt: skip


def lit(r, kind, target):
    """Sky or room and lamps around the target as scene entries, and the first lamp's colour."""
    sky, lamps = envmap(kind, r)
    scene = {"sky": {"type": "envmap", "bitmap": mi.Bitmap(sky.astype(np.float32)), "scale": 1.0}}
    head = target + [0, 0.3, 0]
    for i, (direction, size, radiance) in enumerate(lamps):
        place = head + 9 * unit(np.array(direction, float))
        scene[f"lamp{i}"] = panel(f"lamp{i}", place, head, [9 * size / 2.2] * 2, {"radiance": rgb(radiance)})
    return scene, np.array(lamps[0][2])


def strand_colour(who, pigment, name):
    """Diffuse colour of strands; grey takes the pigment out of all but the lashes."""
    grey = who["grey"] * (name != "lash")
    eumelanin = max(who["melanin"] * pigment * (1 - 0.9 * grey), {"lash": 3.0, "brow": 0.8}.get(name, 0.05))
    colour = np.array([0.62, 0.44, 0.27]) * np.exp(-1.2 * eumelanin * np.array([0.75, 0.92, 1.1]))
    colour = np.maximum(colour * np.exp(-who["pheo"] * np.array([0.1, 0.6, 1.2])), 0.006)
    return colour * (1 - grey) + grey * np.array([0.42, 0.41, 0.40]) * (0.6 + 0.4 / pigment)


# The renderer compiles the number of a set of curves into its program, which takes a third of a picture's time: a program made before is
# found again if the numbers are the same. Hair has as many for its cut; brows are filled up to so many.
BROWS = 700


def strands_in(scene, person, pose, folder, r):
    """Hair, brows, lashes and beard as curves; scalp hair in three shades."""
    for i, (S, radius, pigment, name) in enumerate(person.hair):
        posed = pose(S.reshape(-1, 3)).reshape(S.shape)
        shades = (0.8, 1.0, 1.3) if name == "hair" else (1.0,)
        shuffled = np.argsort(r.integers(0, len(shades), len(S)), kind="stable")
        for j, (shade, which) in enumerate(zip(shades, np.array_split(shuffled, len(shades)))):
            path = f"{folder}/{i}-{j}.txt"
            strands.write(path, posed[which], radius, r, least=BROWS if name == "brow" else 0)
            colour = strand_colour(person.who, pigment * shade, name)
            fibre = {"type": "principled", "base_color": rgb(colour), "roughness": 0.45, "specular": 0.22}
            scene[f"strands{i}x{j}"] = {"type": "bsplinecurve", "filename": path, "bsdf": fibre}
    metal = [[0.02, 0.02, 0.02], [0.09, 0.035, 0.015], [0.25, 0.18, 0.08]][r.integers(3)]
    for i, line in enumerate(person.frames):
        path = f"{folder}/frame{i}.txt"
        strands.write(path, pose(line)[None], 0.016)
        shine = {"type": "principled", "base_color": rgb(metal), "roughness": 0.2, "specular": 0.6}
        scene[f"frame{i}"] = {"type": "bsplinecurve", "filename": path, "bsdf": shine}


# Of one pass: with more at once than some five million, the renderer's curves crash. A picture of the usual size is one pass.
MOST_PATHS = 4e6
PIXEL = 0.45  # px, standard deviation of the Gaussian that a pixel sees


def traced(scene, window, size, samples, seed):
    """The linear picture (h, w, 3) in a window (left, top, w, h) of the scene's picture of (W, H), so many paths a pixel.

    One compiled program for any window: paths go where the pixel's Gaussian sends them (Ernst, Stamminger and Greiner, Filter importance
    sampling, 2006), and their mean is the pixel.
    """
    left, top, w, h = window
    sensor, integrator = scene.sensors()[0], scene.integrator()
    sampler = mi.load_dict({"type": "independent", "sample_count": 1})
    rng = np.random.default_rng(seed)
    rows, columns = np.divmod(np.arange(w * h), w)
    centres = np.stack([columns + left, rows + top], 1) + 0.5
    at_once = max(1, int(MOST_PATHS / (w * h)))
    total = np.zeros((w * h, 3))
    for done in range(0, samples, at_once):
        count = min(at_once, samples - done)
        places = np.repeat(centres, count, 0)
        places += rng.normal(0, PIXEL, places.shape)
        sampler.seed(seed + 100000 * done, len(places))
        film = mi.Point2f(own(places / size))
        ray, weight = sensor.sample_ray(0, sampler.next_1d(), film, sampler.next_2d())
        light = weight * mi.Color3f(integrator.sample(scene, sampler, mi.RayDifferential3f(ray), None, True)[0])
        dr.eval(light)
        total += np.nan_to_num(np.array(light).T).reshape(-1, count, 3).sum(1)
    return (total / samples).reshape(h, w, 3)


def around_eyes(pupils, size):
    """The window (left, top, width, height) in which both eyes lie, inside the picture; None where there is none to speak of."""
    (left, top), (right, bottom) = np.min(pupils, 0), np.max(pupils, 0)
    margin = 0.3 * np.hypot(right - left, bottom - top) + size[1] / 40
    low = np.clip(np.floor([left - margin, top - margin]), 0, size).astype(int)
    high = np.clip(np.ceil([right + margin, bottom + margin]), 0, size).astype(int)
    width, height = high - low
    return (*low.tolist(), int(width), int(height)) if min(width, height) >= 8 else None


def photograph(person, view, size, samples, eye_samples=0):
    """The view-th picture of a person: uint8 RGB of (H, W, 3), and what is known of it.

    Landmarks are in pixels of the picture, hidden ones included. With `eye_samples`, so many further paths a pixel go where
    the eyes are: wet and small, they are the noisiest part of a face and the one that matters most.
    """
    who = person.who
    r = np.random.default_rng([who["seed"], view, 77])
    clock = [time.time()]
    pose = Pose(r)
    camera = Camera(r, pose)
    kinds, odds = ["overcast", "window", "lamp", "studio", "sun", "flash"], [0.24, 0.26, 0.15, 0.18, 0.13, 0.04]
    kind = str(r.choice(kinds, p=odds))
    scene, lamp = lit(r, kind, camera.target)

    gazes = [pose.gaze(c, camera.at) for c, _, _ in person.eyes]
    person.keep_lids_off(gazes)
    N0 = vnormals(person.P, person.Q)
    P = pose(person.P + N0 * person.relief[:, None], person.P)
    N = vnormals(P, person.Q)
    n2 = person.n2
    for i, gaze in enumerate(gazes):
        S, q, colour = person.eyeball(i, gaze)
        S = pose(S)
        wet = {"type": "principled", "roughness": 0.06, "specular": 0.22, "base_color": {"type": "mesh_attribute", "name": "vertex_color"}}
        scene[f"eye{i}"] = mesh(f"eye{i}", S, q, vnormals(S, q), wet, {"color": colour})
    for i, (S, q, name) in enumerate(person.mouth):
        S = pose(S)
        colour = [0.62, 0.56, 0.46] if "teeth" in name else [0.35, 0.12, 0.11]
        enamel = {"type": "twosided", "b": {"type": "roughplastic", "alpha": 0.12, "diffuse_reflectance": rgb(colour)}}
        scene[f"mouth{i}"] = mesh(f"mouth{i}", S, q, vnormals(S, q), enamel)
    fabric = {"shirt": CLOTHS[r.integers(len(CLOTHS))], "hat": CLOTHS[r.integers(len(CLOTHS))]}
    cloth = [(pose(S), q, name) for S, q, name in person.cloth]
    for i, (S, q, name) in enumerate(cloth):
        weave = {"type": "twosided", "b": {"type": "diffuse", "reflectance": rgb(fabric[name])}}
        scene[f"cloth{i}"] = mesh(f"cloth{i}", S, q, vnormals(S, q), weave)

    with tempfile.TemporaryDirectory() as folder:
        strands_in(scene, person, pose, folder, r)
        bare = person.Q[np.repeat(person.bare, 4)]
        seen = (vnormals(P, person.Q) * unit(camera.at - P)).sum(1) > -0.25
        use = np.unique(person.Q2[person.bare])
        use = use[seen[use]]
        # First pass: light on the skin and on the shirt, spread below the surface.
        coloured = {"type": "diffuse", "reflectance": {"type": "mesh_attribute", "name": "vertex_color"}}
        first = dict(scene, skin=mesh("skin", P, bare, N, coloured, {"color": person.albedo}))
        dr.sync_thread()
        loaded = mi.load_dict(first)
        clock.append(time.time())
        S, q, _ = cloth[0]
        worn, n = np.unique(q), vnormals(S, q)
        light = bake(loaded, np.r_[P[use], S[worn]], np.r_[N[use], n[worn]], 16)
        clock.append(time.time())
        on_skin = np.zeros((n2, 3))
        on_skin[use] = light[: len(use)]
        pale = 0.8 + 0.4 * (1 - who["tone"])
        on_skin = diffuse_on_mesh(on_skin, P[:n2], person.Q2[person.bare], [0.055 * pale, 0.026 * pale, 0.016 * pale])
        glow = np.maximum(person.base.step[2] @ on_skin, 0) * person.albedo
        on_shirt = np.zeros((len(S), 3))
        on_shirt[worn] = light[len(use) :]
        on_shirt = diffuse_on_mesh(on_shirt, S, q, [0.10] * 3)
        black = {"type": "diffuse", "reflectance": rgb([0, 0, 0])}
        scene["cloth0"] = mesh("cloth0", S, q, n, black, {"glow": on_shirt * fabric["shirt"]}, GLOWING)

        landmarks = {name: P[np.argmin(((person.neutral - np.array(at)) ** 2).sum(1))] for name, at in LANDMARKS.items()}
        for (c, R, _), gaze, name in zip(person.eyes, gazes, ("left_pupil", "right_pupil")):
            landmarks[name] = pose((c + gaze * R)[None])[0]
        # Exposure comes from the skin itself.
        middle = np.linalg.norm(P - landmarks["nose_tip"], axis=1) < 0.6
        brightness = np.percentile(glow[middle] @ [0.3, 0.6, 0.1], [50, 90]).mean() * 0.82 + 1e-6
        exposure = (0.03 + 0.42 * float(tone_rgb(np.array(who["tone"])).mean())) * r.uniform(0.75, 1.2) / brightness
        balance = (lamp / lamp.mean()) ** -r.uniform(0.45, 0.95)
        W, H = size
        far, depth = background(kind, r, H // 2, W // 2) * r.uniform(0.5, 1.3) / (exposure * balance), 30.0
        half = depth * np.tan(np.radians(camera.fov / 2)) * 1.06
        card = {"type": "bitmap", "bitmap": mi.Bitmap(np.maximum(far, 0).astype(np.float32)), "raw": True}
        there = camera.at + camera.forward * depth
        scene["backdrop"] = panel("backdrop", there, camera.at, [half * W / H, half], {"radiance": card, "sampling_weight": 0.0}, [0, 1, 0])

        # Second pass: the skin's glow, its gloss, and everything else.
        def coat(roughness):
            return {"type": "principled", "base_color": rgb([0, 0, 0]), "specular": 0.28, "roughness": roughness}

        gloss = {"type": "blendbsdf", "weight": {"type": "mesh_attribute", "name": "vertex_gloss"}, "a": coat(0.52), "b": coat(0.30)}
        scene["skin"] = mesh("skin", P, bare, N, gloss, {"glow": glow, "gloss": person.gloss}, GLOWING)
        focus = float(np.linalg.norm(camera.at - pose(person.eyes[0][0][None])[0]) - 0.2)
        scene["sensor"] = camera.sensor(size, focus)
        scene["integrator"] = {"type": "path", "max_depth": 6, "rr_depth": 3}
        dr.sync_thread()
        loaded = mi.load_dict(scene)
        lens = mi.traverse(loaded.sensors()[0])
        for name in ("aperture_radius", "focus_distance"):
            lens[name] = lens[name] + dr.opaque(mi.Float, 0)
        lens.update()
        clock.append(time.time())
        seed = (who["seed"] * 31 + view) % 100000
        linear = traced(loaded, (0, 0, *size), size, samples, seed)
        pupils = [camera.project(landmarks[name], size) for name in ("left_pupil", "right_pupil")]
        window = around_eyes(pupils, size) if eye_samples else None
        if window:
            x, y, width, height = window
            part = linear[y : y + height, x : x + width]
            part += (traced(loaded, window, size, eye_samples, seed + 50000) - part) * (eye_samples / (samples + eye_samples))
        clock.append(time.time())
    stages = dict(zip(("scene", "light", "skin", "render"), np.round(np.diff(clock), 1).tolist()))
    facts = dict(
        traits=who, light=kind, yaw=float(pose.yaw + pose.body), pitch=float(pose.pitch), roll=float(pose.roll),
        landmarks={name: camera.project(p, size) for name, p in landmarks.items()}, stages=stages,
    )  # fmt: skip
    return developed(linear * exposure * balance), facts


def developed(linear):
    """Fireflies clamped, highlights rolled off, sRGB in 8 bits."""
    x = np.clip(np.nan_to_num(linear), 0, 6)
    x = np.where(x > 0.6, 0.6 + 0.4 * (1 - np.exp(-(x - 0.6) / 0.4)), x)
    x = np.where(x < 0.0031308, 12.92 * x, 1.055 * np.maximum(x, 1e-9) ** (1 / 2.4) - 0.055)
    return (np.clip(x, 0, 1) * 255 + 0.5).astype(np.uint8)
