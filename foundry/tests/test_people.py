import json
import math
import shutil
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from dettaglio_foundry.people import CANVAS, LEFT_EYE, MOUTH, RIGHT_EYE, files_in, on_canvas, places, similarity, trust
from dettaglio_foundry.strands import render
from heads.keeping import keep, missing
from heads.strands import write

HEADS = Path(__file__).parent.parent / "heads"
KEPT, TRAINING = HEADS / "kept", HEADS / "training"


def test_a_similarity_brings_places_onto_their_targets():
    source = np.array([[0.0, 0.0], [10.0, 2.0], [4.0, 12.0]])
    turn, scale = 0.4, 2.5
    matrix = scale * np.array([[math.cos(turn), -math.sin(turn)], [math.sin(turn), math.cos(turn)]])
    target = source @ matrix.T + [30, -7]
    found = similarity(source, target)
    assert np.allclose(source @ found[:, :2].T + found[:, 2], target)


def test_a_face_is_brought_to_its_place_on_the_canvas():
    picture = Image.new("RGB", (400, 400), (90, 90, 90))
    at = np.array([[150.0, 160.0], [230.0, 170.0], [182.0, 258.0]])
    for x, y in at:
        picture.paste((255, 0, 0), (int(x) - 4, int(y) - 4, int(x) + 4, int(y) + 4))
    canvas = np.asarray(on_canvas(picture, at)).astype(int)
    assert canvas.shape == (CANVAS[1], CANVAS[0], 3)
    for x, y in (LEFT_EYE, RIGHT_EYE, MOUTH):
        red, green = canvas[int(y) - 3 : int(y) + 3, int(x) - 3 : int(x) + 3, :2].mean((0, 1))
        assert red > 180 and green < 90, (x, y)


def test_less_is_trusted_where_heads_are_drawn_wrong():
    mask = trust()
    assert mask.shape == (CANVAS[1], CANVAS[0]) and 0 < mask.min() and mask.max() <= 1
    assert mask[90, 88] < 0.5 < 0.9 < mask[180, 100], "brows against a cheek"
    assert np.allclose(mask, mask[:, ::-1])


@pytest.mark.parametrize("file", sorted(KEPT.glob("*.json"))[:6], ids=lambda f: f.stem)
def test_a_kept_head_lies_where_its_facts_say(file):
    facts = json.loads(file.read_text())
    picture = Image.open(file.with_suffix(".png"))
    left, right, mouth = places(facts)
    assert left[0] < right[0] < picture.width and mouth[1] > max(left[1], right[1])
    grey = np.asarray(picture.convert("L")).astype(float)
    for x, y in (left, right):
        around = grey[int(y) - 12 : int(y) + 12, int(x) - 12 : int(x) + 12]
        assert around.min() < 0.6 * np.median(grey[int(y) : int(mouth[1]), int(left[0]) : int(right[0])]), "a pupil"


@pytest.mark.parametrize(("least", "due"), [(0, 3), (3, 3), (8, 8)])
def test_strands_are_filled_up_with_some_too_thin_to_be_seen(tmp_path, least, due):
    strands = np.random.default_rng(3).normal(size=(3, 5, 3))
    write(tmp_path / "strands.txt", strands, 0.01, np.random.default_rng(4), least)
    curves = [np.array([line.split() for line in curve.split("\n")], float) for curve in (tmp_path / "strands.txt").read_text().split("\n\n")[:-1]]
    assert len(curves) == due and all(curve.shape == (7, 4) for curve in curves), "both ends doubled"
    assert [bool((curve[:, 3] > 1e-3).all()) for curve in curves] == [True] * 3 + [False] * (due - 3)
    for curve, strand in zip(curves, strands):
        assert np.allclose(curve[1:-1, :3], strand, atol=1e-4)


class TestKeeping:
    """Pictures that were rendered are kept as small files, to be learned from without rendering them again."""

    @pytest.fixture
    def rendered(self, tmp_path):
        for name in ("1001-0", "1002-0"):
            for ending in ("png", "json"):
                shutil.copy(KEPT / f"{name}.{ending}", tmp_path / f"{name}.{ending}")
        return tmp_path

    def test_the_small_file_is_as_good_as_the_picture(self, rendered, tmp_path):
        kept = tmp_path / "kept"
        keep(rendered, kept)
        for small, large in zip(files_in(kept), files_in(rendered), strict=True):
            assert small.stat().st_size < large.stat().st_size / 4
            a, b = (np.asarray(Image.open(file).convert("RGB")) / 255.0 for file in (small, large))
            assert -10 * np.log10(((a - b) ** 2).mean()) > 40
            assert np.allclose(*(places(json.loads(file.with_suffix(".json").read_text())) for file in (small, large)))

    def test_what_is_kept_is_not_written_anew(self, rendered, tmp_path):
        kept = tmp_path / "kept"
        keep(rendered, kept)
        before = {file: file.stat().st_mtime_ns for file in kept.iterdir()}
        keep(rendered, kept)
        assert before == {file: file.stat().st_mtime_ns for file in kept.iterdir()}

    def test_a_picture_that_is_there_both_ways_counts_once(self, rendered):
        keep(rendered, rendered)
        assert [file.name for file in files_in(rendered)] == ["1001-0.webp", "1002-0.webp"]

    @pytest.mark.parametrize(("seed", "views", "due"), [(1001, 1, []), (1001, 3, [1, 2]), (1, 2, [0, 1]), (100, 1, [0])])
    def test_what_is_there_in_any_folder_and_either_way_is_not_rendered_again(self, rendered, tmp_path, seed, views, due):
        kept, elsewhere = tmp_path / "kept", tmp_path / "elsewhere"
        keep(rendered, kept)
        assert missing(seed, views, [elsewhere, kept]) == missing(seed, views, [rendered]) == due
        assert missing(seed, views, [elsewhere]) == list(range(views))

    def test_a_folder_without_people_says_how_to_render_some(self, tmp_path):
        with pytest.raises(SystemExit, match="python -m heads"):
            files_in(tmp_path)


def test_nobody_is_both_learned_from_and_scored_with():
    learned, scored = ({int(file.stem.split("-")[0]) for file in files_in(folder)} for folder in (TRAINING, KEPT))
    assert len(scored) == 24 and len(learned) > len(scored)
    assert not learned & scored and max(learned) < 1000 < min(scored)


@pytest.mark.parametrize("file", files_in(TRAINING)[::10], ids=lambda f: f.stem)
def test_who_is_learned_from_looks_out_of_the_picture_with_both_eyes_and_a_mouth(file):
    picture, at = Image.open(file), places(json.loads(file.with_suffix(".json").read_text()))
    assert picture.size == (384, 480)
    assert ((at > 0) & (at < picture.size)).all()
    canvas = np.asarray(on_canvas(picture.convert("RGB"), at), float)
    assert canvas.shape == (CANVAS[1], CANVAS[0], 3) and canvas[60:260, 60:196].std() > 8


def test_strands_cover_their_ground(rng):
    coat = render(64, rng)
    assert coat.shape == (64, 64, 3) and coat.dtype == np.uint8 and coat.std() > 5
