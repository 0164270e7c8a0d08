"""Tiny ONNX files for the tests of importing: each is strange in one way.

    python -m dettaglio_foundry.fixtures ../crates/core/tests/own
"""

import sys
from pathlib import Path

import numpy as np
import onnx
from onnx import TensorProto, helper, numpy_helper

KERNEL = np.array([[0.0, 0.02, 0.0], [0.02, 0.92, 0.02], [0.0, 0.02, 0.0]], np.float32)


def tensor(name: str, values) -> onnx.TensorProto:
    return numpy_helper.from_array(np.asarray(values), name)


def picture(name: str, shape: list, element: int = TensorProto.FLOAT) -> onnx.ValueInfoProto:
    return helper.make_tensor_value_info(name, element, shape)


def save(path: Path, nodes, inputs, outputs, constants=(), domains=()) -> None:
    graph = helper.make_graph(list(nodes), path.stem, inputs, outputs, list(constants))
    opsets = [helper.make_opsetid("", 17)] + [helper.make_opsetid(d, 1) for d in domains]
    model = helper.make_model(graph, opset_imports=opsets, producer_name="dettaglio fixtures")
    model.ir_version = 8
    path.write_bytes(model.SerializeToString())


def blur(channels: int) -> onnx.TensorProto:
    """One 3x3 kernel a channel, so that the halo is 1."""
    weights = np.zeros((channels, channels, 3, 3), np.float32)
    for c in range(channels):
        weights[c, c] = KERNEL
    return tensor("weights", weights)


def repeat(source: str, out: str, scales: list[float]) -> tuple[onnx.NodeProto, onnx.TensorProto]:
    node = helper.make_node("Resize", [source, "", "scales"], [out], mode="nearest", nearest_mode="floor", coordinate_transformation_mode="asymmetric")
    return node, tensor("scales", np.array(scales, np.float32))


def main() -> None:
    out = Path(sys.argv[1])
    out.mkdir(parents=True, exist_ok=True)
    conv = helper.make_node("Conv", ["x", "weights"], ["soft"], pads=[1, 1, 1, 1])
    free = [1, 3, "height", "width"]

    twice, scales = repeat("soft", "y", [1, 1, 2, 2])
    save(out / "plain-x2.onnx", [conv, twice], [picture("x", free)], [picture("y", [1, 3, "h", "w"])], [blur(3), scales])

    # 0..255, clipped at both ends, channels last, x3: as exported from programs that think in bytes.
    first = helper.make_node("Transpose", ["x"], ["planes"], perm=[0, 3, 1, 2])
    soft = helper.make_node("Conv", ["planes", "weights"], ["soft"], pads=[1, 1, 1, 1])
    clip = helper.make_node("Clip", ["soft", "black", "white"], ["clipped"])
    shift = helper.make_node("Add", ["clipped", "bias"], ["shifted"])
    thrice, scales = repeat("shifted", "large", [1, 1, 3, 3])
    last = helper.make_node("Transpose", ["large"], ["y"], perm=[0, 2, 3, 1])
    constants = [blur(3), scales, tensor("black", np.float32(0)), tensor("white", np.float32(255)), tensor("bias", np.float32(2.0))]
    save(
        out / "bytes-last-x3.onnx", [first, soft, clip, shift, thrice, last],
        [picture("x", [1, "height", "width", 3])], [picture("y", [1, "h", "w", 3])], constants,
    )  # fmt: skip

    # Brightness alone.
    grey = [1, 1, "height", "width"]
    save(out / "brightness-x2.onnx", [conv, repeat("soft", "y", [1, 1, 2, 2])[0]], [picture("x", grey)], [picture("y", [1, 1, "h", "w"])],
         [blur(1), repeat("soft", "y", [1, 1, 2, 2])[1]])  # fmt: skip

    # Folds pixels 4x4, so that sides must be multiples of 4; a cleaner.
    fold = helper.make_node("SpaceToDepth", ["x"], ["folded"], blocksize=4)
    mix = helper.make_node("Conv", ["folded", "weights"], ["mixed"])
    unfold = helper.make_node("DepthToSpace", ["mixed"], ["y"], blocksize=4)
    identity = np.eye(48, dtype=np.float32)[:, :, None, None] * 0.995
    save(out / "folding-x1.onnx", [fold, mix, unfold], [picture("x", free)], [picture("y", free)], [tensor("weights", identity)])

    # Refused, each for its own reason.
    save(out / "two-inputs.onnx", [helper.make_node("Mul", ["x", "sigma"], ["y"])],
         [picture("x", free), picture("sigma", [1])], [picture("y", free)])  # fmt: skip
    save(out / "rank-three.onnx", [helper.make_node("Identity", ["x"], ["y"])],
         [picture("x", [3, "height", "width"])], [picture("y", [3, "height", "width"])])  # fmt: skip
    save(out / "classes.onnx", [helper.make_node("GlobalAveragePool", ["x"], ["pooled"]), helper.make_node("Flatten", ["pooled"], ["y"])],
         [picture("x", free)], [picture("y", [1, 3])])  # fmt: skip
    save(out / "operator.onnx", [helper.make_node("Sparkle", ["x"], ["y"], domain="mine")],
         [picture("x", free)], [picture("y", free)], domains=["mine"])  # fmt: skip
    save(out / "fixed-size.onnx", [helper.make_node("Identity", ["x"], ["y"])],
         [picture("x", [1, 3, 64, 64])], [picture("y", [1, 3, 64, 64])])  # fmt: skip
    save(out / "negative.onnx", [helper.make_node("Sub", ["white", "x"], ["y"])],
         [picture("x", free)], [picture("y", free)], [tensor("white", np.float32(1))])  # fmt: skip
    save(out / "half-floats.onnx", [helper.make_node("Identity", ["x"], ["y"])],
         [picture("x", free, TensorProto.FLOAT16)], [picture("y", free, TensorProto.FLOAT16)])  # fmt: skip
    # The mean of the whole picture is taken away and another put in its place: no tile can know it.
    mean = helper.make_node("GlobalAveragePool", ["x"], ["mean"])
    less = helper.make_node("Mul", ["mean", "share"], ["part"])
    away = helper.make_node("Sub", ["x", "part"], ["y"])
    save(out / "whole-picture.onnx", [mean, less, away], [picture("x", free)], [picture("y", free)], [tensor("share", np.float32(0.2))])
    print(f"{len(list(out.glob('*.onnx')))} files, {sum(p.stat().st_size for p in out.glob('*.onnx'))} bytes")


if __name__ == "__main__":
    main()
