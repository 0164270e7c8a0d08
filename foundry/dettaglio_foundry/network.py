"""The networks. Plain 3x3 convolutions only: they are what a CPU runtime does fastest."""

import torch
from torch import nn
from torch.nn import functional as F


class Enlarger(nn.Module):
    """(N, 3, H, W) encoded RGB in [0, 1] -> (N, 3, factor*H, factor*W), same encoding, not clamped.

    A head, `blocks` convolutions in pairs of which the second has a shortcut, a tail, and the input repeated into the
    output, so that the network only has to learn what plain repetition lacks. The last step is a
    pixel shuffle. The receptive field reaches `halo` input pixels beyond each output pixel.
    """

    def __init__(self, channels: int, blocks: int, factor: int):
        super().__init__()
        assert blocks % 2 == 0, "blocks come in pairs"
        self.factor = factor
        self.blocks = blocks
        self.head = nn.Conv2d(3, channels, 3, padding=1)
        self.body = nn.ModuleList(nn.Conv2d(channels, channels, 3, padding=1) for _ in range(blocks))
        self.act = nn.ModuleList(nn.PReLU(channels) for _ in range(blocks + 1))
        self.tail = nn.Conv2d(channels, 3 * factor * factor, 3, padding=1)

    @property
    def halo(self) -> int:
        """One pixel for each 3x3 convolution on the way."""
        return self.blocks + 2

    def forward(self, x: torch.Tensor) -> torch.Tensor:
        features = self.act[0](self.head(x))
        for i, conv in enumerate(self.body):
            if i % 2 == 0:
                features = self.act[i + 1](conv(features))
            else:
                features = features + conv(features)
        repeated = x.repeat_interleave(self.factor**2, dim=1)
        return F.pixel_shuffle(self.tail(features) + repeated, self.factor)


def calm(net: Enlarger) -> Enlarger:
    """Scale a fresh network so that each shortcut starts small and the output starts as its input.

    Deep plain networks without normalisation learn faster from there.
    """
    with torch.no_grad():
        for conv in list(net.body)[1::2]:
            conv.weight.mul_(0.1)
        net.tail.weight.mul_(0.1)
    return net
