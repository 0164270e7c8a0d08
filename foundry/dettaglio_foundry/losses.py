"""How far an answer is from the truth, as training counts it.

All take the guess, the truth and what was shown, (N, 3, H, W) in [0, 1], and how far each pixel is to be trusted, 0 to 1, (N, 1, H, W) or a
single number for all; `guard` is the weight of what the answer makes worse than it was shown.
"""

import torch
import torch.nn.functional as F

from . import marks

LUMA = torch.tensor([65.481, 128.553, 24.966]).view(1, 3, 1, 1) / 255  # ITU-R BT.601

COLOUR = 0.3  # of the squared error of decibels' luma, the share of the three colours' beside it
UNSEEN = 1e-6  # squared error, 60 dB: less counts for nothing
GUARDED, STRIDE = 24, 12  # px: the squares that are guarded each, and how far they lie apart
UNSEEN_THERE = 1e-5  # 50 dB
OVERLAP = 0.1  # of the overlap beside the cross entropy
SCALE = 0.02  # so that a step's gradients stay below where they are cut off


def charbonnier(guess, target, trust, shown, guard: float) -> torch.Tensor:
    """The mean error, a little rounded at nought (Charbonnier): large and small errors count as much as they are."""
    off = ((guess - target) ** 2 + 1e-6).sqrt()
    loss = (off * trust).mean()
    if guard:
        loss = loss + guard * (off - (shown - target).abs()).clamp(min=0).mean()
    return loss


def decibels(guess, target, trust, shown, guard: float) -> torch.Tensor:
    """The mean over the patches of the logarithm of their squared error, as PSNR counts it.

    A face that is hard to see then counts as much as one that is nearly sharp, and an eye's large errors more than a cheek's many small ones.
    The guard is on squares of the canvas, in the same measure.
    """
    squared = seen_error(guess, target) * trust
    loss = torch.log(squared.mean((1, 2, 3)) + UNSEEN).mean()
    if guard:
        weight = F.avg_pool2d(trust.expand_as(squared), GUARDED, STRIDE)
        before, after = (
            torch.log(F.avg_pool2d(error, GUARDED, STRIDE) / weight + UNSEEN_THERE)
            for error in (seen_error(shown, target) * trust, squared)
        )
        loss = loss + guard * (weight * (after - before).clamp(min=0)).sum() / weight.sum()
    return SCALE * loss


def seen_error(a: torch.Tensor, b: torch.Tensor) -> torch.Tensor:
    """(N, 1, H, W): the squared error of luma, and in part of the three colours."""
    off = a - b
    return ((off * LUMA).sum(1, keepdim=True) ** 2 + COLOUR * (off**2).mean(1, keepdim=True)) / (1 + COLOUR)


def covered(guess, target, trust, shown, guard: float) -> torch.Tensor:
    """For likelihoods and masks (N, K, H, W): the cross entropy, and how little the two overlap (Milletari, Navab and Ahmadi 2016), as the
    pixels of marks are few. What nobody sees (marks.UNSEEN) does not count."""
    counts = (target != marks.UNSEEN).float()
    guess, target = guess * counts, target * counts
    entropy = F.binary_cross_entropy(guess.clamp(1e-5, 1 - 1e-5), target)
    both, either = (guess * target).sum((0, 2, 3)), (guess + target).sum((0, 2, 3))
    return entropy + OVERLAP * (1 - (2 * both + 1) / (either + 1)).mean()


def inside(guess, target, trust, shown, guard: float) -> torch.Tensor:
    """As `charbonnier`, over what counts alone: `trust` is a mask."""
    off = ((guess - target) ** 2 + 1e-6).sqrt()
    return (off * trust).sum() / (3 * trust.sum() + 1)


LOSSES = {"charbonnier": charbonnier, "decibels": decibels, "covered": covered, "inside": inside}
# As a card's recipe says it.
IN_WORDS = {"charbonnier": "Charbonnier loss", "decibels": "loss by each patch's PSNR",
            "covered": "cross entropy and overlap", "inside": "Charbonnier loss inside the marks"}
