"""Write a model's ONNX file and its card.

    python -m dettaglio_foundry.export configs/everyday-x2-draft.toml [--runs runs] [--models ../models] [--weights W.pt]

The ONNX file has opset 17, one float input `input` (1, 3, height, width) with free height and width, and
one output `output`. It is checked against PyTorch before it is kept. The card's scores are filled in by
the evaluation, through the product's own engine.
"""

import argparse
import datetime
import hashlib
import json
import sys
from pathlib import Path

import numpy as np
import onnx
import onnxruntime
import torch

from .config import Config
from .network import Enlarger
from .photos import CREDITS

LICENCE = "CC-BY-SA-4.0"  # some of the photographs it learned from are shared alike
LARGEST_DIFFERENCE = 1e-4


def weights_of(config: Config, runs: str, weights: str | None) -> tuple[dict, str]:
    """The running average of a checkpoint, or a bare state dictionary; and how it came about."""
    earlier = f", after {config.earlier_steps:,} steps of an earlier run" if config.earlier_steps else ""
    if weights:
        return torch.load(weights), f"{config.earlier_steps:,} steps"
    saved = torch.load(Path(runs) / f"{config.id}.pt", weights_only=False)
    minutes = saved["seconds"] / 60
    history = f"{saved['step']:,} steps of {config.batch} patches in {minutes:.0f} min on two busy CPU cores{earlier}"
    return saved["average"], history


def write_onnx(net: Enlarger, path: Path) -> None:
    example = torch.rand(1, 3, 40, 52)
    torch.onnx.export(
        net, (example,), str(path), opset_version=17, dynamo=False, input_names=["input"], output_names=["output"],
        dynamic_axes={"input": {2: "height", 3: "width"}, "output": {2: "tall", 3: "wide"}},
    )  # fmt: skip
    onnx.checker.check_model(str(path))
    other = torch.rand(1, 3, 37, 61)
    (answer,) = onnxruntime.InferenceSession(str(path)).run(None, {"input": other.numpy()})
    with torch.no_grad():
        difference = float(np.abs(answer - net(other).numpy()).max())
    if difference > LARGEST_DIFFERENCE:
        sys.exit(f"{path} differs from PyTorch by {difference}")


def main() -> None:
    parser = argparse.ArgumentParser(description="Write a model's ONNX file and its card.")
    parser.add_argument("config")
    parser.add_argument("--runs", default="runs")
    parser.add_argument("--models", default="../models")
    parser.add_argument("--weights", help="a bare state dictionary instead of the run's checkpoint")
    args = parser.parse_args()
    config = Config.read(args.config)
    state, history = weights_of(config, args.runs, args.weights)
    net = Enlarger(config.channels, config.blocks, config.factor)
    net.load_state_dict(state)
    net.eval()
    # Beside the ONNX file the weights themselves are kept, for a later run to start from.
    kept = Path("weights")
    kept.mkdir(exist_ok=True)
    torch.save(state, kept / f"{config.id}.pt")
    path = Path(args.models) / f"{config.id}.onnx"
    path.parent.mkdir(exist_ok=True)
    write_onnx(net, path)
    card = {
        "id": config.id,
        "name": config.name,
        "kind": "enlarge",
        "subject": config.subject,
        "grade": config.grade,
        "purpose": config.purpose,
        "factor": config.factor,
        "halo": net.halo,
        "parameters": sum(p.numel() for p in net.parameters()),
        "licence": LICENCE,
        "training_data": CREDITS,
        "recipe": f"{config.channels} channels, {config.blocks} inner 3x3 convolutions; Charbonnier loss, Adam; {history}",
        "made_on": datetime.date.today().isoformat(),
        "weaknesses": config.weaknesses,
        "scores": [],
        "sha256": hashlib.sha256(path.read_bytes()).hexdigest(),
    }
    path.with_suffix(".json").write_text(json.dumps(card, indent=2, ensure_ascii=False) + "\n")
    print(f"{path}: {card['parameters']} parameters, {path.stat().st_size} bytes")


if __name__ == "__main__":
    main()
