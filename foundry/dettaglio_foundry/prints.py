"""What time and printing do to a photograph on paper before it is scanned.

Functions take and return (N, 3, H, W) encoded RGB in [0, 1].
"""

import math
import random

import torch
from torch.nn import functional as F

from .degrade import gaussian_blur


def faded(pictures: torch.Tensor, rng: random.Random) -> torch.Tensor:
    """Less contrast, lifted blacks, a warm cast, sometimes no colour left. A tone, not a damage: it stays in the answer."""
    grey = (pictures * torch.tensor([0.299, 0.587, 0.114]).view(1, 3, 1, 1)).sum(1, keepdim=True)
    pictures = torch.lerp(pictures, grey.expand_as(pictures), rng.choice([rng.uniform(0, 0.6), 1.0]))
    black = torch.tensor([rng.uniform(0.02, 0.25), rng.uniform(0.02, 0.2), rng.uniform(0.02, 0.18)]).view(1, 3, 1, 1)
    white = torch.tensor([rng.uniform(0.85, 1), rng.uniform(0.8, 0.97), rng.uniform(0.6, 0.92)]).view(1, 3, 1, 1)
    return black + pictures * (white - black)


def paper_grain(pictures: torch.Tensor, rng: random.Random) -> torch.Tensor:
    """Clumped silver and the fibres or the embossing of the paper: noise with a grain of its own size."""
    n, _, height, width = pictures.shape
    clumps = gaussian_blur(torch.randn(n, 1, height, width), rng.uniform(0.4, 1.6))
    clumps = clumps / clumps.std()
    middle = 4 * pictures.mean(1, keepdim=True) * (1 - pictures.mean(1, keepdim=True))  # grain shows most in mid tones
    grained = pictures + clumps * (0.3 + 0.7 * middle) * rng.uniform(1.0, 12.0) / 255
    if rng.random() < 0.25:  # embossed: a lattice of soft bumps lit from one side
        y, x = torch.meshgrid(torch.arange(height).float(), torch.arange(width).float(), indexing="ij")
        pitch, slant = rng.uniform(5, 14), rng.uniform(0, math.pi)
        waves = torch.sin(2 * math.pi * (x * math.cos(slant) + y * math.sin(slant)) / pitch)
        waves = waves + torch.sin(2 * math.pi * (y * math.cos(slant) - x * math.sin(slant)) / pitch)
        grained = grained + waves * rng.uniform(1.0, 5.0) / 255
    return grained


def halftone(pictures: torch.Tensor, rng: random.Random) -> torch.Tensor:
    """Dots that grow with the ink, seen by a scanner that nearly resolves them."""
    _, _, height, width = pictures.shape
    y, x = torch.meshgrid(torch.arange(height).float(), torch.arange(width).float(), indexing="ij")
    pitch = rng.uniform(2.6, 5.0)
    angles = [math.radians(a) for a in ([45.0] * 3 if rng.random() < 0.5 else [15.0, 75.0, 45.0])]
    dots = []
    for channel, angle in enumerate(angles):
        u = (x * math.cos(angle) + y * math.sin(angle)) * 2 * math.pi / pitch
        v = (y * math.cos(angle) - x * math.sin(angle)) * 2 * math.pi / pitch
        screen = 0.5 + 0.25 * (torch.cos(u) + torch.cos(v))
        dots.append(torch.sigmoid((pictures[:, channel] - (1 - screen)) * 9))
    printed = torch.stack(dots, 1)
    return torch.lerp(pictures, gaussian_blur(printed, 0.7), rng.uniform(0.15, 0.6))


def scratched(pictures: torch.Tensor, rng: random.Random) -> torch.Tensor:
    """Hairline scratches, mostly light, and specks of dust."""
    out = []
    for picture in pictures:
        _, height, width = picture.shape
        mark = torch.zeros(1, 1, height, width)
        for _ in range(rng.choice([0, 0, 1, 2])):
            angle, bend = rng.uniform(0, 2 * math.pi), rng.gauss(0, 0.004)
            t = torch.arange(0, rng.uniform(0.3, 1.5) * width, 0.5)
            course = angle + bend * t
            y = (rng.randrange(height) + torch.cumsum(torch.sin(course), 0) * 0.5).round().long()
            x = (rng.randrange(width) + torch.cumsum(torch.cos(course), 0) * 0.5).round().long()
            inside = (y >= 0) & (y < height) & (x >= 0) & (x < width)
            mark[0, 0, y[inside], x[inside]] = 1
        for _ in range(rng.choice([0, 1, 3, 8])):
            y, x = rng.randrange(height), rng.randrange(width)
            mark[0, 0, y : y + rng.choice([1, 1, 2, 3]), x : x + rng.choice([1, 1, 2])] = 1
        mark = gaussian_blur(mark, rng.uniform(0.35, 0.7)) * 1.6
        shade = rng.choice([1.0, 0.95, 0.9, 0.1])
        out.append(torch.lerp(picture, torch.full_like(picture, shade), (mark[0] * rng.uniform(0.3, 0.9)).clamp(0, 1)))
    return torch.stack(out)


def scan_of(small: torch.Tensor, rng: random.Random) -> torch.Tensor:
    """A scan of an old print of `small`, at the scan's own size."""
    if rng.random() < 0.6:
        small = gaussian_blur(small, rng.uniform(0.3, 0.9))
    if rng.random() < 0.35:
        small = halftone(small, rng)
    if rng.random() < 0.85:
        small = paper_grain(small, rng)
    if rng.random() < 0.6:
        small = scratched(small, rng)
    return small.clamp(0, 1)
