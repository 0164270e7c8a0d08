"""Where clean patches come from: photographs, rendered type, rendered strands, in the shares a model asks for."""

import random
from collections.abc import Callable

import numpy as np
import torch

from . import lettering, strands
from .people import pictures_of
from .photos import PatchSource, Source, load_all, one_source

Shares = dict[str, float]  # one of KINDS -> share of the patches
SUBJECTS = ("fur", "foliage")  # photographs of one subject, the liveliest patches of them
KINDS = ("photographs", "lively", "lettering", "strands", "people", *SUBJECTS)


class Photographs:
    """A folder of photographs, at so many scales; each subject is loaded when it is asked for."""

    def __init__(self, folder: str, scales: tuple[float, ...]):
        self.folder, self.scales = folder, scales
        self.loaded: dict[str | None, list[Source]] = {}

    def of(self, subject: str | None) -> list[Source]:
        """Those that show a subject, or all."""
        if subject not in self.loaded:
            self.loaded[subject] = load_all(self.folder, self.scales, subject)
        return self.loaded[subject]


class Stock:
    """Rendered sheets that squares are cut out of. They take long to draw: one is drawn anew for every third batch."""

    ANEW = 0.33

    def __init__(self, draw: Callable[[], np.ndarray], sheets: int, side: int, rng: random.Random):
        self.draw, self.side, self.rng = draw, side, rng
        self.sheets = [draw() for _ in range(sheets)]

    def refresh(self) -> None:
        if self.rng.random() < self.ANEW:
            self.sheets[self.rng.randrange(len(self.sheets))] = self.draw()

    def patch(self) -> np.ndarray:
        """A random square of a random sheet, turned and mirrored."""
        sheet = self.rng.choice(self.sheets)
        y, x = (self.rng.randrange(extent - self.side + 1) for extent in sheet.shape[:2])
        square = np.rot90(sheet[y : y + self.side, x : x + self.side], self.rng.randrange(4))
        return square[:, ::-1] if self.rng.random() < 0.5 else square


class Mixture:
    """Endless clean patches, (count, 3, side, side) float32 in [0, 1]."""

    CANDIDATES = 5  # of which `lively` keeps the one with most fine detail
    SHEET = 4 / 3  # side of a rendered sheet, in patches

    def __init__(self, shares: Shares, photographs: "Photographs", fonts: str, side: int, rng: random.Random, sheets: int = 160, people: str = "", recoloured: float = 0.0):
        """`fonts` and `people` are folders; `sheets` of each kind are rendered to cut patches out of; `recoloured` is the share of patches in
        another light."""
        unknown = set(shares) - set(KINDS)
        if unknown:
            raise SystemExit(f"no such source of patches: {', '.join(sorted(unknown))}")
        self.shares, self.rng, self.recoloured = shares, rng, recoloured
        self.photographs = PatchSource(photographs.of(None), side, rng)
        self.subjects = {name: PatchSource(photographs.of(name), side, rng) for name in SUBJECTS if shares.get(name)}
        self.stocks = {}
        if shares.get("people"):
            self.people = PatchSource(one_source([[picture] for picture in pictures_of(people)]), side, rng)
        sheet = int(side * self.SHEET)
        if shares.get("lettering"):
            files = lettering.files(fonts)
            if not files:
                raise SystemExit(f"no fonts in {fonts}: run `python -m dettaglio_foundry.lettering {fonts}` first")
            draw = lambda: lettering.render(sheet, files, rng, self.photographs.patch())  # noqa: E731
            self.stocks["lettering"] = Stock(draw, sheets, side, rng)
        if shares.get("strands"):
            self.stocks["strands"] = Stock(lambda: strands.render(sheet, rng), sheets, side, rng)

    def patch(self) -> np.ndarray:
        (kind,) = self.rng.choices(list(self.shares), list(self.shares.values()))
        if kind in self.stocks:
            return self.stocks[kind].patch()
        if kind == "people":
            return self.people.patch()
        if kind == "photographs":
            return self.photographs.patch()
        source = self.subjects.get(kind, self.photographs)
        return max((source.patch() for _ in range(self.CANDIDATES)), key=fine_detail)

    def describe(self) -> str:
        subjects = [f"{len(source.pictures)} of {name}" for name, source in self.subjects.items()]
        return ", ".join([f"{len(self.photographs.pictures)} photographs", *subjects, *self.stocks])

    def batch(self, count: int) -> torch.Tensor:
        for stock in self.stocks.values():
            stock.refresh()
        patches = torch.from_numpy(np.stack([self.patch() for _ in range(count)])).permute(0, 3, 1, 2).float() / 255
        if self.recoloured:
            patches = torch.stack([recolour(p, self.rng) if self.rng.random() < self.recoloured else p for p in patches])
        return patches


def recolour(patch: torch.Tensor, rng: random.Random) -> torch.Tensor:
    """Another exposure, another light, and the colours exchanged: there are fewer photographs than there are scenes."""
    order = rng.sample(range(3), 3)
    exposure = rng.uniform(0.5, 1)
    light = torch.tensor([exposure * rng.uniform(0.8, 1) for _ in range(3)])
    return patch[order] * light.view(3, 1, 1)


def fine_detail(patch: np.ndarray) -> float:
    """Mean absolute difference from the neighbour diagonally below, green channel."""
    green = patch[..., 1].astype(np.int16)
    return float(np.abs(green[1:, 1:] - green[:-1, :-1]).mean())
