"""Write the three networks that find faces: models/faces/propose.onnx, refine.onnx and landmarks.onnx.

    pip download --no-deps facenet-pytorch==2.6.0 -d wheels
    python -m dettaglio_foundry.landmarks wheels/facenet_pytorch-2.6.0-py3-none-any.whl [--models ../models]

They are the stages of a cascade (Zhang et al., Joint Face Detection and Alignment Using Multitask Cascaded Convolutional
Networks, 2016) with the weights that the package ships under the MIT licence (models/faces/NOTICE.md); only the file format
changes. All take RGB in [0, 1].

| file | input `input` | outputs |
|---|---|---|
| propose.onnx | (1, 3, H, W), H and W at least 12 | `sure` (h, w): the probability that the window of 12 x 12 px at (2 x, 2 y) holds a face; `shift` (4, h, w) |
| refine.onnx | (N, 3, 24, 24), squares | `sure` (N); `shift` (N, 4) |
| landmarks.onnx | (N, 3, 48, 48), squares | `sure` (N); `places` (N, 5, 2): left eye, right eye, nose, left and right corner of the mouth, as they lie in the picture, each (x, y) in [0, 1] of the square |

`shift` is how far left, top, right and bottom edge of the face lie from those of the window, in its sides.
"""

import argparse
import io
import zipfile
from pathlib import Path

import torch
from torch import nn
from torch.nn import functional as F


def normalised(x: torch.Tensor) -> torch.Tensor:
    return (x * 255 - 127.5) / 128


class Propose(nn.Module):
    def __init__(self) -> None:
        super().__init__()
        self.conv1, self.prelu1 = nn.Conv2d(3, 10, 3), nn.PReLU(10)
        self.conv2, self.prelu2 = nn.Conv2d(10, 16, 3), nn.PReLU(16)
        self.conv3, self.prelu3 = nn.Conv2d(16, 32, 3), nn.PReLU(32)
        self.conv4_1, self.conv4_2 = nn.Conv2d(32, 2, 1), nn.Conv2d(32, 4, 1)

    def forward(self, x: torch.Tensor) -> tuple[torch.Tensor, torch.Tensor]:
        x = F.max_pool2d(self.prelu1(self.conv1(normalised(x))), 2, 2, ceil_mode=True)
        x = self.prelu3(self.conv3(self.prelu2(self.conv2(x))))
        return F.softmax(self.conv4_1(x), 1)[0, 1], self.conv4_2(x)[0]


class Refine(nn.Module):
    def __init__(self) -> None:
        super().__init__()
        self.conv1, self.prelu1 = nn.Conv2d(3, 28, 3), nn.PReLU(28)
        self.conv2, self.prelu2 = nn.Conv2d(28, 48, 3), nn.PReLU(48)
        self.conv3, self.prelu3 = nn.Conv2d(48, 64, 2), nn.PReLU(64)
        self.dense4, self.prelu4 = nn.Linear(576, 128), nn.PReLU(128)
        self.dense5_1, self.dense5_2 = nn.Linear(128, 2), nn.Linear(128, 4)

    def forward(self, x: torch.Tensor) -> tuple[torch.Tensor, torch.Tensor]:
        x = F.max_pool2d(self.prelu1(self.conv1(normalised(x))), 3, 2, ceil_mode=True)
        x = F.max_pool2d(self.prelu2(self.conv2(x)), 3, 2, ceil_mode=True)
        x = self.prelu3(self.conv3(x)).permute(0, 3, 2, 1).flatten(1)
        x = self.prelu4(self.dense4(x))
        return F.softmax(self.dense5_1(x), 1)[:, 1], self.dense5_2(x)


class Landmarks(nn.Module):
    def __init__(self) -> None:
        super().__init__()
        self.conv1, self.prelu1 = nn.Conv2d(3, 32, 3), nn.PReLU(32)
        self.conv2, self.prelu2 = nn.Conv2d(32, 64, 3), nn.PReLU(64)
        self.conv3, self.prelu3 = nn.Conv2d(64, 64, 3), nn.PReLU(64)
        self.conv4, self.prelu4 = nn.Conv2d(64, 128, 2), nn.PReLU(128)
        self.dense5, self.prelu5 = nn.Linear(1152, 256), nn.PReLU(256)
        self.dense6_1, self.dense6_2, self.dense6_3 = nn.Linear(256, 2), nn.Linear(256, 4), nn.Linear(256, 10)

    def forward(self, x: torch.Tensor) -> tuple[torch.Tensor, torch.Tensor]:
        x = F.max_pool2d(self.prelu1(self.conv1(normalised(x))), 3, 2, ceil_mode=True)
        x = F.max_pool2d(self.prelu2(self.conv2(x)), 3, 2, ceil_mode=True)
        x = F.max_pool2d(self.prelu3(self.conv3(x)), 2, 2, ceil_mode=True)
        x = self.prelu4(self.conv4(x)).permute(0, 3, 2, 1).flatten(1)
        x = self.prelu5(self.dense5(x))
        places = self.dense6_3(x)
        return F.softmax(self.dense6_1(x), 1)[:, 1], torch.stack([places[:, :5], places[:, 5:]], 2)


# File name, network, its weights in the package, an input to trace it with, its second output, and the axes whose length is free.
STAGES = [
    ("propose", Propose, "pnet.pt", (1, 3, 40, 48), "shift", {"input": {2: "H", 3: "W"}, "sure": {0: "h", 1: "w"}, "shift": {1: "h", 2: "w"}}),
    ("refine", Refine, "rnet.pt", (2, 3, 24, 24), "shift", {name: {0: "faces"} for name in ("input", "sure", "shift")}),
    ("landmarks", Landmarks, "onet.pt", (2, 3, 48, 48), "places", {name: {0: "faces"} for name in ("input", "sure", "places")}),
]  # fmt: skip


def main() -> None:
    parser = argparse.ArgumentParser(description="Write the networks that find faces.")
    parser.add_argument("wheel")
    parser.add_argument("--models", default="../models")
    args = parser.parse_args()
    folder = Path(args.models) / "faces"
    folder.mkdir(parents=True, exist_ok=True)
    for name, kind, weights, example, second, axes in STAGES:
        net = kind().eval()
        with zipfile.ZipFile(args.wheel) as wheel:
            net.load_state_dict(torch.load(io.BytesIO(wheel.read(f"facenet_pytorch/data/{weights}"))))
        path = folder / f"{name}.onnx"
        torch.onnx.export(
            net, torch.rand(*example), str(path), opset_version=17, dynamo=False, input_names=["input"],
            output_names=["sure", second], dynamic_axes=axes,
        )  # fmt: skip
        print(f"{path}: {path.stat().st_size} bytes")


if __name__ == "__main__":
    main()
