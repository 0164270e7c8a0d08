"""What models are scored on, and never learn from: photographs, subjects, dark pictures, and crops of photographs as they left the camera.

    python -m dettaglio_foundry.scoring held-out

Photographs lie in the folder itself, each subject in a folder of it. Where the damage is part of the subject, `given/` inside it holds the
small damaged picture of the same name, which is then enlarged instead of a shrunk copy. `native/` holds crops at the size at which a camera
or its owner left them: nobody knows what they should become, but an eye sees what a model makes of them.
"""

import random
import shutil
import sys
import tempfile
from pathlib import Path

import numpy as np
import torch
from PIL import Image

from . import lettering, prints
from .config import Config
from .degrade import jpeg, shrink
from .lessons import Scans
from .likeness import as_text, fingerprint
from .packages import debian, members, wheel
from .photos import APT_ROOTS, HERE, catalogue, file_name, load_halved, load_shrunk, opened, readable
from .stars import sown

MATE = ["Aqua", "Blinds", "Dune", "Garden", "LadyBird", "RainDrops", "TwoWings", "YellowFlower"]  # Debian: mate-backgrounds, halved
WHEELS = {
    "scikit-image": ["skimage/data/chelsea.png", "skimage/data/coffee.png", "skimage/data/motorcycle_left.png"],
    "scikit-learn": ["sklearn/datasets/images/china.jpg", "sklearn/datasets/images/flower.jpg"],
}
FOLIAGE = ["EveningGlow", "FallenLeaf", "OneStandsOut", "Path"]  # Debian: plasma-workspace-wallpapers, halved
TEXTURES = ["grass", "gravel"]  # PyPI: scikit-image, CC0
SIDE = 480
RENDERED = 6
WORN = 40
PRINTS = ["chelsea", "coffee", "motorcycle_left", "Dune", "TwoWings", "LadyBird"]
NIGHT = ["chelsea", "coffee", "motorcycle_left", "Dune", "TwoWings", "Blinds"]
FACTOR = 4
PORTRAITS = range(1001, 1013)  # of heads/kept: people that no model was trained on
CROP = 192  # px of a native photograph: the liveliest square, see `liveliest`


def as_tensor(picture: np.ndarray) -> torch.Tensor:
    return torch.from_numpy(picture.copy()).permute(2, 0, 1)[None].float() / 255


def save(picture: torch.Tensor, path: Path) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    Image.fromarray((picture[0].permute(1, 2, 0).clamp(0, 1) * 255).round().byte().numpy()).save(path)


def fetch_sources(out: Path) -> None:
    """The files themselves, into `out/.sources`: photographs of the sources that are for scoring alone, and those that are held back."""
    sources = out / ".sources"
    if sources.is_dir():
        return
    fresh = out / ".sources.new"
    fresh.mkdir(parents=True, exist_ok=True)
    with debian("mate-backgrounds", fresh) as files:
        for name in MATE:
            shutil.copy(files / f"usr/share/backgrounds/mate/nature/{name}.jpg", fresh)
    with debian("plasma-workspace-wallpapers", fresh) as files:
        for name in FOLIAGE:
            shutil.copy(files / f"usr/share/wallpapers/{name}/contents/images/2560x1600.jpg", fresh / f"{name}.jpg")
    for package, members_of in WHEELS.items():
        with wheel(package) as files:
            for member in members_of:
                shutil.copy(files / member, fresh)
            for name in TEXTURES if package == "scikit-image" else []:
                shutil.copy(files / f"skimage/data/{name}.png", fresh)
    for package in catalogue():
        if not package.hold:
            continue
        with opened(package, out / APT_ROOTS) as files:
            for member in members(files, package.inside):
                name = file_name(member, package)
                if package.wants(member[0]) and package.holds(Path(name)):
                    (fresh / f"{package.name}__{name}").write_bytes(member[1])
    fresh.rename(sources)


def held(sources: Path, package: str) -> list[tuple[str, Path]]:
    """Name and file of what is held back of a package."""
    return [(p.stem.split("__")[-1], p) for p in sorted(sources.glob(f"{package}__*"))]


def write_photographs(out: Path, sources: Path) -> None:
    for name in MATE:
        Image.fromarray(load_halved(sources / f"{name}.jpg")).save(out / f"{name}.png")
    for file in (Path(member).name for members_of in WHEELS.values() for member in members_of):
        shutil.copy(sources / file, out)


def write_lettering(out: Path, fonts: str) -> None:
    """To be enlarged four times and twice. Every second one was a JPEG on its way."""
    rng, of_half = random.Random(101), random.Random(102)
    for i in range(RENDERED):
        truth = as_tensor(lettering.render(SIDE, lettering.files(fonts), rng))
        save(truth, out / f"lettering-{i + 1}.png")
        small = (shrink(truth, FACTOR) * 255).round()
        if i % 2:
            small = jpeg(small, rng.randint(60, 90), 2)
        save(small / 255, out / "given" / f"lettering-{i + 1}.png")
        half = (shrink(truth, 2) * 255).round()
        if i % 2:
            half = jpeg(half, of_half.randint(60, 90), 2)
        save(half / 255, out / "given" / "x2" / f"lettering-{i + 1}.png")


def write_fur(out: Path, sources: Path) -> None:
    """Animals, made smaller as their own sharpness asks; the liveliest part of each."""
    out.mkdir(parents=True, exist_ok=True)
    (package,) = (p for p in catalogue() if p.name == "gcompris-qt-data")
    for name, path in held(sources, package.name):
        Image.fromarray(liveliest(load_shrunk(path, package.divisor), SIDE)).save(out / f"{name}.png")


def write_foliage(out: Path, sources: Path) -> None:
    out.mkdir(parents=True, exist_ok=True)
    for name in FOLIAGE:
        middle = load_halved(sources / f"{name}.jpg")[-640:, 320:960]  # the ground lies in the lower half
        Image.fromarray(middle).save(out / f"{name}.png")
    for name in TEXTURES:
        Image.open(sources / f"{name}.png").convert("RGB").save(out / f"{name}.png")
    for name, path in held(sources, "gnome-backgrounds"):
        Image.fromarray(liveliest(load_halved(path), 640)).save(out / f"{name}.png")


def write_old_prints(out: Path, photographs: Path) -> None:
    """The held-out photographs, faded; and as scans at half the size of that, grained, scratched, screened."""
    rng = random.Random(303)
    state = torch.get_rng_state()
    torch.manual_seed(303)
    for path in (photographs / f"{name}.png" for name in PRINTS):
        picture = np.asarray(Image.open(path).convert("RGB"))
        top, left = ((extent - min(extent, SIDE)) // 4 * 2 for extent in picture.shape[:2])
        picture = picture[top : top + SIDE, left : left + SIDE]
        picture = picture[: picture.shape[0] // 2 * 2, : picture.shape[1] // 2 * 2]
        truth = prints.faded(as_tensor(picture), rng)
        save(truth, out / path.name)
        scan = (prints.scan_of(shrink(truth, 2), rng) * 255).round()
        save(jpeg(scan, rng.randint(80, 95), 2) / 255, out / "given" / path.name)
    torch.set_rng_state(state)


def write_night(out: Path, photographs: Path) -> None:
    """The held-out photographs as dark as at night, with stars or lamps and wires in front."""
    rng = random.Random(404)
    for path in (photographs / f"{name}.png" for name in NIGHT):
        picture = as_tensor(np.asarray(Image.open(path).convert("RGB"))[:SIDE, :SIDE])[0] * rng.uniform(0.15, 0.4)
        for wires in (2, 0):
            picture = sown(picture, rng, 80, wires)
        save(picture[None], out / path.name)


def write_portraits(out: Path) -> None:
    out.mkdir(parents=True, exist_ok=True)
    kept = Path(__file__).parent.parent / "heads" / "kept"
    for seed in PORTRAITS:
        shutil.copy(kept / f"{seed}-0.png", out)


def liveliest(picture: np.ndarray, side: int) -> np.ndarray:
    """The square (or as much of it as there is) with most fine detail, on a coarse grid."""
    grey = picture.astype(np.float32).mean(2)
    detail = np.abs(np.diff(grey, axis=0))[:, 1:] + np.abs(np.diff(grey, axis=1))[1:]
    height, width = (min(side, extent) for extent in picture.shape[:2])
    places = [(y, x) for y in range(0, picture.shape[0] - height + 1, 32) for x in range(0, picture.shape[1] - width + 1, 32)]
    y, x = max(places, key=lambda at: float(np.minimum(detail[at[0] : at[0] + height, at[1] : at[1] + width], 40).mean()))
    return picture[y : y + height, x : x + width]


def write_native(out: Path, sources: Path) -> None:
    """Twenty-four crops of photographs as they are, one a file: from cameras, telephones, web pages."""
    out.mkdir(parents=True, exist_ok=True)
    plain = [(name, sources / f"{name}.jpg") for name in [*MATE, "FallenLeaf", "Path", "OneStandsOut"]]
    plain += [(name, sources / f"{name}.png") for name in ("chelsea", "coffee")]
    animals = [(name, path) for name, path in held(sources, "gcompris-qt-data") if name in ("red_panda", "lemur", "northern_harrier", "sheep")]
    others = [pair for package in ("budgie-backgrounds", "forensics-samples-files", "mvtb-data") for pair in held(sources, package)]
    for name, path in plain + animals + others:
        Image.fromarray(liveliest(np.asarray(readable(path).convert("RGB")), CROP)).save(out / f"{name}.png")


def write_wear(out: Path, pictures: list[Path]) -> None:
    """Forty scans of prints with rendered wear: what is given, what it was before, and which pixels are marked, by kind as red, green and blue."""
    for folder in (out, out / "given", out / "marks"):
        folder.mkdir(parents=True, exist_ok=True)
    rng = random.Random(505)
    state = torch.get_rng_state()
    torch.manual_seed(505)
    scans = Scans(Config.read(str(HERE.parent / "configs" / "wear-finder.toml")), undamaged=0.0)
    for number in range(WORN):
        path = pictures[number % len(pictures)]
        picture = np.asarray(Image.open(path).convert("RGB"))
        height, width = (min(SIDE, extent) // 16 * 16 for extent in picture.shape[:2])
        top, left = (rng.randint(0, extent - kept) for extent, kept in zip(picture.shape[:2], (height, width)))
        sound, marked, masks = scans.one(as_tensor(picture[top : top + height, left : left + width]), rng)
        name = f"{number + 1:02}-{path.stem}.png"
        save(sound, out / name)
        save(scans.coded(marked, rng), out / "given" / name)
        save(masks, out / "marks" / name)
    torch.set_rng_state(state)


def worn_from(out: Path) -> list[Path]:
    """Photographs of all kinds, by name."""
    return sorted([*out.glob("*.png"), *(out / "fur").glob("*.png"), *(out / "foliage").glob("*.png"), *(out / "portrait").glob("*.png")])


def write_fingerprints(sources: Path) -> None:
    """Of every photograph that is scored on; photos.py refuses to learn from whatever shows the same."""
    lines = ["# Fingerprints (likeness.py) of the photographs that models are scored on. Written by scoring.py.\n\n[photographs]\n"]
    for path in sorted(sources.glob("*.*")):
        lines.append(f'"{path.name}" = "{as_text(fingerprint(readable(path)))}"\n')
    (HERE / "scored.toml").write_text("".join(lines))


def main() -> None:
    if len(sys.argv) != 2:
        sys.exit("usage: python -m dettaglio_foundry.scoring FOLDER")
    out = Path(sys.argv[1])
    sources = out / ".sources"
    fetch_sources(out)
    write_fingerprints(sources)
    write_photographs(out, sources)
    with tempfile.TemporaryDirectory() as fonts:
        lettering.fetch(fonts, lettering.HELD_OUT_FONT_PACKAGES)
        write_lettering(out / "lettering", fonts)
    write_fur(out / "fur", sources)
    write_foliage(out / "foliage", sources)
    write_old_prints(out / "prints", out)
    write_night(out / "night", out)
    write_portraits(out / "portrait")
    write_native(out / "native", sources)
    write_wear(out / ".wear", worn_from(out))


if __name__ == "__main__":
    main()
