import json
import random
from pathlib import Path

import numpy as np
import onnx
import onnxruntime
import pytest
import torch

from conftest import Given

from dettaglio_foundry import export
from dettaglio_foundry.degrade import Damage
from dettaglio_foundry.lessons import SoftFaces, lesson_for, scale_of, shaken
from dettaglio_foundry.network import Enlarger, FarCleaner, TextureEnlarger
from dettaglio_foundry.photos import PatchSource, Source, one_source
from dettaglio_foundry.sources import Mixture, recolour
from dettaglio_foundry.train import WARM_UP_STEPS, Run, learning_rate, packed, probe, psnr_luma, undone


def source(pictures, config, rng) -> Mixture:
    return Mixture({"photographs": 1.0}, Given(pictures), "no fonts", config.patch * config.factor, rng)


def test_a_run_that_was_stopped_goes_on_as_if_it_had_not_been(tmp_path, pictures, config):
    whole = Run(config(), tmp_path / "whole.d", None)
    patches = source(pictures, whole.config, whole.rng)
    expected = [whole.learn(patches) for _ in range(8)][4:]

    (tmp_path / "stopped").mkdir()
    first = Run(config(), tmp_path / "stopped", None)
    patches = source(pictures, first.config, first.rng)
    for _ in range(4):
        first.learn(patches)
    first.save()
    second = Run(config(), tmp_path / "stopped", None)
    assert second.step == 4
    again = [second.learn(source(pictures, second.config, second.rng)) for _ in range(4)]
    assert again == pytest.approx(expected, rel=1e-5)
    assert not list((tmp_path / "stopped").glob("*.new")), "written beside and renamed"


def test_a_run_that_was_kept_packed_goes_on_nearly_as_if_it_had_not_been(tmp_path, pictures, config):
    first = Run(config(), tmp_path, None)
    patches = source(pictures, first.config, first.rng)
    for _ in range(6):
        first.learn(patches)
    first.save()
    (tmp_path / "kept").mkdir()
    once = packed(first.state())
    assert packed(once) is once, "a state that was kept and not gone on with is kept again as it is"
    torch.save(once, tmp_path / "kept" / "tiny.pt")
    small, large = ((folder / "tiny.pt").stat().st_size for folder in (tmp_path / "kept", tmp_path))
    assert small < large
    second = Run(config(), tmp_path / "kept", None)
    assert second.step == 6
    for name, value in first.average.items():
        assert torch.allclose(second.average[name], value, atol=1e-4)
    expected = [first.learn(patches) for _ in range(4)]
    again = [second.learn(source(pictures, second.config, second.rng)) for _ in range(4)]
    assert again == pytest.approx(expected, rel=5e-3)


def test_it_learns(tmp_path, pictures, config):
    smooth = [np.kron(p[::8, ::8], np.ones((8, 8, 1))).astype(np.uint8) for p in pictures]
    run = Run(config(learning_rate=5e-3), tmp_path, None)
    patches = source(smooth, run.config, run.rng)
    losses = [run.learn(patches) for _ in range(40)]
    assert np.mean(losses[-8:]) < np.mean(losses[:8])
    probes = undone(run.config, patches.batch(4))
    assert np.isfinite(probe(run.averaged(), probes))


def test_the_rate_warms_up_and_comes_down(config):
    long = config(steps=2000)
    rates = [learning_rate(long, step) for step in (0, WARM_UP_STEPS, 1000, 2000)]
    assert rates[0] < rates[3] * 10 < rates[2] < rates[1] <= long.learning_rate + 1e-6


def test_psnr_is_of_luminance_inside_the_margin():
    a = torch.full((1, 3, 20, 20), 0.5)
    b = a.clone()
    b[..., :3, :] = 1.0
    b[..., 10:, :] += 0.1
    luma = 0.1 * (65.481 + 128.553 + 24.966) / 255
    assert psnr_luma(a, b, 4) == pytest.approx(-20 * np.log10(luma) - 10 * np.log10(6 / 12), abs=0.01)


LESSONS = {
    "enlarging": dict(factor=2),
    "texture": dict(factor=2, perception_weight=0.1),
    "prints": dict(factor=2),
    "noise": dict(kind="clean", level="noise", factor=1),
    "compression": dict(kind="clean", level="compression", factor=1),
    "softness": dict(kind="clean", level="softness", factor=1),
}


@pytest.mark.parametrize("lesson", LESSONS)
def test_a_lesson_shows_a_picture_and_its_answer(lesson, batch, config, rng):
    taught = config(**LESSONS[lesson], damage=Damage(lesson=lesson, jpeg_quality=(30, 90)))
    for _ in range(6):
        inputs, target = lesson_for(taught).pair(batch, rng)
        assert inputs[0].shape[-1] * taught.factor == target.shape[-1]
        assert all(torch.isfinite(v).all() for v in (*inputs, target))
        if taught.kind == "clean":
            assert inputs[1].shape == (2, 1, *target.shape[2:]) and (inputs[1] >= 0).all()


@pytest.mark.parametrize("lesson", ["noise", "compression", "softness"])
def test_an_undamaged_picture_is_told_as_one_and_stays(lesson, batch, config, rng):
    taught = config(**LESSONS[lesson], damage=Damage(lesson=lesson, clean_chance=1.0))
    (shown, level), target = lesson_for(taught).pair(batch, rng)
    assert level.max() < 0.01 and (shown - target).abs().max() < 1 / 255


def test_more_noise_is_told_as_more(batch, config):
    def told(sigma):
        damage = Damage(lesson="noise", noise_sigma=(sigma, sigma), clean_chance=0, jpeg_chance=0)
        taught = config(**LESSONS["noise"], damage=damage)
        levels = [lesson_for(taught).pair(batch, random.Random(seed))[0][1].mean().item() for seed in range(6)]
        return np.mean(levels) * 255

    assert told(5) == pytest.approx(5, rel=0.3) and told(20) == pytest.approx(20, rel=0.3)


def test_noise_of_each_patch_is_its_own(batch, config):
    damage = Damage(lesson="noise", noise_sigma=(1, 60), clean_chance=0, jpeg_chance=0)
    lesson = lesson_for(config(**LESSONS["noise"], damage=damage))
    levels = lesson.pair(batch.repeat(8, 1, 1, 1), random.Random(2))[0][1].mean((1, 2, 3)) * 255
    assert levels.max() > 5 * levels.min()


def test_grain_has_variance_one_and_the_size_of_the_result(config, batch, rng):
    taught = config(factor=2, perception_weight=0.1, damage=Damage(lesson="texture"))
    (small, grain), large = lesson_for(taught).pair(batch, rng)
    assert grain.shape == (2, 1, *large.shape[2:]) and small.shape[-1] * 2 == large.shape[-1]
    assert grain.var().item() == pytest.approx(1, abs=0.05) and grain.mean().abs() < 0.02


def test_a_shake_is_as_wide_as_it_says(rng):
    for _ in range(10):
        point = torch.zeros(1, 3, 41, 41)
        point[..., 20, 20] = 1
        soft, sigma = shaken(point, 2.0, rng)
        y, x = (torch.arange(41.0) - 20 for _ in range(2))
        variance = (soft[0, 0] * (x[None] ** 2 + y[:, None] ** 2)).sum()
        assert soft[0, 0].sum() == pytest.approx(1, abs=1e-5)
        assert (variance / 2).sqrt().item() == pytest.approx(sigma, rel=0.01)


def test_the_scale_of_a_face_is_none_where_it_is_as_large_as_the_canvas():
    assert scale_of(SoftFaces.EYES) == 0 and scale_of(160) == 0
    assert scale_of(20) == pytest.approx(1.0)


def test_patches_prefer_what_is_lively():
    flat, rough = np.full((64, 64, 3), 90, np.uint8), np.random.default_rng(1).integers(0, 255, (64, 64, 3), np.uint8)
    drawn = PatchSource(one_source([[flat], [rough]]), 24, random.Random(2)).batch(60)
    assert (drawn.std((1, 2, 3)) > 0.05).float().mean() > 0.75


def test_an_unknown_source_is_refused(pictures, rng):
    with pytest.raises(SystemExit, match="no such source of patches: wool"):
        Mixture({"wool": 1.0}, Given(pictures), "", 24, rng)


class TestExport:
    def test_the_file_answers_as_the_network(self, tmp_path):
        net = Enlarger(4, 2, 2).eval()
        export.write_onnx(net, tmp_path / "a.onnx")
        model = onnx.load(tmp_path / "a.onnx")
        assert model.opset_import[0].version == 17
        picture = np.random.default_rng(1).random((1, 3, 18, 34), np.float32)
        (answer,) = onnxruntime.InferenceSession(str(tmp_path / "a.onnx")).run(None, {"input": picture})
        # An enlarger's file ends before its shuffle.
        assert answer.shape == (1, 12, 18, 34) and "DepthToSpace" not in {node.op_type for node in model.graph.node}
        with torch.no_grad():
            spread = torch.nn.functional.pixel_shuffle(torch.from_numpy(answer), 2)
            assert (spread - net(torch.from_numpy(picture))).abs().max() < 1e-5

    @pytest.mark.parametrize("make", [lambda: FarCleaner((6, 8, 10), (1, 1, 1)), lambda: TextureEnlarger(4, 2, 2)])
    def test_every_weight_has_its_own_name_in_the_file(self, make, tmp_path):
        net = make().eval()
        with torch.no_grad():  # as if it had learned: fresh slopes are all the same, and are stored once
            for value in net.parameters():
                value.add_(torch.rand_like(value) * 0.01)
        export.write_onnx(net, tmp_path / "a.onnx")
        stored = {t.name: onnx.numpy_helper.to_array(t) for t in onnx.load(tmp_path / "a.onnx").graph.initializer}
        for name, value in net.named_parameters():
            if value.numel() > 1 and name != "base.act.2.weight":  # a slope that no pair of blocks uses
                assert np.array_equal(stored[name].ravel(), value.detach().numpy().ravel()), name

    def test_a_large_network_is_kept_with_16_bits_and_answers_the_same(self, tmp_path, monkeypatch):
        monkeypatch.setattr(export, "LARGE", 1000)
        net = FarCleaner((16, 16, 16), (1, 1, 1)).eval()
        net.load_state_dict(export.rounded(net.state_dict()))
        export.write_onnx(net, tmp_path / "half.onnx")  # it compares the answers itself
        monkeypatch.setattr(export, "LARGE", 10**9)
        export.write_onnx(net, tmp_path / "whole.onnx")
        half, whole = ((tmp_path / f"{name}.onnx").stat().st_size for name in ("half", "whole"))
        assert half < 0.7 * whole

    def test_the_card_says_what_it_was_made_with(self, tmp_path, monkeypatch, pictures, config):
        run = Run(config(), tmp_path, None)
        run.learn(source(pictures, run.config, run.rng))
        run.save()
        monkeypatch.chdir(tmp_path)
        monkeypatch.setattr(export.Config, "read", lambda _: run.config)
        monkeypatch.setattr("sys.argv", ["export", "tiny.toml", "--runs", str(tmp_path), "--models", str(tmp_path / "models")])
        export.main()
        card = json.loads((tmp_path / "models/tiny.json").read_text())
        assert card["halo"] == run.net.halo and card["scores"] == [] and "1 steps of 2 patches" in card["recipe"]
        assert card["parameters"] == sum(p.numel() for p in run.net.parameters())
        assert (tmp_path / "weights/tiny.pt").exists()


class TestPatches:
    def test_a_large_source_does_not_drown_a_small_one(self):
        grey = lambda level: np.full((64, 64, 3), level, np.uint8)  # noqa: E731
        many, few = Source("many", [[grey(10)] for _ in range(100)]), Source("few", [[grey(200)] for _ in range(4)])
        source = PatchSource([many, few], 24, random.Random(3))
        source.FLAT_REFUSED = 0.0
        share = np.mean([source.patch()[0, 0, 0] == 200 for _ in range(1000)])
        assert share == pytest.approx(2 / 12, abs=0.04), "by the root of their areas"

    def test_a_photograph_is_drawn_from_at_all_its_sizes_that_hold_a_patch(self):
        sizes = [np.full((side, side, 3), side, np.uint8) for side in (96, 48, 16)]
        source = PatchSource(one_source([sizes]), 24, random.Random(3))
        source.FLAT_REFUSED = 0.0
        drawn = [int(source.patch()[0, 0, 0]) for _ in range(200)]
        assert set(drawn) == {96, 48} and 60 < drawn.count(48) < 140

    def test_in_another_light_colours_are_exchanged_and_dimmed_but_structure_stays(self, batch):
        patch, rng = batch[0], random.Random(4)
        for _ in range(20):
            seen = recolour(patch, rng)
            assert seen.shape == patch.shape and seen.max() <= patch.max()
            for plane in seen:
                shares = [(plane / was.clamp(min=1e-6))[was > 0.05] for was in patch]
                assert min(share.std() for share in shares) < 1e-4 and plane.max() >= 0.4 * 0.7 * patch.max()

    def test_only_the_share_that_was_asked_for(self, pictures, rng):
        drawn = [Mixture({"photographs": 1.0}, Given(pictures), "", 24, random.Random(6), recoloured=share).batch(40) for share in (0.0, 0.5)]
        levels = [(patches * 255 - (patches * 255).round()).abs().amax((1, 2, 3)) > 1e-3 for patches in drawn]
        assert not levels[0].any(), "as in the files"
        assert 8 < levels[1].sum() < 32


def test_what_has_nothing_to_gain_is_no_probe():
    """White ground comes out of bicubic as it went in; a network that is off by a hair there would be said to lose 60 dB."""
    net = Enlarger(4, 2, 2).eval()
    white, rough = torch.ones(1, 3, 48, 48), torch.rand(1, 3, 48, 48, generator=torch.Generator().manual_seed(1))
    pairs = [((torch.nn.functional.avg_pool2d(p, 2),), p) for p in (white, rough)]
    assert probe(net, pairs) == pytest.approx(probe(net, pairs[1:]))
