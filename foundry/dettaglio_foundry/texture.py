"""What texture models learn by, beside the mean error: a general network's eye, an adversary, and no lattice.

Learned by a mean error alone, grass and fur come out as their average: smooth. A loss on texture's local strength is pleased by any pattern
of the right strength, also by a dot screen on the lattice of the pixel shuffle. Here texture must look like the real one to a network
that has learned to see (perception.py) and to an adversary that learns to tell the two apart, and what all phases of the shuffle have in
common costs.
"""

import torch
from torch import nn
from torch.nn import functional as F
from torch.nn.utils.parametrizations import spectral_norm

WINDOW = 8  # pixels
GREY = torch.tensor([0.299, 0.587, 0.114]).view(1, 3, 1, 1)  # ITU-R BT.601
SPECTRUM = 32  # px: side of the windows of which spectra are taken
LEAST_POWER = 1e-3  # some half a level of noise: less does not show
CELLS = 6  # of the lattice, a side, over which phases are compared


def tone_loss(guess: torch.Tensor, target: torch.Tensor) -> torch.Tensor:
    """How far the means of windows are off: in smooth tone a shift by less than a level is most of the error that is left."""
    return F.avg_pool2d(guess - target, WINDOW).abs().mean()


def phases(picture: torch.Tensor, factor: int) -> torch.Tensor:
    """(N, factor^2, h, w): what the fine band has at each phase of the lattice, averaged over windows of CELLS x CELLS cells, less their mean.

    Texture that lies nowhere in particular averages out; a screen stays.
    """
    grey = (picture * GREY).sum(1, keepdim=True)
    fine = grey - F.avg_pool2d(F.pad(grey, (2,) * 4, mode="reflect"), 5, 1)
    common = F.avg_pool2d(F.pixel_unshuffle(fine, factor), CELLS, CELLS // 2)
    return common - common.mean(1, keepdim=True)


def lattice_loss(guess: torch.Tensor, target: torch.Tensor, factor: int) -> torch.Tensor:
    """What the phases of the guess have in common beyond what those of the truth have."""
    return (phases(guess, factor) - phases(target, factor)).pow(2).sum(1).add(1e-8).sqrt().mean()


def log_power(picture: torch.Tensor) -> torch.Tensor:
    """(N, SPECTRUM, SPECTRUM / 2 + 1): the logarithm of each patch's power at each frequency, averaged over windows that overlap by half."""
    grey = (picture * GREY).sum(1)
    windows = grey.unfold(1, SPECTRUM, SPECTRUM // 2).unfold(2, SPECTRUM, SPECTRUM // 2)
    hann = torch.hann_window(SPECTRUM)
    power = torch.fft.rfft2((windows - windows.mean((3, 4), keepdim=True)) * hann[:, None] * hann).abs().pow(2)
    return (power.mean((1, 2)) + LEAST_POWER).log()


def spectrum_loss(guess: torch.Tensor, target: torch.Tensor) -> torch.Tensor:
    """How far the power of each frequency lies from the truth's, wherever in the patch it is: a pattern of any period is a peak in it, texture
    that is missing a lack. Squared, so that one strong peak costs more than many small differences."""
    return (log_power(guess) - log_power(target)).pow(2).mean()


class Adversary(nn.Module):
    """A result and the plain enlargement of what it was made from, (N, 3, H, W) each, -> how real each place looks, (N, 1, H / 8, W / 8), as a
    logit. Spectrally normalised (Miyato et al. 2018) but for the last convolution, which may speak up.

    It is shown the result and what the result adds to the plain enlargement, the latter stronger: there lies what tells made from real.
    """

    STRONGER = 6.0

    def __init__(self, channels: int = 32):
        super().__init__()
        layers, wide = [], 6
        for out, stride in ((1, 1), (1, 2), (2, 1), (2, 2), (4, 1), (4, 2), (4, 1)):
            layers += [spectral_norm(nn.Conv2d(wide, out * channels, 3, stride=stride, padding=1)), nn.LeakyReLU(0.2)]
            wide = out * channels
        self.layers = nn.Sequential(*layers, nn.Conv2d(wide, 1, 3, padding=1))

    def forward(self, picture: torch.Tensor, plain: torch.Tensor) -> torch.Tensor:
        return self.layers(torch.cat([2 * picture - 1, self.STRONGER * (picture - plain)], 1))


def tells_apart(real: torch.Tensor, made: torch.Tensor) -> torch.Tensor:
    """The adversary's loss: real ones should look more real than made ones do on average, and the other way round (Jolicoeur-Martineau 2019).

    With the two exchanged, what the texture model learns by.
    """
    return 0.5 * (F.softplus(made.mean() - real).mean() + F.softplus(made - real.mean()).mean())
