"""Points of light, lamps and thin wires on dark ground: what a night cleaner must leave standing, in their own colours."""

import math
import random

import torch

LARGEST = 9  # px: how far a lamp's light is drawn from its middle


def with_lights(pictures: torch.Tensor, rng: random.Random) -> torch.Tensor:
    """(N, 3, H, W) encoded: darkened, then sown with stars, lamps and wires."""
    dark = [picture * rng.uniform(0.1, 0.6) for picture in pictures]
    return torch.stack([sown(picture, rng, rng.choice([0, 5, 20, 60]), rng.choice([0, 0, 1, 2])) for picture in dark])


def tint(rng: random.Random) -> torch.Tensor:
    """(3, 1, 1), the largest 1: from blue over white to red, as stars and lamps are; now and then any colour at all, as signs are."""
    if rng.random() < 0.15:
        colour = torch.tensor([rng.uniform(0.1, 1) for _ in range(3)])
    else:
        warmth = rng.uniform(-1, 1)
        colour = torch.tensor([1 - max(0, -warmth) * 0.55, 1 - abs(warmth) * rng.uniform(0.2, 0.45), 1 - max(0, warmth) * 0.75])
    return (colour / colour.max()).view(3, 1, 1)


def sown(picture: torch.Tensor, rng: random.Random, points: int, wires: int) -> torch.Tensor:
    """(3, H, W) encoded, with so many points of light, of one sharpness, and straight wires in it."""
    _, height, width = picture.shape
    picture = picture.clone()
    down, across = torch.arange(height).view(-1, 1), torch.arange(width).view(1, -1)
    sharpness = rng.uniform(0.5, 1.0)
    for _ in range(points):
        y, x = rng.uniform(0, height), rng.uniform(0, width)
        lamp = rng.random() < 0.08
        sigma = rng.uniform(1.2, 3.0) if lamp else sharpness
        peak = rng.uniform(0.5, 1.5) if lamp else 0.05 + 1.2 * rng.random() ** 2.5
        rows = slice(max(0, int(y) - LARGEST), int(y) + LARGEST + 1)
        columns = slice(max(0, int(x) - LARGEST), int(x) + LARGEST + 1)
        away = (down[rows] - y) ** 2 + (across[:, columns] - x) ** 2
        picture[:, rows, columns] += peak * torch.exp(-away / (2 * sigma * sigma)) * tint(rng)
    for _ in range(wires):
        angle = rng.uniform(0, math.pi)
        y, x = rng.uniform(0, height), rng.uniform(0, width)
        away = (across - x) * math.sin(angle) - (down - y) * math.cos(angle)
        profile = torch.exp(-(away**2) / (2 * rng.uniform(0.35, 0.9) ** 2))
        if rng.random() < 0.5:
            picture = picture * (1 - rng.uniform(0.3, 0.9) * profile)  # darker than the sky
        else:
            picture = picture + rng.uniform(0.05, 0.5) * profile * tint(rng)
    return picture.clamp(0, 1)
