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
    seed: int = 1
    earlier_steps: int = 0  # of the run whose weights this one starts from
    damage: Damage = field(default_factory=Damage)

    @staticmethod
    def read(path: str) -> "Config":
        table = tomllib.loads(Path(path).read_text())
        damage = {k: tuple(v) if isinstance(v, list) else v for k, v in table.pop("damage", {}).items()}
        return Config(**table, damage=Damage(**damage))
