"""Networks whose PReLUs have one slope each."""

import onnx
import onnxruntime
import torch

from dettaglio_foundry.export import write_onnx
from dettaglio_foundry.network import Cleaner, Enlarger, start_from


def test_one_slope_is_exported_as_a_leaky_relu_of_the_same_values(tmp_path):
    torch.manual_seed(1)
    for net in (Enlarger(8, 2, 2, one_slope=True), Cleaner(8, 2, one_slope=True)):
        path = tmp_path / "net.onnx"
        with torch.no_grad():
            net.act[1].weight.fill_(0.37)
        write_onnx(net.eval(), path)
        nodes = [node for node in onnx.load(str(path)).graph.node if node.op_type in ("PRelu", "LeakyRelu")]
        assert [node.op_type for node in nodes] == ["LeakyRelu"] * 2
        assert [node.name for node in nodes] == ["act.0.weight", "act.1.weight"]
        assert abs(nodes[1].attribute[0].f - 0.37) < 1e-6
        inputs = {"input": torch.rand(1, 3, 16, 20)} | ({"level": torch.rand(1, 1, 16, 20)} if isinstance(net, Cleaner) else {})
        (answer,) = onnxruntime.InferenceSession(str(path)).run(None, {name: value.numpy() for name, value in inputs.items()})
        with torch.no_grad():
            spread = torch.nn.functional.pixel_shuffle(torch.from_numpy(answer), net.factor)
            assert (spread - net(*inputs.values())).abs().max() < 1e-5


def test_one_slope_begins_as_the_mean_of_those_before():
    before = Enlarger(8, 2, 2)
    with torch.no_grad():
        before.act[0].weight.copy_(torch.arange(8) / 10)
    after = start_from(Enlarger(8, 2, 2, one_slope=True), before.state_dict())
    assert torch.isclose(after.act[0].weight, torch.tensor([0.35])).all()
    assert torch.equal(after.body[1].weight, before.body[1].weight)
