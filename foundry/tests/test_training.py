import json
import random

import numpy as np
import onnx
import onnxruntime
import pytest
import torch

from dettaglio_foundry import export
from dettaglio_foundry.degrade import Damage
from dettaglio_foundry.lessons import SoftFaces, lesson_for, scale_of, shaken
from dettaglio_foundry.network import Enlarger
from dettaglio_foundry.photos import PatchSource
from dettaglio_foundry.sources import Mixture, recolour
from dettaglio_foundry.train import WARM_UP_STEPS, Run, learning_rate, packed, probe, psnr_luma, undone


def source(pictures, config, rng) -> Mixture:
    return Mixture({"photographs": 1.0}, [[p] for p in pictures], "no fonts", config.patch * config.factor, rng)


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
    torch.save(packed(first.state()), tmp_path / "kept" / "tiny.pt")
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
    drawn = PatchSource([[flat], [rough]], 24, random.Random(2)).batch(60)
    assert (drawn.std((1, 2, 3)) > 0.05).float().mean() > 0.75


def test_an_unknown_source_is_refused(pictures, rng):
    with pytest.raises(SystemExit, match="no such source of patches: fur"):
        Mixture({"fur": 1.0}, [[p] for p in pictures], "", 24, rng)


class TestExport:
    def test_the_file_answers_as_the_network(self, tmp_path):
        net = Enlarger(4, 2, 2).eval()
        export.write_onnx(net, tmp_path / "a.onnx")
        model = onnx.load(tmp_path / "a.onnx")
        assert model.opset_import[0].version == 17
        picture = np.random.default_rng(1).random((1, 3, 18, 34), np.float32)
        (answer,) = onnxruntime.InferenceSession(str(tmp_path / "a.onnx")).run(None, {"input": picture})
        with torch.no_grad():
            assert np.abs(answer - net(torch.from_numpy(picture)).numpy()).max() < 1e-5

    def test_weights_go_only_as_far_as_the_configuration_says(self, tmp_path, config):
        torch.save({"w": torch.tensor([0.0, 2.0])}, tmp_path / "mean.pt")
        there = config(blend_with=str(tmp_path / "mean.pt"), blend=0.25)
        assert export.blended(there, {"w": torch.tensor([4.0, 2.0])})["w"].tolist() == [1.0, 2.0]
        assert export.blended(config(), {"w": 1}) == {"w": 1}

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
    def test_a_photograph_is_drawn_from_at_all_its_sizes_that_hold_a_patch(self):
        sizes = [np.full((side, side, 3), side, np.uint8) for side in (96, 48, 16)]
        source = PatchSource([sizes], 24, random.Random(3))
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
        drawn = [Mixture({"photographs": 1.0}, [[p] for p in pictures], "", 24, random.Random(6), recoloured=share).batch(40) for share in (0.0, 0.5)]
        levels = [(patches * 255 - (patches * 255).round()).abs().amax((1, 2, 3)) > 1e-3 for patches in drawn]
        assert not levels[0].any(), "as in the files"
        assert 8 < levels[1].sum() < 32


def test_what_has_nothing_to_gain_is_no_probe():
    """White ground comes out of bicubic as it went in; a network that is off by a hair there would be said to lose 60 dB."""
    net = Enlarger(4, 2, 2).eval()
    white, rough = torch.ones(1, 3, 48, 48), torch.rand(1, 3, 48, 48, generator=torch.Generator().manual_seed(1))
    pairs = [((torch.nn.functional.avg_pool2d(p, 2),), p) for p in (white, rough)]
    assert probe(net, pairs) == pytest.approx(probe(net, pairs[1:]))
