"""What a model is shown and what it should answer: one lesson a kind of model.

A lesson makes `(inputs, target)`: the network's inputs in order, and the picture that it should give.
"""

import math
import random
from pathlib import Path

import torch
from torch.nn import functional as F

from . import marks, prints
from .config import Config
from .degrade import coded, encode, gaussian_blur, jpeg, linearise, shrink, shrunk
from .network import Enlarger
from .sensor import level_map, photograph, through_camera
from .stars import with_lights

Pair = tuple[tuple[torch.Tensor, ...], torch.Tensor]


class Enlarging:
    """Small pictures as cameras and programs give them, each with its own damage."""

    def __init__(self, config: Config):
        self.factor, self.damage = config.factor, config.damage

    def pair(self, large: torch.Tensor, rng: random.Random) -> Pair:
        return (torch.cat([self.one(patch, rng) for patch in large.split(1)]),), large

    def one(self, patch: torch.Tensor, rng: random.Random) -> torch.Tensor:
        small = shrunk(patch, self.factor, self.damage, rng)
        if rng.random() < self.damage.camera_chance:
            small = through_camera(small, rng)
        return coded(small, self.damage, rng)


class Texture:
    """As for enlarging; a texture model is given grain besides."""

    def __init__(self, config: Config):
        self.enlarging = Enlarging(config)

    def pair(self, large: torch.Tensor, rng: random.Random) -> Pair:
        (small,), target = self.enlarging.pair(large, rng)
        return (small, grain(large)), target


def grain(large: torch.Tensor) -> torch.Tensor:
    """(N, 1, H, W) for pictures (N, 3, H, W): even noise of variance 1. The product's own is hashed from the place (`grain` in
    crates/core/src/model/grain.rs)."""
    return (torch.rand_like(large[:, :1]) * 2 - 1) * math.sqrt(3)


class OldPrints:
    """A faded print, shrunk and then scanned with its grain, screen, dust and scratches: small in, clean and large out."""

    def __init__(self, config: Config):
        self.config = config

    def pair(self, large: torch.Tensor, rng: random.Random) -> Pair:
        large = prints.faded(large, rng)
        small = prints.scan_of(shrink(large, self.config.factor), rng)
        levels = (small * 255).round()
        if rng.random() < self.config.damage.jpeg_chance:
            levels = jpeg(levels, int(rng.uniform(*self.config.damage.jpeg_quality)), rng.choice([0, 2]))
        return (levels / 255,), large


class Noise:
    """White noise for part of the time, a sensor's for the rest, now and then nothing at all; each patch its own kind and amount."""

    def __init__(self, config: Config):
        self.damage = config.damage

    def pair(self, clean: torch.Tensor, rng: random.Random) -> Pair:
        noisy, levels, truths = zip(*(self.one(patch, rng) for patch in clean.split(1)))
        return (torch.cat(noisy), torch.cat(levels)), torch.cat(truths)

    def one(self, clean: torch.Tensor, rng: random.Random) -> tuple[torch.Tensor, torch.Tensor, torch.Tensor]:
        """(1, 3, H, W) -> with noise, its level (1, 1, H, W), and what it should become."""
        if rng.random() < self.damage.lights_chance:
            clean = with_lights(clean, rng)
        # As many of twice the noise as of the same noise: a level counts by its ratio to the next.
        sigma = math.exp(rng.uniform(*map(math.log, self.damage.noise_sigma))) / 255
        kind = rng.random()
        if kind < self.damage.clean_chance:
            noisy, level = clean, torch.zeros_like(clean[:, :1])
        elif kind < self.damage.clean_chance + self.damage.white_chance:
            noisy = clean + torch.randn_like(clean) * sigma
            level = torch.full_like(clean[:, :1], sigma)
        else:
            noisy, clean = photograph(clean, rng, sigma)
            level = level_map(noisy, clean)
        levels = (noisy.clamp(0, 1) * 255).round()
        if rng.random() < self.damage.jpeg_chance:
            levels = jpeg(levels, int(rng.uniform(*self.damage.jpeg_quality)), rng.choice([0, 2]))
        # A reading is never exact.
        return levels / 255, level * rng.uniform(0.9, 1.1), clean


class Compression:
    """JPEG, each patch at its own quality; the blocks start anywhere, as they do in a cropped file."""

    def __init__(self, config: Config):
        self.damage = config.damage

    def pair(self, clean: torch.Tensor, rng: random.Random) -> Pair:
        marked, levels = zip(*(self.one(patch, rng) for patch in clean.split(1)))
        # The rolled edges are not neighbours: keep to the inside.
        marked, level, clean = (picture[..., 8:-8, 8:-8] for picture in (torch.cat(marked), torch.cat(levels), clean))
        return (marked, level), clean

    def one(self, clean: torch.Tensor, rng: random.Random) -> tuple[torch.Tensor, torch.Tensor]:
        """(1, 3, H, W) -> compressed, and its level (1, 1, H, W)."""
        if rng.random() < self.damage.clean_chance:
            return clean, torch.zeros_like(clean[:, :1])
        quality = rng.randint(*self.damage.jpeg_quality)
        down, right = rng.randrange(8), rng.randrange(8)
        shifted = torch.roll(clean, (down, right), (2, 3))
        coded = jpeg((shifted * 255).round(), quality, rng.choice([0, 2, 2])) / 255
        # A reading is never exact.
        level = 1 - (quality + rng.uniform(-3, 3)) / 100
        return torch.roll(coded, (-down, -right), (2, 3)), torch.full_like(clean[:, :1], level)


class Softness:
    """A slight blur, even or along a line, and the trace of noise that a cleaned picture still has."""

    SCALE = 4.0  # the level is sigma over this many pixels

    def __init__(self, config: Config):
        self.damage = config.damage

    def pair(self, clean: torch.Tensor, rng: random.Random) -> Pair:
        if rng.random() < self.damage.clean_chance:
            return (clean, torch.zeros_like(clean[:, :1])), clean
        sigma = rng.uniform(*self.damage.blur_sigma)
        if rng.random() < 0.25:
            soft, sigma = shaken(clean, sigma, rng)
        else:
            soft = gaussian_blur(clean, sigma)
        soft = soft + torch.randn_like(soft) * rng.uniform(*self.damage.noise_sigma) / 255
        levels = (soft.clamp(0, 1) * 255).round()
        level = torch.full_like(clean[:, :1], sigma * rng.uniform(0.93, 1.07) / self.SCALE)
        return (levels / 255, level), clean


class SoftFaces:
    """A face as it is found, small, out of focus, noisy, compressed, on an old print; enlarged by Everyday, as the product does,
    and brought to the canvas's size.

    The batch is that of `people.Faces`; the answer carries how far each pixel is to be trusted as a fourth channel.
    """

    EYES = 80.0  # pixels between the eyes on the canvas
    ENLARGER = Path(__file__).parent.parent / "weights" / "everyday-x4-draft.pt"

    def __init__(self, config: Config):
        self.damage = config.damage
        weights = torch.load(self.ENLARGER)
        blocks = sum(name.startswith("body") and name.endswith("weight") for name in weights)
        self.everyday = Enlarger(weights["head.weight"].shape[0], blocks, 4).eval()
        self.everyday.load_state_dict(weights)

    def pair(self, batch: torch.Tensor, rng: random.Random) -> Pair:
        place, trust = batch[:, 3:5], batch[:, 5:]
        inputs, scales, targets = [], [], []
        # Each its own damage: a batch of one kind pulls the network to and fro.
        for face in batch[:, :3].split(1):
            old = rng.random() < 0.12
            clean = prints.faded(face, rng) if old else face
            soft, scale = self.damaged(clean, rng, old)
            inputs.append(soft)
            scales.append(torch.full_like(trust[:1], scale))
            targets.append(clean)
        return (torch.cat(inputs), torch.cat([place, torch.cat(scales)], 1)), torch.cat([torch.cat(targets), trust], 1)

    @torch.no_grad()
    def damaged(self, clean: torch.Tensor, rng: random.Random, old: bool) -> tuple[torch.Tensor, float]:
        """The face as the canvas shows it, and how much finer the canvas is than the picture it was found in."""
        damage, side = self.damage, clean.shape[-1]
        if rng.random() < damage.clean_chance:
            return (clean * 255).round() / 255, 0.0
        eyes = math.exp(rng.uniform(math.log(22), math.log(95)))
        small = max(16, round(side * eyes / self.EYES))
        sharp = not old and rng.random() < damage.sharp_chance
        if not sharp and rng.random() < damage.blur_chance:
            # In pixels of the small picture, where a lens blurs.
            clean = gaussian_blur(clean, rng.uniform(*damage.blur_sigma) * side / small)
        in_light = rng.random() < damage.light_chance
        soft = linearise(clean) if in_light else clean
        soft = F.interpolate(soft, size=(small, small), mode="bicubic", antialias=True).clamp(0, 1)
        soft = encode(soft) if in_light else soft
        if old:
            soft = prints.scan_of(soft, rng)
        if not sharp and rng.random() < damage.noise_chance:
            soft = soft + torch.randn_like(soft) * rng.uniform(*damage.noise_sigma) / 255
        levels = (soft.clamp(0, 1) * 255).round()
        if not sharp and rng.random() < damage.jpeg_chance:
            levels = jpeg(levels, int(rng.uniform(*damage.jpeg_quality)), rng.choice([0, 2]))
        large = self.everyday(levels / 255).clamp(0, 1)
        return F.interpolate(large, size=(side, side), mode="bicubic", antialias=True).clamp(0, 1), scale_of(eyes)


def scale_of(eyes: float) -> float:
    """How much finer the canvas is than a picture with so many pixels between the eyes, as half its binary logarithm; 0 if it is not.
    The product's own is `told_scale` in crates/core/src/face/canvas.rs."""
    return max(0.0, math.log2(SoftFaces.EYES / eyes) / 2)


def shaken(clean: torch.Tensor, sigma: float, rng: random.Random) -> tuple[torch.Tensor, float]:
    """Drawn out along one of eight directions; sigma is that of a Gaussian of the same spread."""
    dy, dx = rng.choice([(0, 1), (1, 0), (1, 1), (1, -1), (1, 2), (2, 1), (1, -2), (2, -1)])
    length = (dy * dy + dx * dx) ** 0.5
    steps = max(1, round(sigma * 1.7 / length))
    shifts = range(-steps, steps + 1)
    soft = sum(torch.roll(clean, (dy * i, dx * i), (2, 3)) for i in shifts) / len(shifts)
    variance = sum(i * i for i in shifts) / len(shifts) * length * length
    return soft, (variance / 2) ** 0.5


class Scans:
    """A photograph as a scan shows it, without and with marks: what both lessons about marks begin with.

    A print holds five to eight pairs of lines a millimetre, so that on a scan of 600 dpi the picture is softer than the dust and the scratches
    that lie upon it; by that they are told apart. What is as sharp as its pixels allow is mostly no scan, and has no marks.
    """

    OWN_LINES = 0.3  # share of pictures with drawn stalks, cords and wires of their own
    DPI = (300, 1200)
    PRINT_BLUR = (0.7, 1.5)  # what a print holds, as a Gaussian's sigma in pixels at 600 dpi
    AS_TAKEN = 0.35  # share of pictures that are no scans, where there are pictures without marks
    MARKED_AS_TAKEN = 0.1  # share of those that have marks all the same

    def __init__(self, config: Config, undamaged: float | None = None):
        """`undamaged` is the share of scans without marks, where it is not the configuration's."""
        self.damage = config.damage
        self.undamaged = config.damage.clean_chance if undamaged is None else undamaged
        self.covers = marks.Covers(config.patch)

    def one(self, picture: torch.Tensor, rng: random.Random) -> tuple[torch.Tensor, torch.Tensor, torch.Tensor]:
        """(1, 3, H, W) -> the sound scan, the marked one, and the masks (1, KINDS, H, W)."""
        if rng.random() < self.damage.lights_chance:
            picture = with_lights(picture, rng)  # points and wires that are no marks
        if rng.random() < self.OWN_LINES:
            picture = marks.with_lines(picture, rng)
        scale = math.exp(rng.uniform(*map(math.log, self.DPI))) / 600
        as_taken = self.undamaged > 0 and rng.random() < self.AS_TAKEN
        if not as_taken:
            picture = self.printed(picture, scale, rng)
        picture = picture.clamp(0, 1)
        if rng.random() < (1 - self.MARKED_AS_TAKEN if as_taken else self.undamaged):
            none = torch.zeros(1, marks.KINDS, *picture.shape[2:])
            return picture, picture, none
        marked, masks = marks.marked(picture, rng, scale, self.covers)
        return picture, marked, masks

    def printed(self, picture: torch.Tensor, scale: float, rng: random.Random) -> torch.Tensor:
        """On paper, as a scanner sees it that takes `scale` times 600 pixels of an inch."""
        picture = gaussian_blur(picture, scale * rng.uniform(*self.PRINT_BLUR))
        if rng.random() < 0.55:
            picture = prints.faded(picture, rng)
        if rng.random() < 0.12:
            picture = prints.halftone(picture, rng)
        if rng.random() < 0.6:
            picture = prints.paper_grain(picture, rng)
        return picture

    def coded(self, marked: torch.Tensor, rng: random.Random) -> torch.Tensor:
        levels = (marked * 255).round()
        if rng.random() < self.damage.jpeg_chance:
            levels = jpeg(levels, int(rng.uniform(*self.damage.jpeg_quality)), rng.choice([0, 2]))
        return levels / 255


class Marks(Scans):
    """Which pixels of a scan are marked, by kind."""

    def pair(self, clean: torch.Tensor, rng: random.Random) -> Pair:
        _, marked, masks = zip(*(self.one(patch, rng) for patch in clean.split(1)))
        return (torch.cat([self.coded(picture, rng) for picture in marked]),), torch.cat(masks)


class Filling(Scans):
    """What lies under the marks, given where they are; the answer counts there alone (a fourth channel)."""

    def pair(self, clean: torch.Tensor, rng: random.Random) -> Pair:
        shown, levels, targets = [], [], []
        for patch in clean.split(1):
            sound, marked, masks = self.one(patch, rng)
            reach = rng.choice([1, 1, 2, 3])
            level = F.max_pool2d((masks.amax(1, keepdim=True) > marks.UNSEEN).float(), 2 * reach + 1, 1, reach)
            shown.append(self.coded(marked, rng))
            levels.append(level)
            targets.append(torch.cat([sound, level], 1))
        return (torch.cat(shown), torch.cat(levels)), torch.cat(targets)


LESSONS = {
    "enlarging": Enlarging, "prints": OldPrints, "noise": Noise, "compression": Compression, "softness": Softness,
    "faces": SoftFaces, "texture": Texture, "marks": Marks, "filling": Filling,
}  # fmt: skip
Lesson = Enlarging | Texture | OldPrints | Noise | Compression | Softness | SoftFaces | Marks | Filling


def lesson_for(config: Config) -> Lesson:
    return LESSONS[config.damage.lesson](config)
