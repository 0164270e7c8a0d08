"""A photograph of a person: pose and gaze, light, lens, and the developed picture.

Light below the skin: irradiance is measured at the visible vertices, spread along the surface by heat diffusion with a
width for each channel, and shown as emission; a glossy coat is path-traced on top. So skin is nearly free of noise, and so is cloth.
"""

import tempfile
import time

import numpy as np

from . import strands
from .body import LANDMARKS
from .light import background, envmap
from .maths import rot, sstep, unit, vnormals
from .skin import tone_rgb
from .transport import GLOWING, bake, bitmap, diffuse_on_mesh, loaded, looking, mesh, panel, rgb, traced

CLOTHS = np.array(
    [
        [0.55, 0.55, 0.53], [0.05, 0.07, 0.14], [0.02, 0.02, 0.022], [0.35, 0.06, 0.05], [0.12, 0.20, 0.16],
        [0.25, 0.30, 0.42], [0.42, 0.34, 0.22], [0.5, 0.42, 0.44], [0.08, 0.16, 0.30], [0.65, 0.64, 0.60],
    ]
)  # fmt: skip


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

    def project(self, p, size):
        W, H = size
        scale = H / 2 / np.tan(np.radians(self.fov / 2))
        d = p - self.at
        depth = d @ self.forward
        return [round(float(W / 2 + scale * (d @ self.right) / depth), 2), round(float(H / 2 - scale * (d @ self.up) / depth), 2)]

    def sensor(self, size, focus):
        return {
            "type": "thinlens", "fov": self.fov, "fov_axis": "y", "aperture_radius": self.aperture,
            "focus_distance": focus, "to_world": looking(self.at, self.target),
            "film": {"type": "hdrfilm", "width": size[0], "height": size[1], "pixel_format": "rgb"},
        }  # fmt: skip


def lit(r, kind, target):
    """Sky or room and lamps around the target as scene entries, and the first lamp's colour."""
    sky, lamps = envmap(kind, r)
    scene = {"sky": {"type": "envmap", "bitmap": bitmap(sky), "scale": 1.0}}
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


# The number of a set of curves is compiled in (transport.py). Hair has as many for its cut; brows are filled up to so many.
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


def around_eyes(pupils, size):
    """The window (left, top, width, height) in which both eyes lie, inside the picture; None where there is none to speak of."""
    (left, top), (right, bottom) = np.min(pupils, 0), np.max(pupils, 0)
    margin = 0.3 * np.hypot(right - left, bottom - top) + size[1] / 40
    low = np.clip(np.floor([left - margin, top - margin]), 0, size).astype(int)
    high = np.clip(np.ceil([right + margin, bottom + margin]), 0, size).astype(int)
    width, height = high - low
    return (*low.tolist(), int(width), int(height)) if min(width, height) >= 8 else None


class Posed:
    """A person before the camera: `P` and `N` of the skin, relief and all, in dm; where both eyes look; cloth."""

    def __init__(self, person, pose, camera):
        self.person, self.pose, self.camera = person, pose, camera
        self.gazes = [pose.gaze(centre, camera.at) for centre, _, _ in person.eyes]
        person.keep_lids_off(self.gazes)
        relief = vnormals(person.P, person.Q) * person.relief[:, None]
        self.P = pose(person.P + relief, person.P)
        self.N = vnormals(self.P, person.Q)
        self.bare = person.Q[np.repeat(person.bare, 4)]
        self.cloth = [(pose(S), q, name) for S, q, name in person.cloth]

    def landmarks(self):
        """By name, (3,) each."""
        person = self.person
        named = {name: self.P[np.argmin(((person.neutral - np.array(at)) ** 2).sum(1))] for name, at in LANDMARKS.items()}
        for (centre, radius, _), gaze, name in zip(person.eyes, self.gazes, ("left_pupil", "right_pupil")):
            named[name] = self.pose((centre + gaze * radius)[None])[0]
        return named

    def faces_camera(self, P, N):
        return (N * unit(self.camera.at - P)).sum(1) > -0.25

    def seen(self):
        """The bare skin's coarse vertices that the camera may see."""
        vertices = np.unique(self.person.Q2[self.person.bare])
        return vertices[self.faces_camera(self.P, self.N)[vertices]]

    def focus(self):
        """How far the camera is from the eyes' front."""
        return float(np.linalg.norm(self.camera.at - self.pose(self.person.eyes[0][0][None])[0]) - 0.2)


def eyes_and_mouth_in(scene, posed):
    wet = {"type": "principled", "roughness": 0.06, "specular": 0.22, "base_color": {"type": "mesh_attribute", "name": "vertex_color"}}
    for i, gaze in enumerate(posed.gazes):
        S, q, colour = posed.person.eyeball(i, gaze)
        S = posed.pose(S)
        scene[f"eye{i}"] = mesh(f"eye{i}", S, q, vnormals(S, q), wet, {"color": colour})
    for i, (S, q, name) in enumerate(posed.person.mouth):
        S = posed.pose(S)
        colour = [0.62, 0.56, 0.46] if "teeth" in name else [0.35, 0.12, 0.11]
        enamel = {"type": "twosided", "b": {"type": "roughplastic", "alpha": 0.12, "diffuse_reflectance": rgb(colour)}}
        scene[f"mouth{i}"] = mesh(f"mouth{i}", S, q, vnormals(S, q), enamel)


def cloth_in(scene, posed, fabric):
    for i, (S, q, name) in enumerate(posed.cloth):
        weave = {"type": "twosided", "b": {"type": "diffuse", "reflectance": rgb(fabric[name])}}
        scene[f"cloth{i}"] = mesh(f"cloth{i}", S, q, vnormals(S, q), weave)


BAKED_PATHS = 16  # a vertex
SPREAD_IN_SHIRT, SPREAD_IN_THIN = 0.10, 0.03  # dm; collars and hats are thin, and dark inside


def light_on(whole, posed):
    """Irradiance / pi on the skin's coarse vertices and on those of each piece of cloth, (n, 3) each; nought where it is not seen."""
    surfaces = [(posed.P, posed.N, posed.seen())]
    for S, q, _ in posed.cloth:
        N = vnormals(S, q)
        worn = np.unique(q)
        surfaces.append((S, N, worn[posed.faces_camera(S, N)[worn]]))
    light = bake(whole, *(np.concatenate([s[k][s[2]] for s in surfaces]) for k in (0, 1)), BAKED_PATHS)
    lit, done = [], 0
    for P, _, use in surfaces:
        on = np.zeros((len(P), 3))
        on[use] = light[done : done + len(use)]
        done += len(use)
        lit.append(on)
    return lit[0][: posed.person.n2], lit[1:]


def spread_below(posed, on_skin, on_cloth):
    """Light as it leaves the skin's fine vertices again, coloured, and those of cloth, uncoloured: red goes farthest, and farther in pale
    skin."""
    person = posed.person
    pale = 0.8 + 0.4 * (1 - person.who["tone"])
    widths = [0.055 * pale, 0.026 * pale, 0.016 * pale]
    skin = diffuse_on_mesh(on_skin, posed.P[: person.n2], person.Q2[person.bare], widths)
    spread = [SPREAD_IN_SHIRT] + [SPREAD_IN_THIN] * (len(posed.cloth) - 1)
    cloth = [diffuse_on_mesh(on, S, q, [width] * 3) for on, (S, q, _), width in zip(on_cloth, posed.cloth, spread)]
    return np.maximum(person.base.step[2] @ skin, 0) * person.albedo, cloth


def coat(roughness):
    return {"type": "principled", "base_color": rgb([0, 0, 0]), "specular": 0.28, "roughness": roughness}


def glowing_in(scene, posed, glow, on_cloth, fabric):
    """Skin and cloth as they are photographed: what they give back of the light, and the skin's gloss on top."""
    gloss = {"type": "blendbsdf", "weight": {"type": "mesh_attribute", "name": "vertex_gloss"}, "a": coat(0.52), "b": coat(0.30)}
    scene["skin"] = mesh("skin", posed.P, posed.bare, posed.N, gloss, {"glow": glow, "gloss": posed.person.gloss}, GLOWING)
    for i, (on, (S, q, name)) in enumerate(zip(on_cloth, posed.cloth)):
        # Seen from behind, light meets it on its way.
        front, back = ({"type": "diffuse", "reflectance": rgb(c)} for c in ([0, 0, 0], fabric[name]))
        sheet = {"type": "twosided", "front": front, "back": back}
        scene[f"cloth{i}"] = mesh(f"cloth{i}", S, q, vnormals(S, q), sheet, {"glow": on * fabric[name]}, GLOWING)


def backdrop(camera, far, size):
    """A picture (h, w, 3), in the scene's light, that stands behind everything."""
    depth = 30.0
    half = depth * np.tan(np.radians(camera.fov / 2)) * 1.06
    card = {"type": "bitmap", "bitmap": bitmap(np.maximum(far, 0)), "raw": True}
    there = camera.at + camera.forward * depth
    return panel("backdrop", there, camera.at, [half * size[0] / size[1], half], {"radiance": card, "sampling_weight": 0.0}, [0, 1, 0])


KINDS = {"overcast": 0.24, "window": 0.26, "lamp": 0.15, "studio": 0.18, "sun": 0.13, "flash": 0.04}


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
    kind = str(r.choice(list(KINDS), p=list(KINDS.values())))
    scene, lamp = lit(r, kind, camera.target)
    posed = Posed(person, pose, camera)
    eyes_and_mouth_in(scene, posed)
    fabric = {"shirt": CLOTHS[r.integers(len(CLOTHS))], "hat": CLOTHS[r.integers(len(CLOTHS))]}
    cloth_in(scene, posed, fabric)

    with tempfile.TemporaryDirectory() as folder:
        strands_in(scene, person, pose, folder, r)
        coloured = {"type": "diffuse", "reflectance": {"type": "mesh_attribute", "name": "vertex_color"}}
        skin = mesh("skin", posed.P, posed.bare, posed.N, coloured, {"color": person.albedo})
        whole = loaded(scene | {"skin": skin})
        clock.append(time.time())
        light = light_on(whole, posed)
        clock.append(time.time())
        glow, on_cloth = spread_below(posed, *light)
        landmarks = posed.landmarks()
        # Exposure comes from the skin itself.
        middle = np.linalg.norm(posed.P - landmarks["nose_tip"], axis=1) < 0.6
        brightness = np.percentile(glow[middle] @ [0.3, 0.6, 0.1], [50, 90]).mean() * 0.82 + 1e-6
        exposure = (0.03 + 0.42 * float(tone_rgb(np.array(who["tone"])).mean())) * r.uniform(0.75, 1.2) / brightness
        balance = (lamp / lamp.mean()) ** -r.uniform(0.45, 0.95)
        far = background(kind, r, size[1] // 2, size[0] // 2) * r.uniform(0.5, 1.3) / (exposure * balance)

        glowing_in(scene, posed, glow, on_cloth, fabric)
        scene["backdrop"] = backdrop(camera, far, size)
        scene["sensor"] = camera.sensor(size, posed.focus())
        scene["integrator"] = {"type": "path", "max_depth": 6, "rr_depth": 3}
        whole = loaded(scene)
        clock.append(time.time())
        seed = (who["seed"] * 31 + view) % 100000
        linear = traced(whole, (0, 0, *size), size, samples, seed)
        pupils = [camera.project(landmarks[name], size) for name in ("left_pupil", "right_pupil")]
        window = around_eyes(pupils, size) if eye_samples else None
        if window:
            x, y, width, height = window
            part = linear[y : y + height, x : x + width]
            part += (traced(whole, window, size, eye_samples, seed + 50000) - part) * (eye_samples / (samples + eye_samples))
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
