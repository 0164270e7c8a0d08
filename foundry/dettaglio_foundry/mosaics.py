"""How well a camera's mosaic is filled in: by the product, and by the ways of LibRaw, on mosaics made of photographs. Nothing of it ships.

    python -m dettaglio_foundry.mosaics held-out PROGRAM ../docs/demosaicing.md

PROGRAM is the product's command line. Each photograph becomes a raw file, with and without noise, as a sensor would have
seen it that is twice as keen on green as on red; what is made of it is compared with the photograph, in encoded values.
"""

import itertools
import math
import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np
import rawpy
import tifffile
from PIL import Image
from skimage.color import rgb2lab

SEES = np.array([0.5, 1.0, 0.625])  # of white light, by red, green and blue
BLACK, WHITE = 512, 16384
NOISE = (4e-4, 1e-6)  # variance of light: this times light, and this
BORDER = 12
JUST_SEEN = 2.3  # CIELAB distance
STARS = np.array([[1, 0.62, 0.3], [1, 0.8, 0.6], [0.6, 0.75, 1], [1, 1, 1], [0.35, 0.55, 1]])  # linear light

MOSAICS = {
    "RGGB": ["RG", "GB"],
    "BGGR": ["BG", "GR"],
    "GRBG": ["GR", "BG"],
    "GBRG": ["GB", "RG"],
    "6 x 6": ["GBGGRG", "RGRBGB", "GBGGRG", "GRGGBG", "BGBRGR", "GRGGBG"],
}
WAYS = {name: getattr(rawpy.DemosaicAlgorithm, name) for name in ("LINEAR", "VNG", "PPG", "AHD", "DCB", "DHT", "AAHD")}
OF_LARGE_MOSAICS = ("LINEAR", "VNG", "PPG", "AHD")  # the others are for two by two


def to_light(encoded: np.ndarray) -> np.ndarray:
    return np.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** 2.4)


def encoded(light: np.ndarray) -> np.ndarray:
    light = light.clip(0, 1)
    return np.where(light <= 0.0031308, light * 12.92, 1.055 * light ** (1 / 2.4) - 0.055)


def raw_samples(photograph: np.ndarray, pattern: list[str], noisy: bool) -> np.ndarray:
    """(H, W) of 16 bits: the one colour that each pixel sees of a photograph (H, W, 3) in [0, 1]."""
    light = to_light(photograph) * SEES
    if noisy:
        light = light + np.random.default_rng(1).normal(size=light.shape) * np.sqrt(NOISE[0] * light + NOISE[1])
    height, width, _ = light.shape
    colours = np.array([["RGB".index(letter) for letter in row] for row in pattern])
    side = len(pattern)
    which = np.tile(colours, (height // side + 1, width // side + 1))[:height, :width]
    seen = np.take_along_axis(light, which[:, :, None], axis=2)[:, :, 0]
    return np.clip(np.round(seen * (WHITE - BLACK) + BLACK), 0, 65535).astype(np.uint16)


def write_raw(path: Path, samples: np.ndarray, pattern: list[str]) -> None:
    """A DNG, uncompressed; its camera's colours are those of sRGB."""
    to_srgb = np.array([[3.2406, -1.5372, -0.4986], [-0.9689, 1.8758, 0.0415], [0.0557, -0.2040, 1.0570]])
    fractions = lambda values: tuple(part for value in values for part in (round(value * 10_000), 10_000))  # noqa: E731
    letters = bytes("RGB".index(letter) for row in pattern for letter in row)
    tags = [
        (271, "s", 0, "Brina Ottica", True),
        (272, "s", 0, "BO-6", True),
        (33421, "H", 2, (len(pattern), len(pattern)), True),
        (33422, "B", len(letters), letters, True),
        (50706, "B", 4, bytes([1, 4, 0, 0]), True),
        (50708, "s", 0, "Brina Ottica BO-6", True),
        (50714, "H", 1, BLACK, True),
        (50717, "I", 1, WHITE, True),
        (50721, "2i", 9, fractions((to_srgb * SEES[:, None]).ravel()), True),
        (50728, "2I", 3, fractions(SEES), True),
        (50778, "H", 1, 21, True),
    ]
    tifffile.imwrite(
        path, samples, photometric=32803, extratags=tags, rowsperstrip=len(samples), software=None, metadata=None, subfiletype=0
    )


def by_product(program: str, raw: Path) -> np.ndarray:
    made = raw.with_suffix(".tif")
    how = ["--factor", "1", "--model", "nearest", "--depth", "16", "--compression", "none", "--force", "-o", made]
    subprocess.run([program, "enlarge", raw, *how], check=True, capture_output=True)
    return tifffile.imread(made) / 65535


def by_library(raw: Path, way: rawpy.DemosaicAlgorithm) -> np.ndarray:
    with rawpy.imread(str(raw)) as opened:
        made = opened.postprocess(
            demosaic_algorithm=way,
            output_color=rawpy.ColorSpace.raw,
            gamma=(1, 1),
            no_auto_bright=True,
            user_wb=[*(1 / SEES), 1.0],
            user_black=BLACK,
            user_sat=WHITE,
            output_bps=16,
        )
    return encoded(made / 65535)


def measured(made: np.ndarray, truth: np.ndarray) -> tuple[float, float, float]:
    """PSNR in dB; zipper: the share of pixels that come to differ from the neighbour that they resembled most by more than is just seen, or no
    longer do (Lu and Tan, IEEE Transactions on Image Processing 12, 2003); false colour: the 99th percentile of how far a* and b* are off."""
    inner = (slice(BORDER, -BORDER), slice(BORDER, -BORDER))
    psnr = -10 * np.log10(((made - truth)[inner] ** 2).mean())
    lab, due = rgb2lab(made.clip(0, 1)), rgb2lab(truth)
    around = [(dy, dx) for dy in (-1, 0, 1) for dx in (-1, 0, 1) if dy or dx]
    apart = lambda picture, by: np.linalg.norm(picture - np.roll(picture, by, (0, 1)), axis=2)  # noqa: E731
    before, after = (np.stack([apart(picture, by) for by in around]) for picture in (due, lab))
    nearest = before.argmin(0)[None]
    changed = np.take_along_axis(after, nearest, 0) - np.take_along_axis(before, nearest, 0)
    zipper = (np.abs(changed[0][inner]) > JUST_SEEN).mean()
    false_colour = np.percentile(np.linalg.norm((lab - due)[inner][..., 1:], axis=2), 99)
    return float(psnr), float(zipper), float(false_colour)


def starry(sharpness: float) -> tuple[np.ndarray, np.ndarray]:
    """(H, W, 3) encoded: points of light of several colours on a dark sky, as wide as told (standard deviation in pixels), and the middles
    of their windows, (n, 2: down, across)."""
    random = np.random.default_rng(3)
    side, apart = 768, 48
    light = np.full((side, side, 3), 0.004) * [0.9, 0.95, 1.2]
    middles = np.array([(y, x) for y in range(apart // 2, side, apart) for x in range(apart // 2, side, apart)])
    for middle in middles:
        (y, x), flux = middle + random.uniform(0, 1, 2), np.exp(random.uniform(np.log(0.15), np.log(0.8)))
        edges = [(np.arange(-8, 10) + start - at - 0.5) / sharpness / np.sqrt(2) for start, at in zip(middle, (y, x))]
        down, across = (np.diff([math.erf(edge) for edge in some]) / 2 for some in edges)
        window = tuple(slice(start - 8, start + 9) for start in middle)
        peak = min(flux * 2 * np.pi * sharpness**2, 0.8 / np.outer(down, across).max())
        light[window] += peak * np.outer(down, across)[..., None] * STARS[random.integers(len(STARS))]
    return encoded(light), middles


def colour_kept(made: np.ndarray, truth: np.ndarray, middles: np.ndarray) -> tuple[float, float]:
    """Of points of light: how much of the distance of their light's colour from white is left, in the mean (1 is all of it); and by how much the
    shares of red, green and blue are off, summed."""
    kept, off = [], []
    for middle in middles:
        window = tuple(slice(start - 6, start + 7) for start in middle)
        lights = [to_light(picture[window].clip(0, 1)) for picture in (made, truth)]
        shares = []
        for light in lights:
            above = (light - np.median(light.reshape(-1, 3), 0))[3:-3, 3:-3].sum((0, 1))
            shares.append(above / above.sum())
        due = shares[1] - 1 / 3
        off.append(np.abs(shares[0] - shares[1]).sum())
        if np.abs(due).max() > 0.04:
            kept.append(((shares[0] - 1 / 3) @ due) / (due @ due))
    return float(np.mean(kept)), float(np.mean(off))


def star_lines(program: str) -> list[str]:
    said = []
    with tempfile.TemporaryDirectory() as folder:
        raw = Path(folder) / "seen.dng"
        for name, sharpness in itertools.product(("RGGB", "6 x 6"), (0.6, 0.8, 1.1)):
            truth, middles = starry(sharpness)
            write_raw(raw, raw_samples(truth, MOSAICS[name], False), MOSAICS[name])
            ways = {"**Dettaglio**": by_product(program, raw)}
            ways |= {f"LibRaw, {way}": by_library(raw, WAYS[way]) for way in (("AHD", "DHT") if name == "RGGB" else ("AHD",))}
            for way, made in ways.items():
                kept, off = colour_kept(made, truth, middles)
                said.append(f"| {name} | {sharpness} | {way} | {100 * kept:.0f} % | {off:.3f} |")
                print(said[-1], flush=True)
    return said


def photographs(folder: Path) -> list[np.ndarray]:
    paths = sorted(path for part in (".", "fur", "foliage") for path in (folder / part).glob("*.png"))
    return [np.asarray(Image.open(path).convert("RGB")) / 255 for path in paths]


def lines(program: str, pictures: list[np.ndarray], name: str, noisy: bool) -> list[str]:
    """The table's lines of a mosaic, the product's first; a picture that the library refuses is left out of all of them."""
    figures: dict[str, list[tuple[float, float, float]]] = {}
    pattern = MOSAICS[name]
    with tempfile.TemporaryDirectory() as folder:
        raw = Path(folder) / "seen.dng"
        for truth in pictures:
            write_raw(raw, raw_samples(truth, pattern, noisy), pattern)
            try:
                made = {f"LibRaw, {way}": by_library(raw, WAYS[way]) for way in (WAYS if len(pattern) == 2 else OF_LARGE_MOSAICS)}
            except rawpy.LibRawIOError:  # it fills no large mosaic of a small picture
                continue
            for way, picture in {"**Dettaglio**": by_product(program, raw), **made}.items():
                figures.setdefault(way, []).append(measured(picture, truth))
    said = []
    for way, all_of_it in figures.items():
        psnr, zipper, false_colour = np.array(all_of_it).T
        kind = f"{name}{', noise' if noisy else ''}, {len(psnr)} pictures"
        said.append(
            f"| {kind} | {way} | {psnr.mean():.2f} ({psnr.min():.1f}) | {100 * zipper.mean():.1f} % | {false_colour.mean():.1f} |"
        )
        print(said[-1], flush=True)
    return said


def main() -> None:
    folder, program, document = Path(sys.argv[1]), sys.argv[2], Path(sys.argv[3])
    pictures = photographs(folder)
    table = lines(program, pictures, "RGGB", False) + lines(program, pictures, "RGGB", True)
    table += lines(program, pictures, "6 x 6", False) + lines(program, pictures, "6 x 6", True)
    for name in ("BGGR", "GRBG", "GBRG"):
        table += lines(program, pictures[:6], name, False)[:1]
    document.write_text(page(len(pictures), table, star_lines(program)))


def page(pictures: int, table: list[str], stars: list[str]) -> str:
    return f"""# Mosaics filled in, measured

Written by `python -m dettaglio_foundry.mosaics` in the foundry, which tells how.

{pictures} photographs of others, each seen through a mosaic of colour filters, once with noise (some 4 levels in mid tone), and what is made of
it, against the photograph: PSNR in encoded values (the worst picture in brackets); *zipper*, the share of pixels that no longer resemble the
neighbour that they did; *false colour*, by how much CIELAB's a* and b* are off in the worst hundredth of all pixels. LibRaw is a general library
for raw files, with seven ways of its own. The three other orders of two by two: six of the photographs. Of six by six those alone count that the library takes.

| mosaic | filled in by | PSNR, dB | zipper | false colour |
|---|---|--:|--:|--:|
""" + "\n".join(table) + """

## Points of light

Made-up stars on a dark sky, as sharp as a lens makes them (standard deviation in pixels): how much of their light's distance from white is
left, in the mean, and by how much its shares of red, green and blue are off, summed. What a star of 0.6 px has of red and of blue depends on which
pixels it falls on, and nobody can tell: there, little colour is nearer to the truth than a wrong one.

| mosaic | sharpness | filled in by | colour kept | off |
|---|--:|---|--:|--:|
""" + "\n".join(stars) + "\n"


if __name__ == "__main__":
    main()
