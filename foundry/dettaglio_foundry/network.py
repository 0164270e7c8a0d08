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


class Cleaner(nn.Module):
    """(N, 3, H, W) encoded RGB in [0, 1] and its level (N, 1, H, W) -> (N, 3, H, W), same encoding, not clamped.

    The level says how much damage there is at each pixel, so that one network serves every amount: the
    standard deviation of the noise over 1.0, or 1 - quality / 100 of a JPEG. At level 0 it should change nothing.

    It works on pixels folded 2x2, a quarter of the positions; H and W are even. Otherwise built as `Enlarger`.
    """

    FOLD = 2
    TOLD = 1  # planes that it is told beside the picture

    def __init__(self, channels: int, blocks: int):
        super().__init__()
        assert blocks % 2 == 0, "blocks come in pairs"
        self.factor = 1
        self.blocks = blocks
        folded = self.FOLD**2
        self.head = nn.Conv2d((3 + self.TOLD) * folded, channels, 3, padding=1)
        self.body = nn.ModuleList(nn.Conv2d(channels, channels, 3, padding=1) for _ in range(blocks))
        self.act = nn.ModuleList(nn.PReLU(channels) for _ in range(blocks + 1))
        self.tail = nn.Conv2d(channels, 3 * folded, 3, padding=1)

    @property
    def halo(self) -> int:
        """One folded pixel for each 3x3 convolution on the way."""
        return self.FOLD * (self.blocks + 2)

    def forward(self, x: torch.Tensor, level: torch.Tensor) -> torch.Tensor:
        folded = F.pixel_unshuffle(torch.cat([x, level], 1), self.FOLD)
        features = self.act[0](self.head(folded))
        for i, conv in enumerate(self.body):
            if i % 2 == 0:
                features = self.act[i + 1](conv(features))
            else:
                features = self.seen_whole(features + conv(features), i)
        return x + F.pixel_shuffle(self.tail(features), self.FOLD)

    def seen_whole(self, features: torch.Tensor, _block: int) -> torch.Tensor:
        """The features after a pair of blocks, with what farther surroundings add to them; here nothing."""
        return features


class Pair(nn.Module):
    """Two 3x3 convolutions with a shortcut around them."""

    def __init__(self, channels: int):
        super().__init__()
        self.first = nn.Conv2d(channels, channels, 3, padding=1)
        self.act = nn.PReLU(channels)
        self.second = nn.Conv2d(channels, channels, 3, padding=1)
        with torch.no_grad():
            self.second.weight.mul_(0.1)  # as in `calm`

    def forward(self, x: torch.Tensor) -> torch.Tensor:
        return x + self.second(self.act(self.first(x)))


class Surroundings(nn.Module):
    """(N, C, H, W) -> (N, C, H, W): what features at half and at a quarter of the resolution have to say, after U-Net (Ronneberger, Fischer
    and Brox 2015).

    A face of 24 px between the eyes is enlarged more than three times to the canvas: there, plain convolutions see seven of its own
    pixels, no more than half an eye. H and W are multiples of 4. Adds nothing before it has learned anything.
    """

    def __init__(self, channels: int):
        super().__init__()
        half, quarter = 4 * channels // 3, 2 * channels
        self.to_half = nn.Conv2d(channels, half, 3, stride=2, padding=1)
        self.half_before = Pair(half)
        self.to_quarter = nn.Conv2d(half, quarter, 3, stride=2, padding=1)
        self.quarter = nn.Sequential(*(Pair(quarter) for _ in range(2)))
        self.from_quarter = nn.Conv2d(quarter, 4 * half, 1)
        self.half_after = Pair(half)
        self.from_half = nn.Conv2d(half, 4 * channels, 1)
        self.acts = nn.ModuleList([nn.PReLU(half), nn.PReLU(quarter)])
        nn.init.zeros_(self.from_half.weight)
        nn.init.zeros_(self.from_half.bias)

    def forward(self, x: torch.Tensor) -> torch.Tensor:
        half = self.half_before(self.acts[0](self.to_half(x)))
        quarter = self.quarter(self.acts[1](self.to_quarter(half)))
        half = self.half_after(half + F.pixel_shuffle(self.from_quarter(quarter), 2))
        return F.pixel_shuffle(self.from_half(half), 2)


class Restorer(Cleaner):
    """(N, 3, H, W) a soft face on its canvas and (N, 3, H, W) where each pixel lies there, and how much finer the canvas is than
    the original, -> (N, 3, H, W), not clamped.

    Knowing the place, plain convolutions can tell an eye from a nostril of the same few pixels; knowing the scale, what is soft from
    what is small. It is a cleaner that is told three things, and starts as one (`start_from`): folded 4x4 and from nothing, it had not
    left the identity after 500 steps.
    """

    TOLD = 3
    AFTER = 3  # the block after which it looks around

    def __init__(self, channels: int, blocks: int):
        super().__init__(channels, blocks)
        self.surroundings = Surroundings(channels)

    def seen_whole(self, features: torch.Tensor, block: int) -> torch.Tensor:
        return features + self.surroundings(features) if block == min(self.AFTER, self.blocks - 1) else features


class OnCanvas(nn.Module):
    """A restorer of whole canvases, (1, 3, 320, 256), and their scale (1, 1, 320, 256), which knows the places by itself: what is
    exported."""

    def __init__(self, net: Restorer, width: int, height: int):
        super().__init__()
        self.net, self.factor, self.halo = net, 1, net.halo
        across, down = ((torch.arange(n) + 0.5) / n * 2 - 1 for n in (width, height))
        self.register_buffer("across", across.view(1, 1, 1, width))
        self.register_buffer("down", down.view(1, 1, height, 1))

    def forward(self, x: torch.Tensor, level: torch.Tensor) -> torch.Tensor:
        return self.net(x, torch.cat([self.across.expand_as(level), self.down.expand_as(level), level], 1))


Network = Enlarger | Cleaner


def build(config) -> Network:
    if config.kind == "face":
        return Restorer(config.channels, config.blocks)
    if config.kind == "clean":
        return Cleaner(config.channels, config.blocks)
    return Enlarger(config.channels, config.blocks, config.factor)


def calm(net: Network) -> Network:
    """Scale a fresh network so that each shortcut starts small and the output starts as its input.

    Deep plain networks without normalisation learn faster from there.
    """
    with torch.no_grad():
        for conv in list(net.body)[1::2]:
            conv.weight.mul_(0.1)
        net.tail.weight.mul_(0.1)
    return net


def start_from(net: Network, weights: dict[str, torch.Tensor]) -> Network:
    """Let a fresh network begin as a trained one with no more blocks and channels: it answers as that one did.

    The old channels come first and hear nothing of the new ones yet (after Chen, Goodfellow and Shlens, Net2Net, 2016); further pairs of
    blocks add nothing yet.
    """
    fresh = net.state_dict()
    if isinstance(net, Restorer):
        return start_restorer(net, weights)
    assert weights.keys() <= fresh.keys(), "it has fewer blocks"
    for name, value in fresh.items():
        old = weights.get(name)
        if old is None:
            pass_on(name, value)
            continue
        if value.dim() == 4 and not name.startswith("head"):
            value[: old.shape[0]] = 0
        value[tuple(slice(side) for side in old.shape)] = old
    net.load_state_dict(fresh)
    return net


def pass_on(name: str, value: torch.Tensor) -> None:
    """Of a further pair of blocks the first passes on what it is given, and the second adds nothing to it."""
    if name.startswith("act"):
        value.fill_(1.0)
        return
    first = int(name.split(".")[1]) % 2 == 0
    value.zero_()
    if first and name.endswith("weight"):
        nn.init.dirac_(value)


LEVEL = 0.15  # of softness, at which a restorer starts


def start_restorer(net: Restorer, weights: dict[str, torch.Tensor]) -> Restorer:
    """Let a restorer begin as an earlier one, or as a cleaner of as many channels and no more blocks that is always told the same level.

    The place is not listened to yet, and further pairs of blocks and the surroundings add nothing yet.
    """
    fresh = net.state_dict()
    folded = net.FOLD**2
    head = weights["head.weight"]
    fresh["head.weight"].zero_()
    if head.shape[1] > 4 * folded:
        # A restorer that was told fewer things: the new ones are not listened to yet.
        fresh["head.weight"][:, : head.shape[1]] = head
        fresh["head.bias"] = weights["head.bias"]
    else:
        fresh["head.weight"][:, : 3 * folded] = head[:, : 3 * folded]
        fresh["head.bias"] = weights["head.bias"] + LEVEL * head[:, 3 * folded :].sum((1, 2, 3))
    for name in fresh.keys() - {"head.weight", "head.bias"}:
        if name in weights:
            fresh[name] = weights[name]
        elif not name.startswith("surroundings"):
            pass_on(name, fresh[name])
    net.load_state_dict(fresh)
    return net
