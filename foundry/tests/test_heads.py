"""The made-up heads as far as they need no base mesh and no renderer: meshes, strands, traits, light."""

import numpy as np
import pytest

from heads.clothes import averaging, edges_of, neckline, strip, tube
from heads.light import background, envmap
from heads.masks import beard_mask, brow_mask, scalp_mask
from heads.maths import fbm, rot, sstep, unit, vnoise, vnormals
from heads.mesh import catmull_clark
from heads.person import traits
from heads.skin import TONES, tone_rgb
from heads.strands import clump, grow, roots, wave, write

CUBE = np.array([[x, y, z] for z in (-1, 1) for y in (-1, 1) for x in (-1, 1)], float)
SIDES = np.array([[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]])


class TestMaths:
    def test_a_smooth_step_rises_from_nought_to_one(self):
        x = np.linspace(-1, 3, 41)
        y = sstep(0, 2, x)
        assert (np.diff(y) >= 0).all() and y[0] == 0 and y[-1] == 1 and sstep(0, 2, 1) == 0.5

    def test_noise_is_the_same_for_the_same_seed_and_lies_between_nought_and_one(self):
        places = np.random.default_rng(3).uniform(-40, 40, (500, 3))
        first = fbm(places, 4)
        assert np.array_equal(first, fbm(places, 4)) and not np.allclose(first, fbm(places, 5))
        assert 0 <= first.min() and first.max() <= 1

    def test_noise_has_no_jumps(self):
        along = np.c_[np.linspace(0, 6, 6001), np.full(6001, 0.3), np.zeros(6001)]
        assert np.abs(np.diff(vnoise(along, 2))).max() < 0.01

    @pytest.mark.parametrize("axis", [0, 1, 2])
    def test_turning_keeps_lengths_and_the_axis(self, axis):
        turn = rot(axis, 35)
        assert np.allclose(turn @ turn.T, np.eye(3))
        assert np.allclose(turn @ np.eye(3)[axis], np.eye(3)[axis])
        assert np.allclose(turn @ rot(axis, -35), np.eye(3))

    def test_normals_of_a_cube_point_along_its_corners(self):
        assert np.allclose(vnormals(CUBE, SIDES), unit(CUBE))


class TestMeshes:
    def test_subdividing_a_cube_again_and_again_gives_nearly_a_ball(self):
        places, faces = CUBE, SIDES
        for _ in range(3):
            matrix, finer = catmull_clark(len(places), faces)
            assert len(finer) == 4 * len(faces)
            places, faces = matrix @ places, finer
        assert np.allclose(np.asarray(matrix.sum(1)), 1), "every new place is a mean of old ones"
        reach = np.linalg.norm(places, axis=1)
        assert reach.max() / reach.min() < 1.2
        assert np.allclose(places.mean(0), 0, atol=1e-12)

    def test_unsmoothed_it_keeps_every_corner(self):
        matrix, _ = catmull_clark(8, SIDES, smooth=False)
        assert np.allclose((matrix @ CUBE)[:8], CUBE)

    def test_an_open_edge_stays_where_it_is(self):
        flat = np.array([[0, 0, 0], [1, 0, 0], [2, 0, 0], [0, 1, 0], [1, 1, 0], [2, 1, 0]], float)
        matrix, _ = catmull_clark(6, np.array([[0, 1, 4, 3], [1, 2, 5, 4]]))
        finer = matrix @ flat
        assert finer[:, 1].min() == 0 and finer[:, 1].max() == 1

    def test_a_tube_is_closed(self):
        turn = np.linspace(0, 2 * np.pi, 24, endpoint=False)
        places, faces = tube(np.c_[np.cos(turn), np.zeros(24), np.sin(turn)], 0.1)
        edges, count = np.unique(np.sort(np.stack([faces, np.roll(faces, -1, 1)], -1).reshape(-1, 2), 1), axis=0, return_counts=True)
        assert (count == 2).all() and len(places) - len(edges) + len(faces) == 0
        across = np.linalg.norm(places[:, [0, 2]], axis=1) - 1
        assert np.allclose(np.hypot(across, places[:, 1]), 0.1, atol=2e-3)

    def test_a_strip_joins_its_rows(self):
        rows = [np.array([[x, y, 0] for x in range(4)], float) for y in range(3)]
        places, faces = strip(rows)
        assert len(faces) == 6 and np.allclose(vnormals(places, faces), [0, 0, 1])

    def test_averaging_flattens_a_peak(self):
        height = np.zeros(8)
        height[0] = 1
        smoothed = averaging(edges_of(SIDES), 8) @ height
        assert smoothed[0] == 0 and smoothed.max() == pytest.approx(1 / 3)


class TestPeople:
    def test_a_seed_is_always_the_same_person(self):
        assert traits(12) == traits(12) != traits(13)

    def test_they_are_of_all_kinds(self):
        people = [traits(seed) for seed in range(400)]
        tones = np.array([p["tone"] for p in people])
        assert np.percentile(tones, 90) - np.percentile(tones, 10) > 0.3
        assert 0.4 < np.mean([p["male"] for p in people]) < 0.6
        assert len({p["hair"] for p in people}) >= 9 and len({p["iris"] for p in people}) == 6
        assert min(p["age"] for p in people) < 15 and max(p["age"] for p in people) > 70

    def test_children_have_no_beard_and_the_young_no_grey_hair(self):
        for person in map(traits, range(300)):
            assert person["age"] > 19 or (person["beard"] == "none" and person["makeup"] == 0)
            assert person["age"] > 38 or person["grey"] == 0

    def test_skin_goes_through_its_tones_without_a_jump(self):
        steps = tone_rgb(np.linspace(0, 1, 201))
        assert np.allclose(steps[0], TONES[0]) and np.allclose(steps[-1], TONES[-1], atol=0.01)
        assert (np.diff(steps, axis=0) <= 0).all() and np.abs(np.diff(steps, axis=0)).max() < 0.01

    @pytest.mark.parametrize("kind", ["crew", "vneck", "turtle", "collar"])
    def test_cloth_covers_the_chest_and_leaves_the_face(self, kind):
        chest, face = neckline(kind, np.array([[0.9, 4.2, 0.6], [0, 7.2, 0.9]]))
        assert chest > 0 > face


class TestStrands:
    def test_they_grow_where_they_may(self):
        weight = (CUBE[:, 2] > 0).astype(float)
        places, sides, _ = roots(CUBE, SIDES, weight, 400, np.random.default_rng(1))
        assert len(places) == 400 and 0 not in sides and np.abs(places).max() <= 1 + 1e-9
        assert (places[:, 2] > 0).mean() > 0.6

    def test_none_grow_where_none_may(self):
        places, _, _ = roots(CUBE, SIDES, np.zeros(8), 10, np.random.default_rng(1))
        assert len(places) == 0

    def test_they_stay_outside_the_head(self):
        from scipy.spatial import cKDTree

        rng = np.random.default_rng(2)
        ball = unit(rng.normal(size=(4000, 3)))
        start = ball[:50]
        down = lambda p, k: np.tile([0, -0.8, 0], (len(p), 1))  # noqa: E731
        strands = grow(start, start, np.full(50, 2.0), 16, down, cKDTree(ball), ball, ball, standoff=0.05)
        assert strands.shape == (50, 17, 3)
        assert np.linalg.norm(strands[:, 4:], axis=2).min() > 0.99
        assert np.median(np.linalg.norm(np.diff(strands, axis=1), axis=2)) == pytest.approx(2 / 16)

    def test_clumping_draws_the_tips_together_and_leaves_the_roots(self):
        rng = np.random.default_rng(4)
        straight = rng.uniform(0, 1, (60, 1, 3)) + np.linspace(0, 1, 8)[None, :, None] * [0, 0, 2.0]
        drawn, guides = clump(straight, rng, 5, 0.8)
        assert np.allclose(drawn[:, 0], straight[:, 0]) and len(np.unique(guides)) <= 5
        chosen = [np.flatnonzero(np.all(drawn[:, -1] == straight[:, -1], 1))]
        to_nearest = lambda tips: np.linalg.norm(tips[:, None] - straight[chosen[0], -1], axis=2).min(1).mean()  # noqa: E731
        assert len(chosen[0]) == 5 and to_nearest(drawn[:, -1]) < 0.7 * to_nearest(straight[:, -1])

    def test_a_wave_leaves_the_roots_and_goes_no_further_than_its_height(self):
        straight = np.zeros((6, 1, 3)) + np.linspace(0, 1, 20)[None, :, None] * [0, -3.0, 0]
        waved = wave(straight, np.random.default_rng(5), np.arange(6), 0.1, 2.0)
        off = np.abs(waved - straight)
        assert off[:, 0].max() == 0 and 0.05 < off.max() <= 0.1 + 1e-9

    def test_a_file_holds_each_strand_and_tapers_it(self, tmp_path):
        write(tmp_path / "s.txt", np.zeros((3, 5, 3)) + np.arange(5)[None, :, None], 0.01)
        strands = (tmp_path / "s.txt").read_text().strip().split("\n\n")
        rows = [[float(x) for x in row.split()] for row in strands[0].split("\n")]
        assert len(strands) == 3 and len(rows) == 7
        assert rows[0][:3] == [-1, -1, -1] and rows[0][3] > rows[-1][3]


class TestLight:
    @pytest.mark.parametrize("kind", ["overcast", "window", "lamp", "studio", "sun", "flash"])
    def test_every_kind_has_a_sky_without_darkness_and_a_lamp(self, kind):
        sky, lamps = envmap(kind, np.random.default_rng(6))
        assert sky.shape == (32, 64, 3) and sky.min() > 0 and np.isfinite(sky).all()
        assert lamps and all(size > 0 and min(radiance) > 0 for _, size, radiance in lamps)
        ground = background(kind, np.random.default_rng(6), 40, 30)
        assert ground.shape == (40, 30, 3) and ground.min() >= 0


class TestWhereHairGrows:
    """On the neutral head, in dm: the crown at about 8, the brows at 7.45, the mouth at 6.6."""

    CROWN, BROW, CHIN, CHEST = [0, 8.1, 0.3], [0.3, 7.51, 1.3], [0.05, 6.3, 1.2], [0.5, 4.5, 0.8]

    def weights(self, mask):
        return np.round(mask(np.array([self.CROWN, self.BROW, self.CHIN, self.CHEST])), 1).tolist()

    def test_on_the_scalp(self):
        assert self.weights(scalp_mask) == [1, 0, 0, 0]

    def test_in_the_brows(self):
        weights = self.weights(lambda places: brow_mask(places)[0])
        assert weights[1] > 0.5 and weights[0] == weights[2] == weights[3] == 0

    @pytest.mark.parametrize("kind", ["stubble", "full", "goatee"])
    def test_on_the_chin_but_not_on_the_lips(self, kind):
        skin = lambda places: beard_mask(places, kind, np.zeros(len(places)))  # noqa: E731
        weights = self.weights(skin)
        assert weights[2] > 0.5 and weights[0] == weights[1] == weights[3] == 0
        assert self.weights(lambda places: beard_mask(places, kind, np.ones(len(places)))) == [0, 0, 0, 0]
