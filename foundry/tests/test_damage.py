"""The damage follows the physics: what is measured on it is what was put in."""

import random

import pytest
import torch

from dettaglio_foundry import prints
from dettaglio_foundry.degrade import Damage, degrade, encode, gaussian_blur, jpeg, linearise, shrink
from dettaglio_foundry.sensor import DEMOSAICINGS, demosaic, edge_aware, level_map, mosaic_masks, photograph, through_camera, tone_curve
from dettaglio_foundry.stars import sown, with_lights
from dettaglio_foundry.texture import Adversary, lattice_loss, spectrum_loss, tells_apart, tone_loss

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


@pytest.mark.parametrize("how", DEMOSAICINGS)
def test_a_flat_scene_is_developed_flat(how):
    light = torch.tensor([0.2, 0.5, 0.7]).view(1, 3, 1, 1).expand(1, 3, 16, 16)
    assert torch.allclose(demosaic(light, how), light, atol=1e-6)


@pytest.mark.parametrize("turned", [False, True])
def test_along_an_edge_green_is_not_taken_from_across_it(turned):
    edge = torch.full((1, 3, 32, 32), 0.1)
    edge[..., 15:] = 0.9
    edge = edge.mT.contiguous() if turned else edge
    off = {how: (demosaic(edge, how)[:, 1] - edge[:, 1])[..., 4:-4, 4:-4].abs().max().item() for how in DEMOSAICINGS}
    assert off[edge_aware] < 1e-5 < min(error for how, error in off.items() if how is not edge_aware)


def test_a_camera_leaves_smooth_tone_as_it_is(rng):
    slope = torch.linspace(0.2, 0.7, 64).expand(1, 3, 64, 64)
    for _ in range(8):
        assert (through_camera(slope, rng) - slope)[..., 6:-6, 6:-6].abs().max() < 0.01


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


class TestLattice:
    grass = 0.5 + 0.1 * torch.randn(2, 3, 96, 96, generator=torch.Generator().manual_seed(3))

    def screened(self, depth):
        dots = torch.zeros(1, 1, 4, 4)
        dots[..., 1, 1] = depth
        return self.grass + dots.repeat(1, 1, 24, 24)

    def test_a_screen_costs_the_more_the_deeper_it_is(self):
        costs = [lattice_loss(self.screened(depth), self.grass, 4).item() for depth in (0.0, 0.02, 0.05, 0.1)]
        assert costs == sorted(costs) and costs[3] > 10 * costs[0]

    def test_texture_of_the_same_strength_elsewhere_costs_little(self):
        other = 0.5 + 0.1 * torch.randn(self.grass.shape, generator=torch.Generator().manual_seed(8))
        strength = (other - 0.5).std()
        deep = self.screened(4 * strength.item())  # dots on a sixteenth of the places: as strong on the whole
        assert lattice_loss(other, self.grass, 4) < 0.35 * lattice_loss(deep, self.grass, 4)


def test_an_adversary_learns_to_tell_what_is_soft_from_what_is_real():
    torch.manual_seed(2)
    adversary = Adversary(8)
    adam = torch.optim.Adam(adversary.parameters(), 2e-3)
    for _ in range(30):
        real = 0.5 + 0.1 * torch.randn(4, 3, 48, 48)
        plain = gaussian_blur(real, 1.5)
        cost = tells_apart(adversary(real, plain), adversary(gaussian_blur(real, 0.7), plain))
        adam.zero_grad()
        cost.backward()
        adam.step()
    assert cost.item() < 0.3
    told = tells_apart(adversary(real, plain), adversary(gaussian_blur(real, 0.7), plain))
    assert told < tells_apart(adversary(gaussian_blur(real, 0.7), plain), adversary(real, plain)), "and not the other way round"


def test_the_tone_loss_sees_a_shift_and_no_grain():
    torch.manual_seed(3)
    grain = 0.02 * torch.randn(1, 3, 64, 64)
    assert tone_loss(FLAT + 0.005, FLAT).item() == pytest.approx(0.005, rel=0.01)
    grainy = FLAT[..., :64, :64] + grain - torch.nn.functional.avg_pool2d(grain, 8).repeat_interleave(8, 2).repeat_interleave(8, 3)
    assert tone_loss(grainy, FLAT[..., :64, :64]) < 1e-6


class TestSpectrum:
    grass = 0.5 + 0.08 * torch.randn(2, 3, 96, 96, generator=torch.Generator().manual_seed(3))

    def woven(self, depth):
        y, x = torch.meshgrid(torch.arange(96.0), torch.arange(96.0), indexing="ij")
        return self.grass + depth * torch.sin(1.13 * x + 0.61 * y)

    def test_a_weave_of_any_period_costs_the_more_the_deeper_it_is(self):
        costs = [spectrum_loss(self.woven(depth), self.grass).item() for depth in (0.0, 0.02, 0.05, 0.1)]
        assert costs == sorted(costs) and costs[0] == 0 and costs[3] > 0.1

    def test_texture_that_lies_elsewhere_costs_less_than_texture_that_is_missing(self):
        other = 0.5 + 0.08 * torch.randn(self.grass.shape, generator=torch.Generator().manual_seed(8))
        assert spectrum_loss(other, self.grass) < 0.1 * spectrum_loss(gaussian_blur(self.grass, 1.0), self.grass)
