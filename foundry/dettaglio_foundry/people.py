"""Made-up people as a source of patches: whole pictures, and faces on the canvas on which they are restored.

The canvas is the product's own (crates/core/src/face/canvas.rs): 256 x 320 px, eyes 80 px apart.
"""

import json
import math
import random
from pathlib import Path

import numpy as np
import torch
from PIL import Image

CANVAS = (256, 320)  # width, height
LEFT_EYE, RIGHT_EYE, MOUTH = (88.0, 128.0), (168.0, 128.0), (128.0, 222.0)


def places(facts: dict) -> np.ndarray:
    """Left eye, right eye and mouth as they lie in the picture, (3, 2). A person's left lies on the picture's right."""
    at = facts["landmarks"]
    mouth = np.mean([at["mouth_left"], at["mouth_right"]], 0)
    return np.array([at["right_pupil"], at["left_pupil"], mouth])


def similarity(source: np.ndarray, target: np.ndarray) -> np.ndarray:
    """The turn, scale and shift (2, 3) that bring source places nearest to target places (Umeyama 1991)."""
    z, w = source @ [1, 1j], target @ [1, 1j]
    a = np.sum(np.conj(z - z.mean()) * (w - w.mean())) / np.sum(np.abs(z - z.mean()) ** 2)
    b = w.mean() - a * z.mean()
    return np.array([[a.real, -a.imag, b.real], [a.imag, a.real, b.imag]])


def on_canvas(picture: Image.Image, at: np.ndarray, margin: int = 0, turn: float = 0, grow: float = 1, shift=(0, 0)) -> Image.Image:
    """A face on the canvas, off its place by a turn in radians, a scale and a shift in pixels, as a finder is off."""
    target = (np.array([LEFT_EYE, RIGHT_EYE, MOUTH]) - 128) @ np.array(
        [[math.cos(turn), math.sin(turn)], [-math.sin(turn), math.cos(turn)]]
    ) * grow + 128 + shift
    forward = np.vstack([similarity(at, target + margin), [0, 0, 1]])
    back = np.linalg.inv(forward)[:2].ravel()
    size = (CANVAS[0] + 2 * margin, CANVAS[1] + 2 * margin)
    return picture.transform(size, Image.AFFINE, tuple(back), Image.BICUBIC)


def trust() -> np.ndarray:
    """How far the made-up faces are to be learned from at each place of the canvas, (H, W), 0 to 1.

    Brows, the upper lashes, the hairline, hair and teeth are drawn wrong in ways that are always the same: what is wrong
    must not be stamped onto real faces. There, photographs teach, and what the damaged picture still shows.
    """
    y, x = np.mgrid[0 : CANVAS[1], 0 : CANVAS[0]] + 0.5
    side = np.minimum(np.abs(x - 88), np.abs(x - 168))

    def within(distance):
        return 1 / (1 + np.exp((distance - 1) * 8))

    brow = within(np.hypot(side / 44, (y - 90) / 16))
    lash = within(np.hypot(side / 30, (y - 118) / 7))
    teeth = within(np.hypot((x - 128) / 26, (y - 222) / 7))
    hair = 1 - within(np.hypot((x - 128) / 96, (y - 168) / 124))
    return 1 - np.max([0.65 * brow, 0.35 * lash, 0.5 * teeth, 0.75 * hair], 0)


def files_in(folder: str) -> list[Path]:
    """The pictures of made-up people in a folder: as rendered (PNG) or as kept (WebP), each once."""
    by_name = {file.stem: file for ending in ("png", "webp") for file in Path(folder).glob(f"*.{ending}")}
    if not by_name:
        raise SystemExit(f"no people in {folder}: run `python -m heads --out {folder}` first")
    return [by_name[name] for name in sorted(by_name)]


def pictures_of(folder: str) -> list[np.ndarray]:
    """All made-up people of a folder, (H, W, 3) uint8."""
    return [np.asarray(Image.open(file).convert("RGB")) for file in files_in(folder)]


class Faces:
    """Endless squares of faces on the canvas, with where they lie there and how far they are to be trusted.

    Batches are (N, 6, side, side): RGB in [0, 1], the place across and down from -1 to 1, trust. A share of the patches are
    photographs, at any place and fully trusted.
    """

    PHOTOGRAPHS = 0.15
    FEATURES = 0.7

    def __init__(self, folder: str, photographs, side: int, rng: random.Random):
        facts = [json.loads(file.with_suffix(".json").read_text()) for file in files_in(folder)]
        self.pictures = [(Image.fromarray(p), places(f)) for p, f in zip(pictures_of(folder), facts, strict=True)]
        self.photographs, self.side, self.rng, self.trust = photographs, side, rng, trust().astype(np.float32)

    def describe(self) -> str:
        return f"{len(self.pictures)} faces, {len(self.photographs.pictures)} photographs"

    def patch(self) -> np.ndarray:
        r, side = self.rng, self.side
        x, y = r.randrange(CANVAS[0] - side + 1), r.randrange(CANVAS[1] - side + 1)
        if r.random() < self.FEATURES:
            # Around an eye or the mouth: that is what a face is looked at for.
            at = r.choice([LEFT_EYE, RIGHT_EYE, MOUTH])
            x, y = (
                min(max(0, round(a - side / 2 + r.gauss(0, 14))), extent - side) for a, extent in zip(at, CANVAS)
            )
        window = (slice(y, y + side), slice(x, x + side))
        if r.random() < self.PHOTOGRAPHS:
            picture, trust = self.photographs.patch().astype(np.float32) / 255, np.ones((side, side), np.float32)
        else:
            image, at = r.choice(self.pictures)
            if r.random() < 0.5:
                image = image.transpose(Image.FLIP_LEFT_RIGHT)
                at = (at * [-1, 1] + [image.width, 0])[[1, 0, 2]]
            shift = (r.gauss(0, 3), r.gauss(0, 3))
            canvas = on_canvas(image, at, turn=r.gauss(0, 0.05), grow=r.uniform(0.93, 1.07), shift=shift)
            picture = np.asarray(canvas, np.float32)[window] / 255
            # Another exposure and another light: there are fewer people than there are photographs of one.
            picture = np.clip(picture * [r.uniform(0.9, 1.1) for _ in range(3)] * r.uniform(0.75, 1.2), 0, 1) ** r.uniform(0.85, 1.2)
            trust = self.trust[window]
        across, down = np.meshgrid(np.arange(x, x + side) + 0.5, np.arange(y, y + side) + 0.5)
        place = [across / CANVAS[0] * 2 - 1, down / CANVAS[1] * 2 - 1]
        return np.concatenate([picture.transpose(2, 0, 1), np.stack([*place, trust])]).astype(np.float32)

    def batch(self, count: int) -> torch.Tensor:
        return torch.from_numpy(np.stack([self.patch() for _ in range(count)]))
