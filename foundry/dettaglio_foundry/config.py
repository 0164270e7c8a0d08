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
    steps: int
    batch: int
    patch: int  # side of a patch of the small picture, pixels
    learning_rate: float
    channels: int = 0
    blocks: int = 0
    one_slope: bool = False  # each PReLU has one slope for all its channels, see network.bend
    kind: str = "enlarge"  # or clean
    level: str = ""  # of a cleaner: what its second input says, noise or compression
    widths: tuple[int, ...] = ()  # of a cleaner that sees far: channels at each resolution, in place of `channels`
    depths: tuple[int, ...] = ()  # and pairs of convolutions there, in place of `blocks`
    noise: float = 1.0  # of a cleaner that sees far: the noise that a level of 1 stands for, see network.FarCleaner
    seed: int = 1
    earlier_steps: int = 0  # of the run whose weights this one starts from
    patches: dict[str, float] = field(default_factory=lambda: {"photographs": 1.0})  # source of patches -> share
    scales: tuple[float, ...] = (1.0,)  # the photographs are shown so many times smaller than their own sharpness asks
    recoloured: float = 0.0  # share of patches in another light, see sources.recolour
    loss: str = "charbonnier"  # or decibels, see losses.py
    perception_weight: float = 0.0  # of a texture model: of what a general network sees, beside the mean error
    adversary_weight: float = 0.0  # of looking real; with it the network is given grain
    spectrum_weight: float = 0.0  # of the right power at each frequency
    lattice_weight: float = 0.0  # of what lies on the lattice of the factor
    guard_weight: float = 0.0  # of the loss where an answer is further from the truth than what was shown
    tone_weight: float = 0.0  # of the loss of what lies off over 8 px: a shift of tone that no eye sees in one pixel
    damage: Damage = field(default_factory=Damage)

    @staticmethod
    def read(path: str) -> "Config":
        table = tomllib.loads(Path(path).read_text())
        damage = {k: tuple(v) if isinstance(v, list) else v for k, v in table.pop("damage", {}).items()}
        lists = {k: tuple(v) for k, v in table.items() if isinstance(v, list) and k != "weaknesses"}
        table |= lists
        return Config(**table, damage=Damage(**damage))
