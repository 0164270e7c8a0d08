"""Light on its way: shapes and lamps as the renderer takes them, light on surfaces and below them, pictures.

What differs from picture to picture is kept out of the programs that the renderer compiles (sizes, places, the lens), which takes a third
of a picture's time otherwise; a program made before is found again.
"""

import os

import numpy as np
import scipy.sparse as sp
from scipy.sparse.linalg import cg

os.environ.setdefault("DRJIT_LIBLLVM_PATH", "/usr/lib/x86_64-linux-gnu/libLLVM.so.19.1")  # Debian's libllvm19
import mitsuba as mi

mi.set_variant("llvm_ad_rgb")
import drjit as dr

from .maths import unit

T4 = mi.ScalarTransform4f


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
    facing = looking(at, towards, up) @ T4().scale([*half, 1])
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


def loaded(scene):
    """The scene as the renderer has it, ready for `bake`, or for `traced` where it has a sensor."""
    dr.sync_thread()
    whole = mi.load_dict(scene)
    for sensor in whole.sensors():
        # A figure that was computed is read when it is needed; one that was given is compiled in.
        lens = mi.traverse(sensor)
        for name in ("aperture_radius", "focus_distance"):
            lens[name] = lens[name] + dr.opaque(mi.Float, 0)
        lens.update()
    return whole


def bitmap(picture):
    """A linear picture (H, W, 3) as the renderer takes it."""
    return mi.Bitmap(picture.astype(np.float32))


def looking(at, towards, up=(0, 1, 0)):
    """The turn and shift of what stands at a place and faces another."""
    return T4().look_at(origin=list(map(float, at)), target=list(map(float, towards)), up=list(up))
