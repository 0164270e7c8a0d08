"""What a camera, a web page and time do to a picture: the damage that a model learns to undo.

All functions take and return (N, 3, H, W) encoded RGB in [0, 1].
"""

import io
import random
from dataclasses import dataclass

import numpy as np
import torch
from PIL import Image
from torch.nn import functional as F


@dataclass(frozen=True)
class Damage:
    """How often, and how much, of each kind of damage a model meets in training."""

    blur_chance: float = 0.5
    blur_sigma: tuple[float, float] = (0.2, 0.75)  # pixels of the small picture
    area_chance: float = 0.4  # shrunk by plain averaging rather than antialiased bicubic
    light_chance: float = 0.5  # shrunk in linear light, as a sensor does, rather than in encoded values, as programs do
    camera_chance: float = 0.0  # seen through a mosaic, demosaiced and now and then sharpened, as a camera does
    noise_chance: float = 0.3
    noise_sigma: tuple[float, float] = (0.2, 2.0)  # 8-bit levels
    jpeg_chance: float = 0.35
    jpeg_quality: tuple[int, int] = (78, 98)
    lesson: str = "enlarging"  # what is taught; see lessons.py
    sharp_chance: float = 0.0  # a face that is only small: no blur, noise or JPEG
    # Cleaners only.
    clean_chance: float = 0.08  # shown an undamaged picture, to learn to leave it alone
    white_chance: float = 0.4  # white noise rather than a sensor's
    lights_chance: float = 0.0  # darkened, with stars, lamps and wires


def shrink(picture: torch.Tensor, factor: int) -> torch.Tensor:
    """Antialiased bicubic, the reference way to make a small picture from a large one."""
    return F.interpolate(picture, scale_factor=1 / factor, mode="bicubic", antialias=True).clamp(0, 1)


def linearise(encoded: torch.Tensor) -> torch.Tensor:
    """Encoded sRGB to linear light (IEC 61966-2-1)."""
    return torch.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055).clamp(min=0) ** 2.4)


def encode(light: torch.Tensor) -> torch.Tensor:
    """Linear light to encoded sRGB, the inverse of `linearise`."""
    return torch.where(light <= 0.0031308, light * 12.92, 1.055 * light.clamp(min=1e-9) ** (1 / 2.4) - 0.055)


def gaussian_blur(picture: torch.Tensor, sigma: float) -> torch.Tensor:
    reach = max(1, round(3 * sigma))
    x = torch.arange(-reach, reach + 1).float()
    kernel = torch.exp(-(x**2) / (2 * sigma**2))
    kernel = kernel / kernel.sum()
    planes = picture.flatten(0, 1)[:, None]
    planes = F.pad(planes, (reach,) * 4, mode="reflect")
    planes = F.conv2d(planes, kernel.view(1, 1, 1, -1))
    return F.conv2d(planes, kernel.view(1, 1, -1, 1)).view_as(picture)


def jpeg(levels: torch.Tensor, quality: int, subsampling: int) -> torch.Tensor:
    """Through a real encoder and back. `levels` and the result are 0..255."""
    coded = []
    for picture in levels.permute(0, 2, 3, 1).byte().numpy():
        buffer = io.BytesIO()
        Image.fromarray(picture).save(buffer, "JPEG", quality=quality, subsampling=subsampling)
        coded.append(np.asarray(Image.open(buffer).convert("RGB")))
    return torch.from_numpy(np.stack(coded)).permute(0, 3, 1, 2).float()


def degrade(picture: torch.Tensor, factor: int, damage: Damage, rng: random.Random) -> torch.Tensor:
    """The small, damaged picture that a camera or a program might have given instead of `picture`."""
    return coded(shrunk(picture, factor, damage, rng), damage, rng)


def shrunk(picture: torch.Tensor, factor: int, damage: Damage, rng: random.Random) -> torch.Tensor:
    """Through a lens, and smaller."""
    if rng.random() < damage.blur_chance:
        picture = gaussian_blur(picture, rng.uniform(*damage.blur_sigma) * factor / 2 + 0.1)
    by_area = rng.random() < damage.area_chance
    in_light = rng.random() < damage.light_chance
    picture = linearise(picture) if in_light else picture
    small = F.avg_pool2d(picture, factor) if by_area else shrink(picture, factor)
    return encode(small) if in_light else small


def coded(small: torch.Tensor, damage: Damage, rng: random.Random) -> torch.Tensor:
    """With a trace of noise, in whole levels, now and then as a JPEG."""
    if rng.random() < damage.noise_chance:
        small = (small + torch.randn_like(small) * rng.uniform(*damage.noise_sigma) / 255).clamp(0, 1)
    levels = (small.clamp(0, 1) * 255).round()
    if rng.random() < damage.jpeg_chance:
        levels = jpeg(levels, int(rng.uniform(*damage.jpeg_quality)), rng.choice([0, 2]))
    return levels / 255
