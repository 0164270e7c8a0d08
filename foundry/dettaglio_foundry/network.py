"""The networks. Plain 3x3 convolutions only: they are what a CPU runtime does fastest."""

import math
from itertools import pairwise

import torch
from torch import nn
from torch.nn import functional as F


def cubic(factor: int) -> torch.Tensor:
    """(factor, 5): weights of five neighbouring pixels for each of the `factor` places in the middle one, by cubic convolution (Keys 1981)."""
    away = ((torch.arange(factor) + 0.5) / factor - 0.5).view(-1, 1) - torch.arange(-2, 3)
    x = away.abs()
    near, far = 1.5 * x**3 - 2.5 * x**2 + 1, -0.5 * x**3 + 2.5 * x**2 - 4 * x + 2
    return torch.where(x < 1, near, torch.where(x < 2, far, 0.0))


class PhaseBalance(nn.Module):
    """The pixels of a result, (N, 3 * factor^2, H, W) before the shuffle, and the picture they were made of, (N, 3, H, W) -> the same without
    what would be a pattern on the lattice of the factor.

    What a result adds to cubic convolution is compared phase by phase: where one place in the cell is brighter or darker than the others on
    average over its surroundings, a Gaussian of `SIGMA` input pixels, the difference is taken off. Texture averages out there and stays; a dot
    in every cell does not. It learns nothing and holds for any weights. Cubic convolution is exact for slopes and curves, so that smooth
    tone has nothing to lose.

    All of it is linear, and is written as the runtime computes it fastest: convolutions and sums, in one order of values, without anything in
    between. Only the picture itself is continued beyond its rim; what is compared there counts as alike, so that of a difference a third stays
    in the outermost pixel of the input, a sixteenth in the next.
    """

    SIGMA, RADIUS = 1.0, 3

    def __init__(self, factor: int):
        super().__init__()
        phases, planes = factor * factor, 3 * factor * factor
        place = torch.arange(-self.RADIUS, self.RADIUS + 1)
        bell = torch.exp(-(place**2) / (2 * self.SIGMA**2))
        line = (bell / bell.sum()).view(1, 1, 1, -1).repeat(planes, 1, 1, 1)
        # Of the pixels of a cell, what each has beyond their mean.
        beyond = torch.kron(torch.eye(3), torch.eye(phases) - 1 / phases)
        each = torch.einsum("ia,jb->ijab", cubic(factor), cubic(factor)).reshape(phases, 5, 5)
        plain = torch.einsum("cd,pab->cpdab", torch.eye(3), each).reshape(planes, 3, 5, 5)
        less = -torch.einsum("ij,jcab->icab", beyond, plain)
        for name, value in (
            ("plain", plain), ("beyond", beyond.view(planes, planes, 1, 1)), ("less", less), ("across", line), ("off", -line.transpose(2, 3)),
        ):  # fmt: skip
            self.register_buffer(name, value.contiguous(), persistent=False)

    def forward(self, pixels: torch.Tensor, x: torch.Tensor) -> torch.Tensor:
        planes, reach = pixels.shape[1], self.RADIUS
        unlike = F.conv2d(pixels, self.beyond) + F.conv2d(F.pad(x, (2,) * 4, mode="replicate"), self.less)
        unlike = F.conv2d(unlike, self.across, padding=(0, reach), groups=planes)
        return pixels + F.conv2d(unlike, self.off, padding=(reach, 0), groups=planes)


def bend(channels: int, one_slope: bool) -> nn.PReLU:
    """What follows a convolution: values below zero times a slope that is learned, one for each channel or one for all.

    With one for all it is exported as a leaky ReLU, which the runtime computes within the convolution; a PReLU it computes by itself, for which it
    brings all values into another order and back: a quarter to a third of a plain network's time.
    """
    return nn.PReLU(1 if one_slope else channels)


class Enlarger(nn.Module):
    """(N, 3, H, W) encoded RGB in [0, 1] -> (N, 3, factor*H, factor*W), same encoding, not clamped.

    A head, `blocks` convolutions in pairs of which the second has a shortcut, a tail, and the input repeated into the
    output, so that the network only has to learn what plain repetition lacks. The last steps are `PhaseBalance` and a
    pixel shuffle. The receptive field reaches `halo` input pixels beyond each output pixel.
    """

    def __init__(self, channels: int, blocks: int, factor: int, one_slope: bool = False):
        super().__init__()
        assert blocks % 2 == 0, "blocks come in pairs"
        self.factor = factor
        self.blocks = blocks
        self.head = nn.Conv2d(3, channels, 3, padding=1)
        self.body = nn.ModuleList(nn.Conv2d(channels, channels, 3, padding=1) for _ in range(blocks))
        self.act = nn.ModuleList(bend(channels, one_slope) for _ in range(blocks + 1))
        self.tail = nn.Conv2d(channels, 3 * factor * factor, 3, padding=1)
        self.register_buffer("repeat", torch.eye(3).repeat_interleave(factor * factor, 0).view(-1, 3, 1, 1), persistent=False)
        self.balance = PhaseBalance(factor)

    @property
    def halo(self) -> int:
        """One pixel for each 3x3 convolution on the way, and the surroundings in which phases are compared."""
        return self.blocks + 2 + PhaseBalance.RADIUS

    def forward(self, x: torch.Tensor) -> torch.Tensor:
        return self.answer(x, self.features(x))

    def features(self, x: torch.Tensor) -> torch.Tensor:
        """(N, channels, H, W): what the last convolution makes its answer of."""
        features = self.act[0](self.head(x))
        for i, conv in enumerate(self.body):
            if i % 2 == 0:
                features = self.act[i + 1](conv(features))
            else:
                features = features + conv(features)
        return features

    def pixels(self, x: torch.Tensor, features: torch.Tensor) -> torch.Tensor:
        """(N, 3 * factor^2, H, W): the answer before phases are balanced and shuffled."""
        return self.tail(features) + F.conv2d(x, self.repeat)

    def answer(self, x: torch.Tensor, features: torch.Tensor) -> torch.Tensor:
        return F.pixel_shuffle(self.balance(self.pixels(x, features), x), self.factor)


class TextureEnlarger(nn.Module):
    """(N, 3, H, W) encoded RGB in [0, 1] and grain (N, 1, factor*H, factor*W) -> (N, 3, factor*H, factor*W), not clamped.

    An enlarger, and at full size three convolutions that see its answer, eight planes of features and the grain: noise of variance 1 that
    belongs to the place, out of which texture is made. The planes start alike in all phases of the shuffle (after Aitken et al. 2017), and
    the answer goes through `PhaseBalance` too. It starts as the enlarger.
    """

    PLANES, INNER = 8, 24

    def __init__(self, channels: int, blocks: int, factor: int):
        super().__init__()
        self.factor = factor
        self.base = Enlarger(channels, blocks, factor)
        self.planes = nn.Conv2d(channels, self.PLANES * factor * factor, 3, padding=1)
        self.first = nn.Conv2d(3 + self.PLANES + 1, self.INNER, 3, padding=1)
        self.second = nn.Conv2d(self.INNER, self.INNER, 3, padding=1)
        self.last = nn.Conv2d(self.INNER, 3, 3, padding=1)
        with torch.no_grad():
            alike = torch.randn(self.PLANES, channels, 3, 3) / math.sqrt(9 * channels)
            self.planes.weight.copy_(alike.repeat_interleave(factor * factor, 0))
            self.planes.bias.zero_()
            self.last.weight.mul_(0.05)
            self.last.bias.zero_()

    @property
    def halo(self) -> int:
        """The enlarger's, and three pixels of the result."""
        return self.base.halo + math.ceil(3 / self.factor)

    def forward(self, x: torch.Tensor, grain: torch.Tensor) -> torch.Tensor:
        features = self.base.features(x)
        answer = F.pixel_shuffle(self.base.pixels(x, features), self.factor)
        seen = torch.cat([answer, F.pixel_shuffle(self.planes(features), self.factor), grain], 1)
        seen = F.leaky_relu(self.first(seen), 0.1)
        seen = F.leaky_relu(self.second(seen), 0.1)
        made = F.pixel_unshuffle(answer + self.last(seen), self.factor)
        return F.pixel_shuffle(self.base.balance(made, x), self.factor)


class Cleaner(nn.Module):
    """(N, 3, H, W) encoded RGB in [0, 1] and its level (N, 1, H, W) -> (N, 3, H, W), same encoding, not clamped.

    The level says how much damage there is at each pixel, so that one network serves every amount: the
    standard deviation of the noise over 1.0, or 1 - quality / 100 of a JPEG. At level 0 it should change nothing.

    It works on pixels folded 2x2, a quarter of the positions; H and W are even. Otherwise built as `Enlarger`.
    """

    FOLD = 2
    TOLD = 1  # planes that it is told beside the picture

    def __init__(self, channels: int, blocks: int, one_slope: bool = False):
        super().__init__()
        assert blocks % 2 == 0, "blocks come in pairs"
        self.factor = 1
        self.blocks = blocks
        folded = self.FOLD**2
        self.head = nn.Conv2d((3 + self.TOLD) * folded, channels, 3, padding=1)
        self.body = nn.ModuleList(nn.Conv2d(channels, channels, 3, padding=1) for _ in range(blocks))
        self.act = nn.ModuleList(bend(channels, one_slope) for _ in range(blocks + 1))
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


def cosines(side: int) -> torch.Tensor:
    """(side * side, 1, side, side): the orthonormal basis of the two-dimensional cosine transform, the mean first."""
    k, i = torch.meshgrid(torch.arange(side), torch.arange(side), indexing="ij")
    line = torch.cos(math.pi * (i + 0.5) * k / side) * math.sqrt(2 / side)
    line[0] /= math.sqrt(2)
    return torch.einsum("ai,bj->abij", line, line).reshape(side * side, 1, side, side)


class Shrinkage(nn.Module):
    """(N, 3, H, W) and the noise's standard deviation (N, 1, H, W), both over 1.0 -> (N, 3, H, W) without what is no larger than noise.

    Sliding windows of 8 x 8, every second pixel, in an opponent colour space: their cosine coefficients below a threshold go, and windows in
    which little was kept count most (after Yu and Sapiro 2011). The threshold of each frequency, in standard deviations, is learned. H and W
    are even. A plain filter, and where a cleaner starts from.
    """

    SIDE, STEP = 8, 2
    HALO = 2 * (SIDE - STEP)  # a window that reaches a pixel, and what such a window sees

    def __init__(self, threshold: float = 3.2):
        super().__init__()
        self.register_buffer("basis", cosines(self.SIDE), persistent=False)
        opponent = torch.tensor([[1, 1, 1], [1, 0, -1], [1, -2, 1.0]]) / torch.tensor([3.0, 2, 6]).sqrt()[:, None]
        self.register_buffer("opponent", opponent.view(3, 3, 1, 1), persistent=False)
        self.threshold = nn.Parameter(torch.full((3, self.SIDE**2), threshold))
        self.sharpness = nn.Parameter(torch.tensor(12.0))

    def _load_from_state_dict(self, state_dict, prefix, *args):
        """Leaves what is fixed as it is: earlier weights hold it too, where they are kept with 16 bits rounded."""
        for fixed in ("basis", "opponent"):
            state_dict.pop(prefix + fixed, None)
        super()._load_from_state_dict(state_dict, prefix, *args)

    def forward(self, x: torch.Tensor, level: torch.Tensor) -> torch.Tensor:
        frequencies, edge = self.SIDE**2, self.SIDE - self.STEP
        count, _, height, width = x.shape
        planes = F.conv2d(F.pad(x, (edge,) * 4, mode="reflect"), self.opponent)
        tall, wide = height + 2 * edge, width + 2 * edge
        coefficients = F.conv2d(planes.reshape(count * 3, 1, tall, wide), self.basis, stride=self.STEP)
        down, across = (tall - self.SIDE) // self.STEP + 1, (wide - self.SIDE) // self.STEP + 1
        coefficients = coefficients.view(count, 3, frequencies, down, across)
        sigma = F.avg_pool2d(F.pad(level, (edge,) * 4, mode="reflect"), self.SIDE, self.STEP).unsqueeze(1)
        keep = torch.sigmoid(self.sharpness * (coefficients.abs() / (self.threshold.view(1, 3, frequencies, 1, 1) * sigma + 1e-6) - 1))
        keep = torch.cat([torch.ones_like(keep[:, :, :1]), keep[:, :, 1:]], 2)
        weight = 1 / (1 + keep.sum(2, keepdim=True))
        kept = (coefficients * keep * weight).view(count * 3, frequencies, down, across)
        total = F.conv_transpose2d(kept, self.basis, stride=self.STEP)
        ones = torch.ones(1, 1, self.SIDE, self.SIDE, dtype=x.dtype, device=x.device)
        weights = F.conv_transpose2d(weight.view(count * 3, 1, down, across), ones, stride=self.STEP)
        planes = (total / weights).view(count, 3, tall, wide)[..., edge : edge + height, edge : edge + width]
        return F.conv2d(planes, self.opponent.transpose(0, 1))


class Stacked(nn.Module):
    """Convolutions on pixels folded 2x2 and at halves of that resolution, down and back, what was passed on the way added again (after U-Net,
    Ronneberger, Fischer and Brox 2015).

    `widths` are the channels, `depths` the pairs of convolutions at each resolution, the finest first; H and W are multiples of `multiple`.
    """

    FOLD = 2

    def stack_up(self, inputs: int, widths: tuple[int, ...], depths: tuple[int, ...]) -> None:
        """Adds head, stacks and tail, after what a network has besides: an optimiser that goes on knows the weights by their order."""
        self.factor, self.depths = 1, depths
        stack = lambda level: nn.Sequential(*(Pair(widths[level]) for _ in range(depths[level])))  # noqa: E731
        self.head = nn.Conv2d(inputs * self.FOLD**2, widths[0], 3, padding=1)
        self.down = nn.ModuleList(nn.Conv2d(wide, wider, 2, stride=2) for wide, wider in pairwise(widths))
        self.before = nn.ModuleList(stack(i) for i in range(len(widths) - 1))
        self.deepest = stack(-1)
        self.up = nn.ModuleList(nn.Conv2d(wider, 4 * wide, 1) for wide, wider in pairwise(widths))
        self.after = nn.ModuleList(stack(i) for i in range(len(widths) - 1))
        self.tail = nn.Conv2d(widths[0], 3 * self.FOLD**2, 3, padding=1)

    @property
    def multiple(self) -> int:
        return self.FOLD * 2 ** len(self.down)

    @property
    def halo(self) -> int:
        """Pixels for each 3x3 convolution on the way, at the resolution at which it works."""
        levels = len(self.down)
        pairs = sum(2 * 2 * self.depths[i] * self.FOLD * 2**i for i in range(levels))
        return 2 * self.FOLD + pairs + 2 * self.depths[-1] * self.FOLD * 2**levels

    def seen(self, inputs: torch.Tensor) -> torch.Tensor:
        """(N, inputs, H, W) -> (N, 3, H, W)."""
        features = self.head(F.pixel_unshuffle(inputs, self.FOLD))
        passed = []
        for before, down in zip(self.before, self.down):
            features = before(features)
            passed.append(features)
            features = down(features)
        features = self.deepest(features)
        for after, up, across in reversed(list(zip(self.after, self.up, passed))):
            features = after(across + F.pixel_shuffle(up(features), 2))
        return F.pixel_shuffle(self.tail(features), self.FOLD)


class MarkFinder(Stacked):
    """(N, 3, H, W) encoded RGB in [0, 1] -> (N, 3, H, W) in [0, 1]: how likely each pixel belongs to a speck, to a line, to a break (marks.py)."""

    def __init__(self, widths: tuple[int, ...], depths: tuple[int, ...]):
        super().__init__()
        self.stack_up(3, widths, depths)
        with torch.no_grad():
            self.tail.bias.fill_(-4.0)  # marks are rare

    def forward(self, x: torch.Tensor) -> torch.Tensor:
        return torch.sigmoid(self.seen(x))


class PlainFill(nn.Module):
    """(N, 3, H, W) encoded RGB in [0, 1] and which of its pixels are marked, (N, 1, H, W) of 0 and 1 -> the same, the marked ones filled with
    what lies around them.

    Gaussian means of what is not marked, the narrowest that reaches any of it (normalised convolution, Knutsson and Westin 1993); then each marked
    pixel becomes the mean of its four neighbours so many times, all at once. It learns nothing, and is where `Filler` starts from.
    """

    SIGMAS = (8, 4, 2, 1)
    ENOUGH = 0.1  # weight from which on a narrower mean counts fully
    ROUNDS = 16
    HALO = 24 + ROUNDS

    def __init__(self):
        super().__init__()
        for sigma in self.SIGMAS:
            place = torch.arange(-3 * sigma, 3 * sigma + 1)
            bell = torch.exp(-(place**2) / (2 * sigma**2))
            self.register_buffer(f"bell{sigma}", (bell / bell.sum()).view(1, 1, 1, -1).repeat(4, 1, 1, 1), persistent=False)
        cross = torch.tensor([[0, 0.25, 0], [0.25, 0, 0.25], [0, 0.25, 0]])
        self.register_buffer("cross", cross.view(1, 1, 3, 3).repeat(3, 1, 1, 1), persistent=False)

    def forward(self, x: torch.Tensor, level: torch.Tensor) -> torch.Tensor:
        known = 1 - level
        told = torch.cat([x * known, known], 1)
        filled = x
        for sigma in self.SIGMAS:
            bell = getattr(self, f"bell{sigma}")
            wide = F.conv2d(told, bell, padding=(0, 3 * sigma), groups=4)
            wide = F.conv2d(wide, bell.transpose(2, 3), padding=(3 * sigma, 0), groups=4)
            mean = wide[:, :3] / (wide[:, 3:] + 1e-6)
            share = (wide[:, 3:] / self.ENOUGH).clamp(0, 1) if sigma != self.SIGMAS[0] else 1.0
            filled = filled + share * (mean - filled)
        filled = x * known + filled * level
        for _ in range(self.ROUNDS):
            around = F.conv2d(F.pad(filled, (1,) * 4, mode="replicate"), self.cross, groups=3)
            filled = x * known + around * level
        return filled


class Filler(Stacked):
    """(N, 3, H, W) encoded RGB in [0, 1] and which of its pixels are marked, (N, 1, H, W) of 0 and 1 -> (N, 3, H, W), not clamped: the
    marked ones as their surroundings suggest, the others as they were.

    It does not see what lies under the mark: it begins with what `PlainFill` puts there and learns what that lacks.
    """

    def __init__(self, widths: tuple[int, ...], depths: tuple[int, ...]):
        super().__init__()
        self.plain = PlainFill()
        self.stack_up(4, widths, depths)
        with torch.no_grad():
            self.tail.weight.mul_(0.02)
            self.tail.bias.zero_()

    @property
    def halo(self) -> int:
        return PlainFill.HALO + super().halo

    def forward(self, x: torch.Tensor, level: torch.Tensor) -> torch.Tensor:
        plain = self.plain(x, level)
        return plain + level * self.seen(torch.cat([plain - 0.5, level], 1))


class FarCleaner(Stacked):
    """As `Cleaner`, but it begins with what `Shrinkage` answers and learns what that lacks, and sees some 100 px far.

    `noise` is the standard deviation of the noise, over 1.0, that `Shrinkage` is told for a level of 1: 1 where the level is that deviation itself.
    """

    def __init__(self, widths: tuple[int, ...], depths: tuple[int, ...], noise: float = 1.0):
        super().__init__()
        self.noise = noise
        self.shrinkage = Shrinkage()
        self.stack_up(7, widths, depths)
        with torch.no_grad():
            self.tail.weight.mul_(0.1)

    @property
    def halo(self) -> int:
        return Shrinkage.HALO + super().halo

    def forward(self, x: torch.Tensor, level: torch.Tensor) -> torch.Tensor:
        plain = self.shrinkage(x, level if self.noise == 1 else level * self.noise)
        return plain + self.seen(torch.cat([x, level, plain - x], 1))


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


Network = Enlarger | TextureEnlarger | Cleaner | FarCleaner | MarkFinder | Filler


def build(config) -> Network:
    if config.kind == "face":
        return Restorer(config.channels, config.blocks)
    if config.kind == "find":
        return MarkFinder(config.widths, config.depths)
    if config.kind == "fill":
        return Filler(config.widths, config.depths)
    if config.kind == "clean" and config.widths:
        return FarCleaner(config.widths, config.depths, config.noise)
    if config.kind == "clean":
        return Cleaner(config.channels, config.blocks, config.one_slope)
    if config.adversary_weight:
        return TextureEnlarger(config.channels, config.blocks, config.factor)
    return Enlarger(config.channels, config.blocks, config.factor, config.one_slope)


def calm(net: Network) -> Network:
    """Scale a fresh network so that each shortcut starts small and the output starts as its input.

    Deep plain networks without normalisation learn faster from there.
    """
    if isinstance(net, FarCleaner | TextureEnlarger | MarkFinder | Filler):
        return net  # they start calm
    with torch.no_grad():
        for conv in list(net.body)[1::2]:
            conv.weight.mul_(0.1)
        net.tail.weight.mul_(0.1)
    return net


def start_from(net: Network, weights: dict[str, torch.Tensor]) -> Network:
    """Let a fresh network begin as a trained one with no more blocks and channels: it answers as that one did, unless its slopes are fewer,
    which begin as the mean of those.

    The old channels come first and hear nothing of the new ones yet (after Chen, Goodfellow and Shlens, Net2Net, 2016); further pairs of
    blocks add nothing yet.
    """
    fresh = net.state_dict()
    if isinstance(net, Restorer):
        return start_restorer(net, weights)
    if isinstance(net, TextureEnlarger) and "head.weight" in weights:
        net.base.load_state_dict(weights)
        return net
    if isinstance(net, FarCleaner | TextureEnlarger | MarkFinder | Filler):
        net.load_state_dict(weights)
        return net
    assert weights.keys() <= fresh.keys(), "it has fewer blocks"
    for name, value in fresh.items():
        old = weights.get(name)
        if old is None:
            pass_on(name, value)
            continue
        if name.startswith("act") and value.numel() == 1:
            value.fill_(old.mean())
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
