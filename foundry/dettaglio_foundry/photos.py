"""Photographs: fetched out of packages, shrunk as far as their own sharpness asks, cut into patches.

    python -m dettaglio_foundry.photos photos      # those that models learn from
    python -m dettaglio_foundry.photos held-out    # those that they are scored on

`photographs.toml` names the packages, `scored.toml` the fingerprints of what is scored on: a photograph that shows the same is not learned
from, whatever package it comes in.
"""

import fnmatch
import os
import random
import sys
import tomllib
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import torch
from PIL import Image

from .likeness import alike, fingerprint, from_text
from .packages import Member, debian, members, wheel

Image.MAX_IMAGE_PIXELS = None  # the largest has 37 megapixels
HERE = Path(__file__).parent
SHORTEST_SIDE = 300  # px after shrinking: less is a thumbnail
PICTURES = (".jpg", ".jpeg", ".png", ".webp", ".jxl")
APT_ROOTS = ".apt"  # in the folder of photographs
SHRUNK = ".shrunk"  # likewise: what was shrunk once, as arrays that several runs share in memory

Photograph = list[np.ndarray]  # at one or more sizes, the largest first; (H, W, 3) uint8


@dataclass(frozen=True)
class Package:
    """One of photographs.toml."""

    name: str
    registry: str
    credit: str
    divisor: float
    take: tuple[str, ...]
    leave: tuple[str, ...] = ()
    suite: str | None = None
    version: str | None = None
    inside: str | None = None
    fur: tuple[str, ...] = ()
    foliage: tuple[str, ...] = ()
    hold: tuple[str, ...] = ()

    def wants(self, path: str) -> bool:
        stem = Path(path).stem.split("@2x")[0]
        taken = any(fnmatch.fnmatchcase(path, glob) for glob in self.take) and (self.inside == "edj" or path.lower().endswith(PICTURES))
        return taken and not any(fnmatch.fnmatchcase(stem, glob) for glob in self.leave)

    def holds(self, file: Path) -> bool:
        """Whether a file is kept for scoring."""
        return any(fnmatch.fnmatchcase(file.name, glob) for glob in self.hold)

    def shows(self, file: Path, subject: str) -> bool:
        return any(fnmatch.fnmatchcase(file.name, glob) for glob in getattr(self, subject))


def catalogue() -> list[Package]:
    entries = tomllib.loads((HERE / "photographs.toml").read_text())["package"]
    return [Package(**{k: tuple(v) if isinstance(v, list) else v for k, v in entry.items()}) for entry in entries]


def credits() -> list[str]:
    """One line a source, for the cards."""
    return [f"{p.name} ({'PyPI' if p.registry == 'pypi' else 'Debian'}): {p.credit}" for p in catalogue()]


def scored() -> dict[str, np.ndarray]:
    """The fingerprints of the photographs that models are scored on, by name."""
    return {name: from_text(text) for name, text in tomllib.loads((HERE / "scored.toml").read_text())["photographs"].items()}


def opened(package: Package, roots: Path):
    """The package's files in a folder, as a context."""
    return wheel(package.name, package.version) if package.registry == "pypi" else debian(package.name, roots, package.suite)


def file_name(member: Member, package: Package) -> str:
    """Of a member, so that no two of a package are the same."""
    path = Path(member[0])
    if package.inside == "edj":
        return f"{path.stem}.jpg"
    return "__".join(path.parts[-4:]) if package.inside else path.name


def fetch(out: Path) -> None:
    """Each package's photographs into a folder of its name; what is there already is not fetched again."""
    for package in catalogue():
        folder = out / package.name
        if folder.is_dir():
            continue
        fresh = out / f"{package.name}.new"
        fresh.mkdir(parents=True, exist_ok=True)
        with opened(package, out / APT_ROOTS) as unpacked:
            for member in members(unpacked, package.inside):
                if package.wants(member[0]):
                    (fresh / file_name(member, package)).write_bytes(member[1])
        fresh.rename(folder)
        print(f"{package.name}: {len(os.listdir(folder))} photographs", flush=True)


def readable(path: Path) -> Image.Image:
    if path.suffix == ".jxl":
        import pillow_jxl  # noqa: F401  (registers itself)
    return Image.open(path)


def load_shrunk(path: str | Path, divisor: float) -> np.ndarray:
    """(H, W, 3) uint8, `divisor` times smaller than the file."""
    picture = readable(Path(path)).convert("RGB")
    if divisor == 1:
        return np.asarray(picture)
    return np.asarray(picture.resize((int(picture.width / divisor), int(picture.height / divisor)), Image.BICUBIC))


def load_halved(path: str | Path) -> np.ndarray:
    """At half size: sensor softness and JPEG blocks must not be learned, nor scored, as the truth."""
    return load_shrunk(path, 2)


def once(file: Path, compute: Callable[[], np.ndarray]) -> np.ndarray:
    """What a file holds, mapped from disk; computed and written the first time, whole or not at all."""
    if not file.exists():
        file.parent.mkdir(parents=True, exist_ok=True)
        fresh = file.with_suffix(f".{os.getpid()}")
        with open(fresh, "wb") as out:
            np.save(out, compute())
        fresh.rename(file)
    return np.load(file, mmap_mode="r")


def kept_shrunk(path: Path, divisor: float, kept: Path) -> np.ndarray:
    """As `load_shrunk`, computed once and mapped from disk ever after."""
    return once(kept / f"{path.parent.name}__{path.name}-{divisor:g}.npy", lambda: load_shrunk(path, divisor))


def refused(path: Path, known: list[np.ndarray], kept: Path) -> bool:
    """Whether it shows what one of the known fingerprints does; its own is kept beside the shrunk ones."""
    seen = once(kept / f"{path.parent.name}__{path.name}.seen.npy", lambda: fingerprint(readable(path)))
    return any(alike(seen, bits) for bits in known)


@dataclass(frozen=True)
class Source:
    """The photographs of one package."""

    package: str
    pictures: list[Photograph]

    @property
    def weight(self) -> float:
        """How often it is drawn from: by the root of its area, so that 450 landscapes do not drown 40 corals."""
        return sum(p[0].shape[0] * p[0].shape[1] for p in self.pictures) ** 0.5


def load_all(folder: str | Path, scales: tuple[float, ...] = (1.0,), subject: str | None = None) -> list[Source]:
    """The photographs of all packages in a folder, each shrunk by its package's divisor and each of `scales`; of one subject only, when
    that is given."""
    folder = Path(folder)
    kept, known = folder / SHRUNK, list(scored().values())
    sources = []
    for package in catalogue():
        files = sorted((folder / package.name).glob("*"))
        files = [f for f in files if not package.holds(f) and (subject is None or package.shows(f, subject)) and not refused(f, known, kept)]
        pictures = [[kept_shrunk(f, package.divisor * scale, kept) for scale in scales] for f in files]
        pictures = [p for p in pictures if min(p[0].shape[:2]) >= SHORTEST_SIDE]
        if pictures:
            sources.append(Source(package.name, pictures))
    if not sources:
        raise SystemExit(f"no photographs in {folder}: run `python -m dettaglio_foundry.photos {folder}` first")
    return sources


class PatchSource:
    """Endless random patches, the lively ones preferred: flat sky teaches little."""

    FLAT_BELOW = 8.0  # standard deviation, 8-bit levels
    FLAT_REFUSED = 0.85

    def __init__(self, sources: list[Source], side: int, rng: random.Random):
        """A source is drawn by its weight, of its photographs a large one more often; each of its sizes, as long as it holds a patch,
        equally."""
        self.side, self.rng = side, rng
        self.pictures: list[Photograph] = []
        self.weights: list[float] = []
        for source in sources:
            held = [[size for size in picture if min(size.shape[:2]) >= side] for picture in source.pictures]
            held = [sizes for sizes in held if sizes]
            areas = [sizes[0].shape[0] * sizes[0].shape[1] for sizes in held]
            self.pictures += held
            self.weights += [source.weight * area / sum(areas) for area in areas]

    def patch(self) -> np.ndarray:
        while True:
            (sizes,) = self.rng.choices(self.pictures, self.weights)
            picture = self.rng.choice(sizes) if len(sizes) > 1 else sizes[0]
            y = self.rng.randrange(picture.shape[0] - self.side + 1)
            x = self.rng.randrange(picture.shape[1] - self.side + 1)
            patch = np.asarray(picture[y : y + self.side, x : x + self.side])
            if patch.std() < self.FLAT_BELOW and self.rng.random() < self.FLAT_REFUSED:
                continue
            patch = np.rot90(patch, self.rng.randrange(4))
            return patch[:, ::-1] if self.rng.random() < 0.5 else patch

    def batch(self, count: int) -> torch.Tensor:
        """(count, 3, side, side) float32 in [0, 1]."""
        patches = np.stack([self.patch() for _ in range(count)])
        return torch.from_numpy(patches).permute(0, 3, 1, 2).float() / 255


def one_source(pictures: list[Photograph]) -> list[Source]:
    """Pictures that come from nowhere else: rendered people, a test's."""
    return [Source("", pictures)]


if __name__ == "__main__":
    if len(sys.argv) != 2:
        sys.exit("usage: python -m dettaglio_foundry.photos FOLDER")
    fetch(Path(sys.argv[1]))
