"""Fonts to train on, and the held-out subjects that specialised models are scored on.

    python -m dettaglio_foundry.subjects fonts fonts
    python -m dettaglio_foundry.subjects held-out held-out

Each subject is a folder of clean pictures beside the photographs. Where the damage is part of the subject, `given/`
inside it holds the small damaged picture of the same name, which is then enlarged instead of a shrunk copy.
"""

import glob
import random
import shutil
import subprocess
import sys
import tempfile
import zipfile
from pathlib import Path

import numpy as np
import torch
from PIL import Image

from . import lettering, prints, strands
from .degrade import jpeg, shrink
from .photos import load_halved
from .stars import sown

FOLIAGE = ["EveningGlow", "FallenLeaf", "OneStandsOut", "Path"]  # Debian: plasma-workspace-wallpapers
TEXTURES = ["grass", "gravel"]  # PyPI: scikit-image, CC0
SIDE = 480
RENDERED = 6
PRINTS = ["chelsea", "coffee", "motorcycle_left", "Dune", "TwoWings", "LadyBird"]
NIGHT = ["chelsea", "coffee", "motorcycle_left", "Dune", "TwoWings", "Blinds"]
FACTOR = 4
PORTRAITS = range(1001, 1013)  # of heads/kept: people that no model was trained on


def as_tensor(picture: np.ndarray) -> torch.Tensor:
    return torch.from_numpy(picture.copy()).permute(2, 0, 1)[None].float() / 255


def save(picture: torch.Tensor, path: Path) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    Image.fromarray((picture[0].permute(1, 2, 0).clamp(0, 1) * 255).round().byte().numpy()).save(path)


def write_lettering(out: Path, fonts: str) -> None:
    """Every second one was a JPEG on its way."""
    rng = random.Random(101)
    for i in range(RENDERED):
        truth = as_tensor(lettering.render(SIDE, lettering.files(fonts), rng))
        save(truth, out / f"lettering-{i + 1}.png")
        small = (shrink(truth, FACTOR) * 255).round()
        if i % 2:
            small = jpeg(small, rng.randint(60, 90), 2)
        save(small / 255, out / "given" / f"lettering-{i + 1}.png")


def write_strands(out: Path) -> None:
    rng = random.Random(202)
    for i in range(RENDERED):
        save(as_tensor(strands.render(SIDE, rng)), out / f"strands-{i + 1}.png")


def write_foliage(out: Path) -> None:
    out.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as tmp:
        package = "plasma-workspace-wallpapers"
        subprocess.run(["apt-get", "download", package], cwd=tmp, check=True)
        (deb,) = glob.glob(f"{tmp}/{package}_*.deb")
        subprocess.run(["dpkg-deb", "-x", deb, f"{tmp}/unpacked"], check=True)
        for name in FOLIAGE:
            halved = load_halved(f"{tmp}/unpacked/usr/share/wallpapers/{name}/contents/images/2560x1600.jpg")
            middle = halved[-640:, 320:960]  # the ground lies in the lower half
            Image.fromarray(middle).save(out / f"{name}.png")
        pip = [sys.executable, "-m", "pip", "download", "--quiet", "--no-deps", "--dest", tmp, "scikit-image"]
        subprocess.run(pip, check=True)
        (wheel,) = glob.glob(f"{tmp}/*.whl")
        with zipfile.ZipFile(wheel) as archive:
            for name in TEXTURES:
                member = f"skimage/data/{name}.png"
                if member in archive.namelist():
                    archive.extract(member, tmp)
                    Image.open(f"{tmp}/{member}").convert("RGB").save(out / f"{name}.png")


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


def main() -> None:
    if len(sys.argv) != 3 or sys.argv[1] not in ("fonts", "held-out"):
        sys.exit("usage: python -m dettaglio_foundry.subjects (fonts | held-out) FOLDER")
    out = Path(sys.argv[2])
    if sys.argv[1] == "fonts":
        lettering.fetch(str(out), lettering.FONT_PACKAGES)
        return
    with tempfile.TemporaryDirectory() as fonts:
        lettering.fetch(fonts, lettering.HELD_OUT_FONT_PACKAGES)
        write_lettering(out / "lettering", fonts)
    write_strands(out / "fur")
    write_foliage(out / "foliage")
    write_old_prints(out / "prints", out)
    write_night(out / "night", out)
    write_portraits(out / "portrait")


if __name__ == "__main__":
    main()
