"""What looks at pictures: its head, what is told, and what it was taught with."""

import random
import tomllib
from collections import Counter

import numpy as np
import onnx
import onnxruntime
import pytest
import torch
from PIL import Image
from torch import nn

from dettaglio_foundry import sight
from dettaglio_foundry.photos import catalogue


@pytest.mark.parametrize(
    ("probabilities", "kind"),
    [([0.7, 0.1, 0.1, 0.1, 0, 0], "fur"), ([0.5, 0.4, 0.1, 0, 0, 0], "other"), ([0, 0, 0, 0, 0.05, 0.95], "other"), ([0, 0.6, 0, 0, 0, 0.4], "foliage")],
)
def test_nothing_is_told_that_is_not_sure(probabilities: list[float], kind: str) -> None:
    assert sight.told(torch.tensor(probabilities)) == kind


def test_the_whole_counts_as_much_as_its_quarters() -> None:
    looks = torch.zeros(5, len(sight.KINDS))
    looks[0, 0] = looks[1:, 1] = 1
    assert sight.together(looks)[:2].tolist() == [0.5, 0.5]


@pytest.mark.parametrize("size", [(640, 480), (101, 33), (224, 224)])
def test_the_quarters_cover_a_picture(size: tuple[int, int]) -> None:
    picture = Image.fromarray(np.random.default_rng(0).integers(0, 255, (size[1], size[0], 3), np.uint8))
    looks = sight.looks(picture)
    assert looks.shape == (5, 3, sight.SIDE, sight.SIDE)
    assert abs(float(looks[0].mean() - looks[1:].mean())) < 0.01
    assert 0 <= float(looks.min()) and float(looks.max()) <= 1


@pytest.mark.parametrize("kind", sight.KINDS)
def test_views_are_as_many_as_asked_for_and_within_range(kind: str) -> None:
    views = list(sight.views(Image.new("RGB", (300, 200), (120, 90, 60)), kind, random.Random(1), 7))
    assert len(views) == 7
    assert all(view.shape == (3, sight.SIDE, sight.SIDE) and 0 <= float(view.min()) and float(view.max()) <= 1 for view in views)


def test_a_head_tells_what_it_was_taught() -> None:
    generator = torch.Generator().manual_seed(2)
    kinds = torch.arange(len(sight.KINDS)).repeat(20)
    seen = torch.randn(len(kinds), 1285, generator=generator) * 0.3
    seen[torch.arange(len(kinds)), kinds * 7] += 8.0
    head = sight.learned(seen, kinds, torch.ones(len(kinds)))
    assert (head(seen).argmax(1) == kinds).float().mean() > 0.95


def test_what_is_named_is_a_kind_of_a_known_package_and_named_once() -> None:
    sources = tomllib.loads((sight.HERE / "shown.toml").read_text())["source"]
    known = {package.name for package in catalogue()} | {"demo"}
    assert {source["package"] for source in sources} <= known
    for source in sources:
        assert set(source) <= {"package", "folder", "tuned", *sight.KINDS}
        named = Counter(stem for kind in sight.KINDS for stem in source.get(kind, []))
        assert all(count == 1 for count in named.values()), source["package"]
    assert sum(not source.get("tuned", True) for source in sources) >= 3


def test_eight_bits_hardly_change_an_answer(tmp_path) -> None:
    torch.manual_seed(3)
    network = nn.Sequential(nn.Conv2d(3, 40, 3), nn.ReLU(), nn.Conv2d(40, 8, 3))
    path = tmp_path / "network.onnx"
    given = torch.rand(1, 3, 12, 12)
    torch.onnx.export(network.eval(), given, str(path), opset_version=17, dynamo=False, input_names=["input"], output_names=["output"])
    before = path.stat().st_size
    sight.eight_bits(path)
    onnx.checker.check_model(onnx.load(path))
    assert path.stat().st_size < 0.5 * before
    answer = onnxruntime.InferenceSession(str(path)).run(None, {"input": given.numpy()})[0]
    assert np.abs(answer - network(given).detach().numpy()).max() < 0.02
