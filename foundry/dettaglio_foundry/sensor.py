"""A camera's noise, from the sensor on: Poisson-Gaussian in light, one colour a pixel, demosaiced, developed.

Functions take and return (N, 3, H, W); light and encoded values alike lie in [0, 1]. H and W are even.
"""

import random

import torch
from torch.nn import functional as F

from .degrade import encode, gaussian_blur, linearise


def mosaic_masks(height: int, width: int) -> torch.Tensor:
    """(3, H, W) of 0 and 1: which colour each pixel of an RGGB sensor sees."""
    masks = torch.zeros(3, height, width)
    masks[0, ::2, ::2] = 1
    masks[1, ::2, 1::2] = 1
    masks[1, 1::2, ::2] = 1
    masks[2, 1::2, 1::2] = 1
    return masks


def demosaic(light: torch.Tensor) -> torch.Tensor:
    """What a raw developer makes of the single colour that each sensor pixel saw.

    Bilinear, with the green plane's detail carried into red and blue: noise comes out correlated between
    neighbours and colours, which is what tells a camera's grain from white noise.
    """
    masks = mosaic_masks(*light.shape[-2:])
    seen = light * masks
    cross = torch.tensor([[0.0, 1, 0], [1, 4, 1], [0, 1, 0]]) / 4
    square = torch.tensor([[1.0, 2, 1], [2, 4, 2], [1, 2, 1]]) / 4
    kernels = torch.stack([square, cross, square])[:, None]
    spread = lambda planes: F.conv2d(F.pad(planes, (1,) * 4, mode="reflect"), kernels, groups=3)  # noqa: E731
    plain = spread(seen)
    green = plain[:, 1:2]
    # Colour differences vary more slowly than colours: interpolate those, then add the green back.
    difference = spread((seen - green) * masks)
    return torch.cat([green + difference[:, :1], green, green + difference[:, 2:]], 1)


def tone_curve(encoded: torch.Tensor, contrast: float) -> torch.Tensor:
    """A smooth S around mid grey; `contrast` 0 leaves the picture as it is, 1 is strong."""
    s = encoded * encoded * (3 - 2 * encoded)
    return encoded + contrast * (s - encoded)


def photograph(encoded: torch.Tensor, rng: random.Random, sigma: float, clean_demosaic: bool = True):
    """The picture as a sensor would give it with and without noise.

    `sigma` is the noise aimed at, as the mean standard deviation of the encoded values over 1.0.
    Returns (noisy, clean).
    """
    exposure = rng.uniform(0.5, 1.0)
    light = linearise(encoded) * exposure
    shot = rng.uniform(0.3, 1.0)  # the share of the variance that grows with light
    variance = shot * light + (1 - shot) * 0.02
    noise = torch.randn_like(light) * variance.sqrt()
    contrast = rng.uniform(-0.2, 0.5)
    develop = lambda l: tone_curve(encode((demosaic(l) / exposure).clamp(0, 1)), contrast)  # noqa: E731
    clean = develop(light)
    # Find the strength that gives the sigma asked for: the development is not linear, so two corrections.
    strength = 0.2 * sigma
    for _ in range(3):
        noisy = develop((light + strength * noise).clamp(min=0))
        strength *= sigma / max(1e-5, (noisy - clean).std().item())
    noisy = develop((light + strength * noise).clamp(min=0))
    return noisy.clamp(0, 1), clean.clamp(0, 1)


def level_map(noisy: torch.Tensor, clean: torch.Tensor) -> torch.Tensor:
    """(N, 1, H, W): the local standard deviation of the noise over all colours, smoothed over some 12 px."""
    variance = ((noisy - clean) ** 2).mean(1, keepdim=True)
    return gaussian_blur(variance, 12.0).clamp(min=0).sqrt()
