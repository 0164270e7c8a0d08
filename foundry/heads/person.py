"""Who it is: random traits from a seed, and the mesh shaped by them."""

import numpy as np

from .maths import sstep
from .mesh import names, target


def traits(seed):
    r = np.random.default_rng(seed)
    T = dict(seed=int(seed))
    T["male"] = float(r.random() < 0.5)
    T["age"] = float(
        np.clip(r.choice([r.normal(32, 9), r.normal(58, 12), r.uniform(9, 17)], p=[0.62, 0.3, 0.08]), 9, 82)
    )
    main = r.integers(3)
    mix = r.dirichlet([0.4] * 3) * 0.45
    mix[main] += 0.55
    T["race"] = mix.tolist()
    tone = mix @ np.array([r.uniform(0.55, 1.0), r.uniform(0.15, 0.5), r.uniform(0, 0.42)])
    T["tone"] = float(tone)
    T["smile"] = float(max(0, r.normal(0.35, 0.35)))
    T["weight"] = float(np.clip(r.normal(0.5, 0.2), 0.1, 0.95))
    pale = mix[2] > 0.6
    T["iris"] = str(
        r.choice(
            ["dark", "brown", "hazel", "green", "blue", "grey"],
            p=[0.1, 0.25, 0.15, 0.12, 0.26, 0.12] if pale else [0.6, 0.38, 0.02, 0, 0, 0],
        )
    )
    old = sstep(38, 75, T["age"])
    T["grey"] = float(np.clip(old * r.uniform(0.2, 1.6) - 0.1, 0, 1))
    T["melanin"] = float(
        r.choice([0.15, 0.3, 0.6, 1.2, 2.5, 4.0], p=[0.12, 0.15, 0.2, 0.25, 0.18, 0.1])
        if pale
        else r.uniform(3, 8)
    )
    T["pheo"] = float(r.choice([0.1, 0.4, 1.3], p=[0.6, 0.28, 0.12]) if pale else 0.1)
    m = T["male"] > 0.5
    adult = T["age"] > 19
    opts = (
        dict(crop=0.4, buzz=0.12, side=0.2, bald=0.13, curly=0.05, cap=0.1)
        if m
        else dict(bob=0.26, long=0.22, tied=0.24, crop=0.08, curly=0.08, scarf=0.12)
    )
    if mix[0] > 0.55:
        opts = (
            dict(buzz=0.35, curly=0.3, bald=0.15, cap=0.2)
            if m
            else dict(curly=0.35, tied=0.35, scarf=0.2, buzz=0.1)
        )
    if not adult and m:
        opts = dict(crop=0.6, side=0.2, cap=0.2)
    k = list(opts)
    p = np.array([opts[x] for x in k])
    T["hair"] = str(r.choice(k, p=p / p.sum()))
    T["beard"] = (
        str(r.choice(["none", "stubble", "moustache", "full", "goatee"], p=[0.42, 0.27, 0.09, 0.15, 0.07]))
        if m and adult
        else "none"
    )
    T["freckles"] = float(max(0, r.normal(-0.1, 0.5)) if pale and tone < 0.3 else 0)
    T["makeup"] = float(0 if m or not adult else r.random() ** 2)
    T["glasses"] = bool(r.random() < 0.15)
    T["shirt"] = str(r.choice(["crew", "vneck", "turtle", "collar"], p=[0.3, 0.2, 0.15, 0.35]))
    return T


def morph(T, base):
    """coarse vertices of the whole base mesh for traits T"""
    r = np.random.default_rng(T["seed"] + 1000)
    V = base.V.copy()

    def add(p, w):
        if abs(w) > 1e-3:
            i, d = target(p)
            V[i] += w * d

    a = T["age"]
    ages = [("child", 10), ("young", 25), ("old", 88)]
    aw = {"child": float(np.interp(a, [10, 25], [1, 0])), "old": float(np.interp(a, [25, 88], [0, 1]))}
    aw["young"] = 1 - aw["child"] - aw["old"]
    sx = np.clip(T["male"] + r.normal(0, 0.12), 0, 1)
    sw = {"male": sx, "female": 1 - sx}
    w = T["weight"]
    ww = {"minweight": max(0, 1 - 2 * w), "averageweight": 1 - abs(2 * w - 1), "maxweight": max(0, 2 * w - 1)}
    for g, x in sw.items():
        for ag, y in aw.items():
            for rc, z in zip(("african", "asian", "caucasian"), T["race"]):
                add("macrodetails/%s-%s-%s" % (rc, g, ag), x * y * z)
            for wg, z in ww.items():
                add("macrodetails/universal-%s-%s-averagemuscle-%s" % (g, ag, wg), x * y * z)
    child = aw["child"]
    for fo, sd, frac in (
        ("head", 0.22, 0.5),
        ("nose", 0.28, 0.7),
        ("mouth", 0.26, 0.7),
        ("eyes", 0.26, 0.6),
        ("eyebrows", 0.3, 0.6),
        ("cheek", 0.3, 0.6),
        ("chin", 0.3, 0.6),
        ("forehead", 0.25, 0.6),
        ("ears", 0.35, 0.5),
        ("neck", 0.2, 0.3),
    ):
        done = set()
        for n in names(fo):
            stem = n[2:] if n[:2] == "r-" else n
            if (
                n[:2] == "l-"
                or "age" in n
                or "trans" in n
                and fo in ("head", "neck", "mouth", "nose")
                or "measure" in n
            ):
                continue
            key = stem.rsplit("-", 1)[0]
            if key in done or "shape" in n and r.random() < 0.7:
                continue
            if r.random() < 0.5:
                continue  # which of the two opposites
            done.add(key)
            if r.random() > frac:
                continue
            x = min(abs(r.normal(0, sd)), 0.6) * 0.85 * (1 - 0.5 * child)
            if n.startswith(("nose-scale", "mouth-scale", "head-scale", "eye-scale")) or "cleft" in n:
                x *= 0.6
            if n[:2] == "r-":
                k = 1 + r.normal(0, 0.08)
                add(fo + "/" + n, x * k)
                add(fo + "/l-" + stem, x / k)
            else:
                add(fo + "/" + n, x)
    for n in r.choice([n for n in names("asym") if "asymm" not in n], 8, False):
        add("asym/" + n, min(abs(r.normal(0, 0.2)), 0.4))
    if a > 45:
        add("head/head-age-incr", sstep(45, 75, a) * 0.5)
        add("mouth/mouth-laugh-lines-in", sstep(40, 70, a) * 0.4)
    rc = ("african", "asian", "caucasian")[int(np.argmax(T["race"]))]
    E = "expression/units/%s/" % rc
    s = min(T["smile"], 0.95)
    add(E + "mouth-corner-puller", s * 0.75)
    for sd in ("left", "right"):
        add(E + "eye-%s-slit" % sd, 0.13 * s + r.uniform(0, 0.08))
        add(E + "eyebrows-%s-up" % sd, r.normal(0.1, 0.12))
    T["open"] = 0.0
    T["lid"] = float(np.clip(r.normal(0.08, 0.06), 0, 0.22))
    for sd in ("left", "right"):
        add(E + "eye-%s-closure" % sd, T["lid"])
    if s > 0.6:
        T["open"] = float(r.uniform(0.04, 0.14))
        add(E + "mouth-part-later", T["open"])
        add(E + "mouth-upward-retraction", 0.12 * s)
    # same head height and eye position for everyone, so that all later measures in dm hold
    eye = lambda A: A[14598:14742].mean(0)
    b = base.N[0]
    top, chin = base.ids[np.argmax(b[:, 1])], base.ids[np.argmin(np.abs(b - [0, 6.2, 1.46]).sum(1))]
    k = np.clip((base.V[top, 1] - base.V[chin, 1]) / (V[top, 1] - V[chin, 1]), 0.75, 1.6)
    return (V - eye(V)) * k + eye(base.V)
