"""One TOML file a model: what it is, how it is built, how long it learns."""

import tomllib
from dataclasses import dataclass, field
from pathlib import Path

from .degrade import Damage


@dataclass(frozen=True)
class Config:
    id: str
    name: str
    subject: str
    grade: str  # draft or fine
    purpose: str
    weaknesses: list[str]
    factor: int
    channels: int
    blocks: int
    steps: int
    batch: int
    patch: int  # side of a patch of the small picture, pixels
    learning_rate: float
    kind: str = "enlarge"  # or clean
    level: str = ""  # of a cleaner: what its second input says, noise or compression
    seed: int = 1
    earlier_steps: int = 0  # of the run whose weights this one starts from
    patches: dict[str, float] = field(default_factory=lambda: {"photographs": 1.0})  # source of patches -> share
    divisors: tuple[float, ...] = (2.0,)  # how many times smaller than their files the photographs are shown
    recoloured: float = 0.0  # share of patches in another light, see sources.recolour
    blend_with: str = ""  # weights that it was started from, to go back to in part
    blend: float = 1.0  # how far the exported weights go from those to its own
    loss: str = "charbonnier"  # or decibels, see losses.py
    texture_weight: float = 0.0  # of the loss that rewards texture, beside the mean error
    guard_weight: float = 0.0  # of the loss where an answer is further from the truth than what was shown
    tone_weight: float = 0.0  # of the loss of what lies off over 8 px: a shift of tone that no eye sees in one pixel
    damage: Damage = field(default_factory=Damage)

    @staticmethod
    def read(path: str) -> "Config":
        table = tomllib.loads(Path(path).read_text())
        damage = {k: tuple(v) if isinstance(v, list) else v for k, v in table.pop("damage", {}).items()}
        table["divisors"] = tuple(table.get("divisors", Config.divisors))
        return Config(**table, damage=Damage(**damage))
