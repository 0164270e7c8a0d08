"""Losses beside the mean error: one rewards texture of the right strength in the right place, one the right tone.

Learned by a mean error alone, grass and gravel come out as their average: smooth. Here the local standard deviation of
two fine bands must match as well, whatever the exact place of each blade.
"""

import torch
from torch.nn import functional as F

from .degrade import gaussian_blur

WINDOW = 8  # pixels
GREY = torch.tensor([0.299, 0.587, 0.114]).view(1, 3, 1, 1)  # ITU-R BT.601


def bands(picture: torch.Tensor) -> list[torch.Tensor]:
    grey = (picture * GREY).sum(1, keepdim=True)
    soft = gaussian_blur(grey, 1.0)
    softer = gaussian_blur(soft, 2.0)
    return [grey - soft, soft - softer]


def strength(band: torch.Tensor) -> torch.Tensor:
    """Local standard deviation of a band, over windows that overlap by half."""
    return (F.avg_pool2d(band * band, WINDOW, WINDOW // 2) + 1e-6).sqrt()


def texture_loss(guess: torch.Tensor, target: torch.Tensor) -> torch.Tensor:
    pairs = zip(bands(guess), bands(target))
    return sum((strength(g) - strength(t)).abs().mean() for g, t in pairs)


def tone_loss(guess: torch.Tensor, target: torch.Tensor) -> torch.Tensor:
    """How far the means of windows are off: in smooth tone a shift by less than a level is most of the error that is left."""
    return F.avg_pool2d(guess - target, WINDOW).abs().mean()
