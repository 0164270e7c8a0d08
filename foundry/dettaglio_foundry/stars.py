"""Points of light and thin wires on dark ground: what a night cleaner must leave standing."""

import math
import random

import torch
from torch.nn import functional as F


def with_lights(pictures: torch.Tensor, rng: random.Random) -> torch.Tensor:
    """(N, 3, H, W) encoded: darkened, then sown with stars, lamps and wires."""
    dark = [picture * rng.uniform(0.1, 0.6) for picture in pictures]
    return torch.stack([sown(picture, rng, rng.choice([0, 5, 20, 60]), rng.choice([0, 0, 1, 2])) for picture in dark])


def sown(picture: torch.Tensor, rng: random.Random, points: int, wires: int) -> torch.Tensor:
    """(3, H, W) encoded, with so many points of light and straight wires in it, all of one sharpness and tint."""
    _, height, width = picture.shape
    light = torch.zeros(1, height, width)
    for _ in range(points):
        y, x = rng.randrange(height), rng.randrange(width)
        light[0, y, x] += rng.uniform(0.3, 6.0) ** 1.5
    for _ in range(wires):
        angle = rng.uniform(0, math.pi)
        steps = torch.arange(-2 * width, 2 * width, dtype=torch.float32) * 0.5
        y = (rng.randrange(height) + steps * math.sin(angle)).round().long()
        x = (rng.randrange(width) + steps * math.cos(angle)).round().long()
        inside = (y >= 0) & (y < height) & (x >= 0) & (x < width)
        light[0, y[inside], x[inside]] = rng.uniform(0.2, 1.5)
    sigma = rng.uniform(0.5, 1.0)
    reach = 3
    axis = torch.arange(-reach, reach + 1).float()
    kernel = torch.exp(-(axis**2) / (2 * sigma**2))
    kernel = (kernel / kernel.sum()).view(1, 1, 1, -1)
    light = F.conv2d(F.conv2d(light[None], kernel, padding=(0, reach)), kernel.mT, padding=(reach, 0))[0]
    tint = torch.tensor([rng.uniform(0.8, 1.0), rng.uniform(0.85, 1.0), rng.uniform(0.75, 1.0)]).view(3, 1, 1)
    wire_or_star = rng.choice([1.0, 1.0, -0.4])  # a wire may also be darker than the sky
    return (picture + wire_or_star * light * tint).clamp(0, 1)
