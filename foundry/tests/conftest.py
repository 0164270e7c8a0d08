"""What the tests share: seeds, and a picture with edges, slopes and texture. Nothing is fetched for them."""

import random

import numpy as np
import pytest
import torch

from dettaglio_foundry.config import Config
from dettaglio_foundry.degrade import Damage
from dettaglio_foundry.photos import one_source
from dettaglio_foundry.sources import Photographs


@pytest.fixture(autouse=True)
def seeded():
    torch.manual_seed(5)
    torch.set_num_threads(2)


@pytest.fixture
def rng() -> random.Random:
    return random.Random(5)


@pytest.fixture
def pictures() -> list[np.ndarray]:
    """(H, W, 3) uint8: stripes over a slope, and noise."""
    y, x = np.mgrid[0:96, 0:120]
    stripes = 90 + 60 * np.sign(np.sin(x / 5 + y / 9)) + y / 3
    noise = np.random.default_rng(5).integers(0, 256, (96, 120))
    return [np.stack([plane, plane[::-1], plane * 0.7], -1).astype(np.uint8) for plane in (stripes, noise)]


class Given(Photographs):
    """Photographs that lie in no folder."""

    def __init__(self, pictures: list[np.ndarray]):
        super().__init__("", (1.0,))
        self.pictures = pictures

    def of(self, subject: str | None):
        return one_source([[picture] for picture in self.pictures])


@pytest.fixture
def photographs(pictures) -> Given:
    return Given(pictures)


@pytest.fixture
def batch(pictures) -> torch.Tensor:
    """(2, 3, 96, 96) in [0, 1]."""
    return torch.from_numpy(np.stack([p[:, :96] for p in pictures])).permute(0, 3, 1, 2).float() / 255


@pytest.fixture
def config():
    """A model so small that a step takes milliseconds; what differs from it is named."""

    def make(**other) -> Config:
        usual = dict(
            id="tiny", name="Tiny", subject="everyday", grade="draft", purpose="tests", weaknesses=[], factor=2,
            channels=4, blocks=2, steps=40, batch=2, patch=12, learning_rate=1e-3,
        )  # fmt: skip
        return Config(**(usual | other))

    return make


@pytest.fixture
def damage():
    return lambda **other: Damage(**other)
