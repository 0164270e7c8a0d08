"""The simulated camera: what is put into a picture is what was asked for. Needs numpy and pytest only:

    python -m pytest demo/generator/tests
"""

import sys
from pathlib import Path

import numpy as np
import pytest

sys.path.insert(0, str(Path(__file__).parent.parent))
import camera  # noqa: E402

PLAIN = dict(blur=0, glare=0, vignette=0, fringe=0)
GREY = np.full((64, 96, 3), 0.18)


def even(level, shape=(128, 128)):
    return np.full((*shape, 3), float(level))


class TestLens:
    def test_a_perfect_one_changes_nothing(self):
        picture = np.random.default_rng(1).random((40, 50, 3))
        assert np.array_equal(camera.lens(picture, **PLAIN), picture)

    @pytest.mark.parametrize("blur", [0.6, 0.8, 1.0])
    def test_it_spreads_a_point_as_far_as_it_was_told(self, blur):
        point = np.zeros((41, 41, 3))
        point[20, 20] = 1
        spread = camera.lens(point, **{**PLAIN, "blur": blur})[..., 1]
        across = np.arange(41) - 20
        assert spread.sum() == pytest.approx(1)
        assert np.sqrt((spread.sum(0) * across**2).sum()) == pytest.approx(blur, rel=0.02)

    def test_corners_lose_the_share_that_was_told(self):
        seen = camera.lens(even(1, (101, 151)), **{**PLAIN, "vignette": 0.25})[..., 1]
        assert seen[50, 75] == pytest.approx(1, abs=1e-3)
        assert seen[0, 0] == pytest.approx(0.75, rel=1e-6)

    def test_glare_takes_light_from_a_lamp_and_gives_it_to_its_surroundings(self):
        lamp = np.zeros((200, 200, 3))
        lamp[98:102, 98:102] = 100
        seen = camera.lens(lamp, **{**PLAIN, "glare": 0.02})[..., 1]
        assert seen[100, 100] < 100 and seen[100, 130] > seen[100, 160] > 0

    def test_red_and_blue_fall_apart_at_the_edge_and_not_in_the_middle(self):
        line = np.zeros((20, 401, 3))
        line[:, [200, 390]] = 1
        seen = camera.lens(line, **{**PLAIN, "fringe": 0.004})
        place = lambda channel, part: (np.arange(401)[part] * seen[10, part, channel]).sum() / seen[10, part, channel].sum()  # noqa: E731
        middle, edge = slice(190, 211), slice(380, 401)
        assert abs(place(0, middle) - place(2, middle)) < 0.05
        assert place(0, edge) - place(2, edge) == pytest.approx(2 * 190 * 0.004, rel=0.2)


class TestSensor:
    def test_every_pixel_sees_one_colour(self):
        colours = camera.mosaic(even(1, (4, 6)) * [3, 5, 7])
        assert colours[:2, :2].tolist() == [[3, 5], [5, 7]] and np.array_equal(colours[:2, :2], colours[2:, 4:])

    def test_an_even_colour_survives_the_mosaic(self):
        orange = even(1, (32, 48)) * [0.8, 0.4, 0.1]
        assert np.allclose(camera.demosaic(camera.mosaic(orange)), orange)

    @pytest.mark.parametrize("iso", [100, 800, 6400])
    @pytest.mark.parametrize("level", [0.05, 0.4])
    def test_noise_is_that_of_the_light_and_of_reading_it(self, iso, level):
        raw = (camera.exposed(even(level, (400, 400)), iso=iso, seed=2).astype(float) - camera.BLACK) / camera.RANGE
        green = raw[0::2, 1::2]
        electrons = level * camera.FULL_WELL / (iso / 100)
        variance = electrons + camera.READ_NOISE**2 + (0.004 * electrons) ** 2
        assert green.mean() == pytest.approx(level, rel=0.01)
        assert green.std() / level == pytest.approx(np.sqrt(variance) / electrons, rel=0.03)

    def test_a_larger_sensor_is_quieter(self):
        small, large = (camera.exposed(even(0.2), iso=1600, seed=3, well=well)[0::2, 1::2].std() for well in (3e4, 12e4))
        assert large == pytest.approx(small / 2, rel=0.06)

    def test_black_and_white_stay_within_the_converter(self):
        picture = np.concatenate([even(0), even(50)])
        seen = camera.exposed(picture, iso=3200, seed=4)
        assert seen.min() >= 0 and seen.max() == 16383
        assert abs(seen[:120].astype(float).mean() - camera.BLACK) < 5

    def test_the_same_seed_is_the_same_noise(self):
        first, second, other = (camera.exposed(GREY, iso=800, seed=seed) for seed in (5, 5, 6))
        assert np.array_equal(first, second) and not np.array_equal(first, other)

    def test_what_is_too_bright_is_white_and_not_coloured(self):
        seen = camera.sensor(even(3, (32, 32)), iso=100, seed=7)
        assert np.ptp(seen, axis=-1).max() < 1e-4


class TestDevelopment:
    def test_tones_rise_and_stay_in_range(self):
        ramp = np.linspace(-0.1, 20, 500)
        shown = camera.tone(ramp)
        assert (np.diff(shown) >= 0).all() and shown.min() >= 0 and shown.max() <= 1

    def test_without_a_shoulder_it_is_srgb(self):
        assert camera.tone(np.array([0.0, 0.0031308, 0.214, 1.0]), shoulder=False) == pytest.approx([0, 0.04045, 0.5, 1], abs=1e-3)

    def test_contrast_turns_about_the_middle(self):
        dark, light = camera.tone(np.array([0.05, 0.8]), contrast=1.0), camera.tone(np.array([0.05, 0.8]), contrast=1.3)
        assert light[0] < dark[0] and light[1] > dark[1]

    def test_sharpening_leaves_even_ground_and_steepens_edges(self):
        assert np.allclose(camera.sharpen(even(0.4, (64, 64)), 0.8), 0.4)
        edge = np.repeat(np.linspace(0.3, 0.7, 9).clip(0.4, 0.6), 8)[None, :, None] * np.ones((64, 1, 3))
        assert camera.sharpen(edge, 0.8)[32].max() > edge.max()

    @pytest.mark.parametrize("light", [0.001, 0.1, 40])
    def test_the_exposure_is_found_whatever_the_light(self, light):
        scene = even(light) * np.random.default_rng(8).uniform(0.5, 1.5, (128, 128, 1))
        exposed = scene * 2 ** camera.auto_ev(scene)
        assert np.median(exposed[..., 1]) == pytest.approx(0.18, rel=0.01)

    def test_a_whole_photograph_of_a_grey_card_is_grey(self):
        card = camera.shoot(GREY, ev=0, iso=100, vignette=0, glare=0)
        middle = card[8:-8, 8:-8]
        assert np.ptp(middle.mean((0, 1))) < 0.005
        assert 0.35 < middle.mean() < 0.5

    def test_saturation_leaves_grey_alone(self):
        vivid = camera.shoot(GREY, ev=0, bayer=False, saturation=1.5, **PLAIN)
        assert np.allclose(vivid, camera.shoot(GREY, ev=0, bayer=False, **PLAIN))
