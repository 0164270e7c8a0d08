"""What lies on a print and on the scanner's glass, and what has been done to the paper: rendered marks, so that the truth is known.

Three kinds are told apart, as they are switched apart in the product: specks (dust, spots), lines (hairs, fibres, scratches) and breaks
(creases, tears, chipped edges, where the paper shows).
"""

import math
import random

import torch
from torch.nn import functional as F

from .degrade import gaussian_blur

SPECKS, LINES, BREAKS = range(3)
KINDS = 3

# A pixel belongs to a mark when the mark changes it by so much of full scale in any channel, or covers it by so much.
LEAST_CHANGE, LEAST_COVER = 6 / 255, 0.5

# A mark is seen when it changes what it covers most by so much of full scale, and by so many times what the picture itself varies there.
# One that is not seen is neither to be found nor wrong to be found: in masks it is UNSEEN.
LEAST_SEEN, ABOVE_DETAIL = 10 / 255, 1.5
UNSEEN = 0.5


def along(points: torch.Tensor, step: float = 0.5) -> torch.Tensor:
    """(n, 2) corners of a line -> points no more than `step` apart on it."""
    parts = []
    for a, b in zip(points[:-1], points[1:]):
        count = max(1, int(torch.dist(a, b).item() / step))
        parts.append(a + (b - a) * torch.arange(count).view(-1, 1) / count)
    return torch.cat([*parts, points[-1:]])


def drawn(points: torch.Tensor, widths: torch.Tensor, height: int, width: int) -> torch.Tensor:
    """(height, width) in [0, 1]: how far a line of these points (n, 2: down, across) and widths (n,), in pixels, covers each pixel."""
    cover = torch.zeros(height, width)
    reach = widths.max().item() / 2 + 1.5
    inside = (points > -reach).all(1) & (points[:, 0] < height + reach) & (points[:, 1] < width + reach)
    points, widths = points[inside], widths[inside]
    for start in range(0, len(points), 64):
        some, wide = points[start : start + 64], widths[start : start + 64]
        low = (some.min(0).values - reach).floor().long().clamp(min=0)
        top, left = low.tolist()
        bottom, right = (min(limit, int(v)) for limit, v in zip((height, width), (some.max(0).values + reach).ceil() + 1))
        if top >= bottom or left >= right:
            continue
        y, x = torch.arange(top, bottom).view(-1, 1, 1) + 0.5, torch.arange(left, right).view(1, -1, 1) + 0.5
        away = ((y - some[:, 0]) ** 2 + (x - some[:, 1]) ** 2).sqrt()
        covered = (wide / 2 + 0.5 - away).clamp(0, 1).amax(2) * wide.mean().clamp(max=1)
        cover[top:bottom, left:right] = torch.maximum(cover[top:bottom, left:right], covered)
    return cover


def speck(height: int, width: int, rng: random.Random, scale: float = 1.0) -> torch.Tensor:
    """A grain of dust: a few discs that overlap, now and then a small fluff."""
    middle = torch.tensor([rng.uniform(0, height), rng.uniform(0, width)])
    size = max(0.8, scale * math.exp(rng.uniform(math.log(0.8), math.log(7.0))))
    count = rng.choice([1, 1, 2, 3, 5])
    points = middle + torch.tensor([[rng.gauss(0, size / 3), rng.gauss(0, size / 3)] for _ in range(count)])
    return drawn(points, torch.tensor([size * rng.uniform(0.5, 1) for _ in range(count)]), height, width)


def course(height: int, width: int, length: float, bend: float, wander: float, rng: random.Random) -> torch.Tensor:
    """(n, 2): a curve that starts anywhere, curved by `bend` radians a pixel and wandering from that."""
    steps = max(2, int(length))
    angle = rng.uniform(0, 2 * math.pi) + torch.cumsum(bend + wander * torch.randn(steps), 0)
    at = torch.tensor([rng.uniform(-0.2, 1.2) * height, rng.uniform(-0.2, 1.2) * width])
    return at + torch.cumsum(torch.stack([torch.sin(angle), torch.cos(angle)], 1), 0)


def hair(height: int, width: int, rng: random.Random, scale: float = 1.0) -> torch.Tensor:
    """A hair or a fibre: thin, evenly wide, curled."""
    length = math.exp(rng.uniform(math.log(12), math.log(2.0 * width)))
    points = along(course(height, width, length, rng.gauss(0, 0.03), rng.uniform(0.01, 0.08), rng))
    return drawn(points, torch.full((len(points),), max(0.7, scale * rng.uniform(0.7, 2.4))), height, width)


def scratch(height: int, width: int, rng: random.Random, scale: float = 1.0) -> torch.Tensor:
    """Nearly straight, of changing width, interrupted where it was lighter."""
    length = math.exp(rng.uniform(math.log(15), math.log(3.0 * width)))
    points = along(course(height, width, length, rng.gauss(0, 0.002), 0.004, rng))
    swell = F.interpolate(torch.rand(1, 1, max(2, len(points) // 25)), size=len(points), mode="linear")[0, 0]
    widths = max(0.7, scale * rng.uniform(0.7, 3.0)) * (0.4 + 0.8 * swell)
    return drawn(points, widths, height, width) * (1.0 if rng.random() < 0.6 else rng.uniform(0.4, 0.9))


def broken(height: int, width: int, rng: random.Random, scale: float = 1.0) -> torch.Tensor:
    """A crease or a tear: a jagged course through much of the picture, wider and narrower."""
    a = torch.tensor([rng.uniform(0, height), rng.uniform(0, width)])
    angle, far = rng.uniform(0, math.pi), rng.uniform(0.4, 1.6) * width
    towards = far * torch.tensor([math.sin(angle), math.cos(angle)])
    points = torch.stack([a - towards, a + towards])
    rough = rng.uniform(0.02, 0.12)
    for _ in range(6):
        middles = (points[1:] + points[:-1]) / 2
        gaps = (points[1:] - points[:-1]).norm(dim=1, keepdim=True)
        middles = middles + torch.randn_like(middles) * gaps * rough
        points = torch.cat([torch.stack([points[:-1], middles], 1).flatten(0, 1), points[-1:]])
    points = along(points)
    swell = F.interpolate(torch.rand(1, 1, max(2, len(points) // 12)), size=len(points), mode="linear")[0, 0]
    return drawn(points, max(1.0, scale * rng.uniform(1.0, 6.0)) * (0.25 + swell), height, width)


def chipped(height: int, width: int, rng: random.Random, scale: float = 1.0) -> torch.Tensor:
    """A flake of the emulsion gone: a ragged patch."""
    middle = torch.tensor([rng.uniform(0, height), rng.uniform(0, width)])
    size = scale * rng.uniform(3, 14)
    count = rng.randint(6, 18)
    points = middle + torch.tensor([[rng.gauss(0, size / 2.5), rng.gauss(0, size / 2.5)] for _ in range(count)])
    return drawn(points, torch.tensor([size * rng.uniform(0.2, 0.7) for _ in range(count)]), height, width)


def with_lines(pictures: torch.Tensor, rng: random.Random) -> torch.Tensor:
    """(N, 3, H, W) encoded -> the same with stalks, cords and wires: lines of the picture's own, which fade, blur and get their grain with it,
    and are no marks."""
    return torch.stack([lined(picture, rng) for picture in pictures])


def lined(picture: torch.Tensor, rng: random.Random) -> torch.Tensor:
    _, height, width = picture.shape
    for _ in range(rng.choice([1, 2, 4, 8])):
        cover = rng.choice([hair, scratch, scratch])(height, width, rng)
        cover = gaussian_blur(cover.expand(1, 3, height, width), rng.uniform(0.4, 1.1))[0, :1]
        lit = rng.random() < 0.6
        own = picture.mean((1, 2)) * rng.uniform(0.1, 0.5) if not lit else 1 - (1 - picture.mean((1, 2))) * rng.uniform(0.1, 0.7)
        picture = torch.lerp(picture, own.view(3, 1, 1).expand_as(picture), cover * rng.uniform(0.4, 1.0))
    return picture


MAKERS = {SPECKS: (speck,), LINES: (hair, scratch), BREAKS: (broken, broken, chipped)}
COUNTS = {SPECKS: (0, 0, 2, 6, 15, 40), LINES: (0, 0, 1, 1, 2, 4), BREAKS: (0, 0, 0, 0, 1, 1, 2)}


def shade(picture: torch.Tensor, kind: int, rng: random.Random) -> torch.Tensor:
    """(3, 1, 1): what a mark of this kind looks like: white as dust under a lamp or bare paper, dark as dirt, now and then of a colour."""
    light = rng.random() < (0.7 if kind != BREAKS else 0.85)
    paper = picture.amax((1, 2)) * rng.uniform(0.9, 1.1) if rng.random() < 0.5 else torch.full((3,), rng.uniform(0.75, 1.0))
    colour = paper if light else torch.full((3,), rng.uniform(0.0, 0.3))
    return (colour + torch.randn(3) * (0.02 if rng.random() < 0.8 else 0.12)).clamp(0, 1).view(3, 1, 1)


class Covers:
    """Covers of marks, drawn one after the other; or, for pictures of one size, taken turned and mirrored from a stock, each at the scale that it
    was drawn for. One in `ANEW` is drawn anew: drawing takes longer than a step of a small network."""

    STOCK, ANEW = 400, 12

    def __init__(self, side: int | None = None):
        """`side` of the stock's covers in pixels; None draws every one for itself, for pictures of any size."""
        self.side = side
        self.stock: dict[int, list[torch.Tensor]] = {kind: [] for kind in MAKERS}

    def one(self, kind: int, height: int, width: int, scale: float, rng: random.Random) -> torch.Tensor:
        """(height, width) in [0, 1]."""
        draw = lambda: rng.choice(MAKERS[kind])(height, width, rng, scale)  # noqa: E731
        if (height, width) != (self.side, self.side):
            return draw()
        stock = self.stock[kind]
        if len(stock) < self.STOCK or rng.randrange(self.ANEW) == 0:
            cover = draw()
            if len(stock) < self.STOCK:
                stock.append(cover)
            else:
                stock[rng.randrange(self.STOCK)] = cover
            return cover
        cover = torch.rot90(rng.choice(stock), rng.randrange(4))
        return cover.flip(0) if rng.random() < 0.5 else cover


def detail(picture: torch.Tensor) -> torch.Tensor:
    """(3, H, W) -> (H, W): by how much the picture's finest detail varies around each pixel, of full scale."""
    tone = picture.mean(0, keepdim=True).expand(1, 3, -1, -1)
    fine = (tone - gaussian_blur(tone, 1.5)).abs()
    return F.avg_pool2d(fine, 9, 1, 4, count_include_pad=False)[0, 0] * 1.25


def marked(pictures: torch.Tensor, rng: random.Random, scale: float = 1.0, covers: Covers | None = None) -> tuple[torch.Tensor, torch.Tensor]:
    """(N, 3, H, W) encoded -> with marks, and which pixels they cover, (N, KINDS, H, W) of 0, 1 and UNSEEN. `scale` is the marks' size over
    that at 600 dpi."""
    made = [marked_one(picture, rng, scale, covers) for picture in pictures]
    return torch.stack([picture for picture, _ in made]), torch.stack([mask for _, mask in made])


def marked_one(picture: torch.Tensor, rng: random.Random, scale: float = 1.0, covers: Covers | None = None) -> tuple[torch.Tensor, torch.Tensor]:
    _, height, width = picture.shape
    covers = covers or Covers()
    masks = torch.zeros(KINDS, height, width)
    varies = detail(picture)
    out = picture
    soft = rng.uniform(0.3, 0.8)  # the scanner's lens
    for kind in (BREAKS, LINES, SPECKS):
        for _ in range(rng.choice(COUNTS[kind])):
            cover = covers.one(kind, height, width, scale, rng)
            if not cover.any():
                continue
            cover = gaussian_blur(cover.expand(1, 3, height, width), soft)[0, :1]
            opaque = rng.uniform(0.35, 1.0) if kind != BREAKS else rng.uniform(0.6, 1.0)
            colour = shade(picture, kind, rng)
            if kind == BREAKS and rng.random() < 0.5:
                # Bent paper: a shadow on one side.
                beside = torch.roll(gaussian_blur(cover.expand(1, 3, height, width), 1.5)[0, :1], (2, 1), (1, 2))
                out = out * (1 - rng.uniform(0.1, 0.4) * beside)
            fresh = torch.lerp(out, colour.expand_as(out), cover * opaque)
            change = (fresh - picture).abs().amax(0)
            changed = (change > LEAST_CHANGE) & (cover[0] > 0.08) | (cover[0] * opaque > LEAST_COVER)
            middle = cover[0] > 0.5 * cover.max()
            seen = change[middle].mean() > max(LEAST_SEEN, ABOVE_DETAIL * varies[middle].mean())
            masks[kind] = torch.maximum(masks[kind], changed.float() * (1.0 if seen else UNSEEN))
            out = fresh
    return out.clamp(0, 1), masks
