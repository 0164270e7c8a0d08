"""Rendered type and line work: signs, emblems, drawings and screens, as sharp as they can be.

Fonts come from Debian packages; those that evaluations use are never trained on.
"""

import glob
import math
import random
import subprocess
import sys
import tempfile
from functools import lru_cache

import numpy as np
from PIL import Image, ImageDraw, ImageFont

FONT_PACKAGES = [
    "fonts-dejavu-core", "fonts-dejavu-extra", "fonts-liberation2", "fonts-freefont-ttf", "fonts-linuxlibertine", "fonts-lato",
    "fonts-comfortaa", "fonts-dosis", "fonts-ebgaramond", "fonts-oldstandard", "fonts-playfair-display", "fonts-quattrocento",
    "fonts-lobster", "fonts-dancingscript", "fonts-courier-prime", "fonts-inconsolata", "fonts-bebas-neue", "fonts-goudybookletter",
    "fonts-vollkorn", "fonts-yanone-kaffeesatz", "fonts-tuffy", "fonts-opendin", "fonts-century-catalogue", "fonts-kristi",
]  # fmt: skip
HELD_OUT_FONT_PACKAGES = ["fonts-cantarell", "fonts-junicode", "fonts-prociono", "fonts-league-spartan", "fonts-lindenhill"]

SUPERSAMPLE = 2
LETTERS = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789&.,:;!?-+/()'\"%"
ACCENTS = "àèéìòùçñäöüßØÅ"


def fetch(out: str, packages: list[str]) -> None:
    """Unpack the packages into `out`; those that this Debian does not have are left out."""
    with tempfile.TemporaryDirectory() as tmp:
        for package in packages:
            if subprocess.run(["apt-get", "download", package], cwd=tmp, capture_output=True).returncode:
                print(f"{package} is not there", file=sys.stderr)
        for deb in glob.glob(f"{tmp}/*.deb"):
            subprocess.run(["dpkg-deb", "-x", deb, out], check=True)
    print(f"{len(files(out))} fonts in {out}")


def files(folder: str) -> list[str]:
    """Font files that hold Latin letters, by path."""
    paths = sorted(glob.glob(f"{folder}/**/*.[to]tf", recursive=True))
    return [path for path in paths if reads_latin(path)]


def reads_latin(path: str) -> bool:
    try:
        font = ImageFont.truetype(path, 24)
        return font.getmask("A").getbbox() != font.getmask("g").getbbox()
    except OSError:
        return False


@lru_cache(maxsize=512)
def font_at(path: str, size: int) -> ImageFont.FreeTypeFont:
    return ImageFont.truetype(path, size)


def words(rng: random.Random) -> str:
    def word() -> str:
        length = rng.choice([1, 2, 3, 4, 5, 6, 7, 8, 9])
        letters = "".join(rng.choice(LETTERS if rng.random() < 0.95 else ACCENTS) for _ in range(length))
        return rng.choice([letters, letters.upper(), letters.capitalize(), letters.lower()])

    return " ".join(word() for _ in range(rng.choice([1, 2, 3, 5])))


def colour(rng: random.Random) -> tuple[int, int, int]:
    if rng.random() < 0.35:
        return rng.choice([(0, 0, 0), (255, 255, 255), (20, 20, 24), (245, 240, 228)])
    return tuple(rng.randrange(256) for _ in range(3))


def apart(rng: random.Random, ground: tuple[int, int, int]) -> tuple[int, int, int]:
    """A colour that can be read on `ground`."""
    while True:
        ink = colour(rng)
        if abs(sum(ink) - sum(ground)) > 120:
            return ink


def ground_of(side: int, rng: random.Random, photograph: np.ndarray | None) -> tuple[Image.Image, tuple[int, int, int]]:
    """What it is painted on: one colour, a gradient, or a photograph's own patch, flattened."""
    base = colour(rng)
    if photograph is not None and rng.random() < 0.35:
        flattened = Image.fromarray(photograph).resize((side, side), Image.BICUBIC)
        ground = Image.blend(flattened, Image.new("RGB", (side, side), base), rng.uniform(0.3, 0.9))
        return ground, tuple(int(v) for v in np.asarray(ground).mean((0, 1)))
    if rng.random() < 0.3:
        other = tuple(min(255, max(0, v + rng.randrange(-60, 61))) for v in base)
        ramp = Image.linear_gradient("L").rotate(rng.choice([0, 90, 180])).resize((side, side))
        return Image.composite(Image.new("RGB", (side, side), other), Image.new("RGB", (side, side), base), ramp), base
    return Image.new("RGB", (side, side), base), base


def draw_type(canvas: Image.Image, fonts: list[str], rng: random.Random, ground: tuple[int, int, int]) -> None:
    side = canvas.width
    size = int(side * math.exp(rng.uniform(math.log(0.045), math.log(0.6))))
    font = font_at(rng.choice(fonts), max(8, size // 4 * 4))
    layer = Image.new("L", (2 * side, 2 * side), 0)
    pen = ImageDraw.Draw(layer)
    outline = rng.choice([0, 0, 0, 0, max(1, size // 24)])
    y = rng.randrange(-size, size + 1)
    while y < 2 * side:
        pen.text((rng.randrange(-size, side), y), words(rng), fill=255, font=font, stroke_width=outline)
        y += int(size * rng.uniform(1.0, 1.7))
    if rng.random() < 0.6:
        layer = layer.rotate(rng.gauss(0, 6) if rng.random() < 0.7 else rng.uniform(0, 360), Image.BICUBIC)
    corner = side // 2
    layer = layer.crop((corner, corner, corner + side, corner + side))
    canvas.paste(Image.new("RGB", canvas.size, apart(rng, ground)), (0, 0), layer)


def draw_shapes(canvas: Image.Image, rng: random.Random, ground: tuple[int, int, int]) -> None:
    side = canvas.width
    pen = ImageDraw.Draw(canvas)
    at = lambda: rng.uniform(-0.2, 1.2) * side  # noqa: E731
    for _ in range(rng.choice([1, 2, 4, 8])):
        ink, width = apart(rng, ground), max(1, int(side * rng.choice([0.004, 0.008, 0.016, 0.03, 0.06])))
        kind = rng.randrange(5)
        if kind == 0:
            pen.line([at(), at(), at(), at()], fill=ink, width=width)
        elif kind == 1:
            x, y, r = at(), at(), side * rng.uniform(0.03, 0.5)
            pen.ellipse([x - r, y - r, x + r, y + r], fill=rng.choice([None, ink]), outline=ink, width=width)
        elif kind == 2:
            pen.polygon([(at(), at()) for _ in range(rng.choice([3, 4, 5]))], fill=ink)
        elif kind == 3:
            x, y, r = at(), at(), side * rng.uniform(0.1, 0.8)
            pen.arc([x - r, y - r, x + r, y + r], rng.uniform(0, 360), rng.uniform(0, 360), fill=ink, width=width)
        else:
            x, y, step = at(), at(), max(3, int(side * rng.choice([0.015, 0.03, 0.06])))
            for i in range(rng.choice([4, 8, 16])):
                pen.line([x + i * step, y, x + i * step, y + side * 0.4], fill=ink, width=max(1, step // 2))


def render(side: int, fonts: list[str], rng: random.Random, photograph: np.ndarray | None = None) -> np.ndarray:
    """(side, side, 3) uint8 of type or line work, antialiased by supersampling."""
    canvas, ground = ground_of(side * SUPERSAMPLE, rng, photograph)
    if rng.random() < 0.45:
        draw_shapes(canvas, rng, ground)
    if rng.random() < 0.85:
        draw_type(canvas, fonts, rng, ground)
    return np.asarray(canvas.resize((side, side), Image.BOX))


if __name__ == "__main__":
    if len(sys.argv) != 2:
        sys.exit("usage: python -m dettaglio_foundry.lettering FOLDER")
    fetch(sys.argv[1], FONT_PACKAGES)
