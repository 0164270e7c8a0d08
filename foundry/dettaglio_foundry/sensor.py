"""A camera's noise, from the sensor on: Poisson-Gaussian in light, one colour a pixel, demosaiced, developed.

Functions take and return (N, 3, H, W); light and encoded values alike lie in [0, 1]. H and W are even.
"""

import random
from collections.abc import Callable

import torch
from torch.nn import functional as F

from .degrade import encode, gaussian_blur, linearise

CROSS = torch.tensor([[0.0, 1, 0], [1, 4, 1], [0, 1, 0]]) / 4
SQUARE = torch.tensor([[1.0, 2, 1], [2, 4, 2], [1, 2, 1]]) / 4


def mosaic_masks(height: int, width: int) -> torch.Tensor:
    """(3, H, W) of 0 and 1: which colour each pixel of an RGGB sensor sees."""
    masks = torch.zeros(3, height, width)
    masks[0, ::2, ::2] = 1
    masks[1, ::2, 1::2] = 1
    masks[1, 1::2, ::2] = 1
    masks[2, 1::2, 1::2] = 1
    return masks


def spread(planes: torch.Tensor) -> torch.Tensor:
    """Bilinear interpolation of the three sparse planes that a mosaic leaves."""
    kernels = torch.stack([SQUARE, CROSS, SQUARE])[:, None]
    return F.conv2d(F.pad(planes, (1,) * 4, mode="reflect"), kernels, groups=3)


def with_green(seen: torch.Tensor, green: torch.Tensor, masks: torch.Tensor) -> torch.Tensor:
    """Red and blue from their differences to a full green plane: colour differences vary more slowly than colours."""
    difference = spread((seen - green) * masks)
    return torch.cat([green + difference[:, :1], green, green + difference[:, 2:]], 1)


def bilinear(seen: torch.Tensor, _masks: torch.Tensor) -> torch.Tensor:
    """Each colour by itself: the softest, with coloured fringes at edges."""
    return spread(seen)


def colour_difference(seen: torch.Tensor, masks: torch.Tensor) -> torch.Tensor:
    """Bilinear green, whose detail is carried into red and blue."""
    return with_green(seen, spread(seen)[:, 1:2], masks)


def second_difference(mosaic: torch.Tensor, dim: int) -> torch.Tensor:
    """2 m(x) - m(x - 2) - m(x + 2) along a dimension: how a plane of one colour bends there. Reflected at the edges."""
    pad = (2, 2, 0, 0) if dim == 3 else (0, 0, 2, 2)
    padded = F.pad(mosaic, pad, mode="reflect")
    size = mosaic.shape[dim]
    return 2 * mosaic - padded.narrow(dim, 0, size) - padded.narrow(dim, 4, size)


def neighbours(plane: torch.Tensor, dim: int) -> tuple[torch.Tensor, torch.Tensor]:
    pad = (1, 1, 0, 0) if dim == 3 else (0, 0, 1, 1)
    padded = F.pad(plane, pad, mode="reflect")
    size = plane.shape[dim]
    return padded.narrow(dim, 0, size), padded.narrow(dim, 2, size)


def gradient_corrected(seen: torch.Tensor, masks: torch.Tensor) -> torch.Tensor:
    """Bilinear green corrected by how red or blue bends at the same place (the green of Malvar, He and Cutler 2004)."""
    mosaic = seen.sum(1, keepdim=True)
    bend = (second_difference(mosaic, 2) + second_difference(mosaic, 3)) / 8
    green = spread(seen)[:, 1:2] + bend * (1 - masks[1])
    return with_green(seen, green, masks)


def edge_aware(seen: torch.Tensor, masks: torch.Tensor) -> torch.Tensor:
    """Green interpolated along the direction in which it changes least (Hamilton and Adams 1997)."""
    mosaic = seen.sum(1, keepdim=True)
    guesses, changes = [], []
    for dim in (3, 2):
        before, after = neighbours(mosaic, dim)
        bend = second_difference(mosaic, dim)
        guesses.append((before + after) / 2 + bend / 4)
        changes.append((before - after).abs() + bend.abs())
    across, down = changes
    along = torch.where(across < down, guesses[0], torch.where(down < across, guesses[1], (guesses[0] + guesses[1]) / 2))
    return with_green(seen, torch.where(masks[1] > 0, mosaic, along), masks)


Demosaicing = Callable[[torch.Tensor, torch.Tensor], torch.Tensor]
DEMOSAICINGS: dict[Demosaicing, float] = {edge_aware: 0.4, gradient_corrected: 0.25, colour_difference: 0.25, bilinear: 0.1}


def demosaic(light: torch.Tensor, how: Demosaicing = colour_difference) -> torch.Tensor:
    """What a raw developer makes of the single colour that each sensor pixel saw.

    Noise comes out correlated between neighbours and colours, differently for each way of doing it: that is what tells a camera's grain
    from white noise.
    """
    masks = mosaic_masks(*light.shape[-2:])
    return how(light * masks, masks)


def tone_curve(encoded: torch.Tensor, contrast: float) -> torch.Tensor:
    """A smooth S around mid grey; `contrast` 0 leaves the picture as it is, 1 is strong."""
    s = encoded * encoded * (3 - 2 * encoded)
    return encoded + contrast * (s - encoded)


def sharpened(picture: torch.Tensor, amount: float) -> torch.Tensor:
    """Unsharp masking at a radius of 0.8 px, as cameras do by themselves."""
    return picture + amount * (picture - gaussian_blur(picture, 0.8))


def through_camera(encoded: torch.Tensor, rng: random.Random) -> torch.Tensor:
    """The picture as a camera gives it without noise: what demosaicing leaves at edges, in half the cases sharpened."""
    (how,) = rng.choices(list(DEMOSAICINGS), list(DEMOSAICINGS.values()))
    picture = encode(demosaic(linearise(encoded), how).clamp(0, 1))
    return sharpened(picture, rng.uniform(0.1, 0.8)).clamp(0, 1) if rng.random() < 0.5 else picture


def photograph(encoded: torch.Tensor, rng: random.Random, sigma: float):
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
    (how,) = rng.choices(list(DEMOSAICINGS), list(DEMOSAICINGS.values()))
    crispness = rng.uniform(0.2, 1.0) if rng.random() < 0.25 else 0.0

    def develop(light: torch.Tensor) -> torch.Tensor:
        picture = tone_curve(encode((demosaic(light, how) / exposure).clamp(0, 1)), contrast)
        return sharpened(picture, crispness).clamp(0, 1) if crispness else picture

    clean = develop(light)
    # Find the strength that gives the sigma asked for: the development is not linear, so two corrections.
    strength = 0.2 * sigma
    for _ in range(2):
        noisy = develop((light + strength * noise).clamp(min=0))
        strength *= sigma / max(1e-5, (noisy - clean).std().item())
    noisy = develop((light + strength * noise).clamp(min=0))
    return noisy.clamp(0, 1), clean.clamp(0, 1)


def level_map(noisy: torch.Tensor, clean: torch.Tensor) -> torch.Tensor:
    """(N, 1, H, W): the local standard deviation of the noise over all colours, smoothed over some 12 px."""
    variance = ((noisy - clean) ** 2).mean(1, keepdim=True)
    return gaussian_blur(variance, 12.0).clamp(min=0).sqrt()
