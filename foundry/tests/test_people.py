import json
import math
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from dettaglio_foundry.people import CANVAS, LEFT_EYE, MOUTH, RIGHT_EYE, on_canvas, places, similarity, trust
from dettaglio_foundry.strands import render

KEPT = Path(__file__).parent.parent / "heads" / "kept"


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


def test_strands_cover_their_ground(rng):
    coat = render(64, rng)
    assert coat.shape == (64, 64, 3) and coat.dtype == np.uint8 and coat.std() > 5
