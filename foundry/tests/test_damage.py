"""The damage follows the physics: what is measured on it is what was put in."""

import random

import pytest
import torch

from dettaglio_foundry import prints
from dettaglio_foundry.degrade import Damage, degrade, encode, gaussian_blur, jpeg, linearise, shrink
from dettaglio_foundry.sensor import demosaic, level_map, mosaic_masks, photograph, tone_curve
from dettaglio_foundry.stars import sown, with_lights
from dettaglio_foundry.texture import texture_loss, tone_loss

FLAT = torch.full((1, 3, 96, 96), 0.4)


def test_light_and_encoded_values_are_each_others_inverse():
    values = torch.linspace(0, 1, 500)
    assert torch.allclose(encode(linearise(values)), values, atol=1e-5)
    assert torch.isclose(linearise(torch.tensor(0.5)), torch.tensor(0.2140), atol=1e-4)  # IEC 61966-2-1


@pytest.mark.parametrize("sigma", [0.6, 1.5, 3.0])
def test_a_blur_spreads_a_point_by_its_sigma(sigma):
    point = torch.zeros(1, 3, 41, 41)
    point[..., 20, 20] = 1
    spread = gaussian_blur(point, sigma)[0, 0]
    x = torch.arange(41.0) - 20
    assert spread.sum() == pytest.approx(1, abs=1e-4)
    assert (spread.sum(0) * x**2).sum().sqrt() == pytest.approx(sigma, rel=0.12)


def test_a_better_jpeg_is_nearer(batch):
    levels = (batch * 255).round()
    off = [(jpeg(levels, quality, 0) - levels).abs().mean().item() for quality in (20, 60, 95)]
    assert off == sorted(off, reverse=True) and off[0] > 2 * off[2]


def test_fine_stripes_shrunk_in_light_come_out_brighter():
    stripes = torch.zeros(1, 3, 64, 64)
    stripes[..., ::2] = 1
    always = dict(blur_chance=0, noise_chance=0, jpeg_chance=0, area_chance=1)
    in_light, encoded = (
        degrade(stripes, 2, Damage(**always, light_chance=chance), random.Random(1)).mean().item() for chance in (1, 0)
    )
    assert encoded == pytest.approx(0.5, abs=0.01) and in_light == pytest.approx(0.735, abs=0.01)


@pytest.mark.parametrize("factor", [2, 4])
def test_what_is_shrunk_has_whole_levels_and_the_size_asked_for(batch, rng, factor):
    for _ in range(8):
        small = degrade(batch, factor, Damage(), rng)
        assert small.shape == (2, 3, 96 // factor, 96 // factor)
        assert torch.allclose(small * 255, (small * 255).round(), atol=1e-4) and 0 <= small.min() and small.max() <= 1


def test_shrinking_keeps_the_mean(batch):
    assert shrink(batch, 4).mean() == pytest.approx(batch.mean().item(), abs=0.01)


def test_every_sensor_pixel_sees_one_colour_and_half_of_them_green():
    masks = mosaic_masks(8, 8)
    assert (masks.sum(0) == 1).all() and masks.sum((1, 2)).tolist() == [16, 32, 16]


def test_a_flat_scene_is_developed_flat():
    light = torch.tensor([0.2, 0.5, 0.7]).view(1, 3, 1, 1).expand(1, 3, 16, 16)
    assert torch.allclose(demosaic(light), light, atol=1e-6)


@pytest.mark.parametrize("sigma", [4 / 255, 25 / 255])
def test_a_sensors_noise_is_as_strong_as_asked_for_and_felt_by_neighbours(batch, rng, sigma):
    ground = gaussian_blur(batch, 6).clamp(0.15, 0.85)
    noisy, clean = photograph(ground, rng, sigma)
    noise = noisy - clean
    assert noise.std().item() == pytest.approx(sigma, rel=0.15)
    beside = (noise[..., 1:] * noise[..., :-1]).mean() / noise.var()
    assert beside > 0.1, "demosaicing smears it"
    assert level_map(noisy, clean).mean().item() == pytest.approx(sigma, rel=0.25)


def test_a_tone_curve_keeps_black_white_and_order():
    values = torch.linspace(0, 1, 100)
    for contrast in (-0.2, 0.0, 0.5):
        curved = tone_curve(values, contrast)
        assert curved[0] == 0 and curved[-1] == pytest.approx(1) and (curved.diff() > 0).all()


def test_lights_are_lighter_than_the_night(rng):
    night = torch.full((3, 64, 64), 0.05)
    lit = sown(night, rng, 20, 0)
    assert (lit - night).abs().max() > 0.1 and (lit == night).float().mean() > 0.3
    assert with_lights(FLAT, rng).mean() < FLAT.mean()


class TestOldPrints:
    def test_fading_lifts_black_and_lowers_white(self, rng):
        ramp = torch.linspace(0, 1, 96).expand(1, 3, 96, 96)
        for _ in range(5):
            faded = prints.faded(ramp, rng)
            assert faded.min() > 0.015 and faded.max() < 1.0001 and (faded[0, :, 0].diff() >= -1e-6).all()

    def test_grain_shows_most_in_mid_tones(self, rng):
        tones = torch.tensor([0.02, 0.5]).view(2, 1, 1, 1).expand(2, 3, 96, 96)
        seen = []
        for seed in range(12):
            torch.manual_seed(seed)
            off = prints.paper_grain(tones, random.Random(seed)) - tones
            seen.append((off[0].std(), off[1].std()))
        dark, middle = (sum(v) for v in zip(*seen))
        assert middle > 1.5 * dark

    def test_a_screen_keeps_the_tone_about_where_it_was(self, rng):
        for tone in (0.25, 0.5, 0.75):
            flat = torch.full((1, 3, 96, 96), tone)
            screened = prints.halftone(flat, rng)
            assert screened.std() > 0.005 and screened.mean().item() == pytest.approx(tone, abs=0.12)

    def test_scratches_leave_most_of_it_alone(self, rng):
        touched = [(prints.scratched(FLAT, rng) - FLAT).abs().gt(0.02).float().mean().item() for _ in range(20)]
        assert max(touched) > 0 and sum(touched) / 20 < 0.1

    def test_a_scan_is_a_picture(self, batch, rng):
        for _ in range(6):
            scan = prints.scan_of(batch, rng)
            assert scan.shape == batch.shape and 0 <= scan.min() and scan.max() <= 1


def test_the_texture_loss_tells_soft_from_rough_but_not_where_each_blade_stands():
    torch.manual_seed(3)
    grass, other = (0.5 + 0.1 * torch.randn(1, 3, 64, 64) for _ in range(2))
    assert texture_loss(grass, grass) == 0
    soft = texture_loss(gaussian_blur(grass, 1.0), grass)
    assert texture_loss(other, grass) < 0.35 * soft


def test_the_tone_loss_sees_a_shift_and_no_grain():
    torch.manual_seed(3)
    grain = 0.02 * torch.randn(1, 3, 64, 64)
    assert tone_loss(FLAT + 0.005, FLAT).item() == pytest.approx(0.005, rel=0.01)
    grainy = FLAT[..., :64, :64] + grain - torch.nn.functional.avg_pool2d(grain, 8).repeat_interleave(8, 2).repeat_interleave(8, 3)
    assert tone_loss(grainy, FLAT[..., :64, :64]) < 1e-6
