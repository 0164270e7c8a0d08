import random

import pytest
import torch

from dettaglio_foundry import marks
from dettaglio_foundry.config import Config
from dettaglio_foundry.lessons import Filling, Marks
from dettaglio_foundry.losses import covered, inside

PICTURE = torch.full((3, 96, 96), 0.4)


@pytest.mark.parametrize("make", [maker for makers in marks.MAKERS.values() for maker in makers])
def test_a_mark_covers_a_small_part_of_a_picture(make):
    torch.manual_seed(1)
    covers = [make(96, 96, random.Random(seed)) for seed in range(30)]
    assert all(0 <= cover.min() and cover.max() <= 1 for cover in covers)
    shares = [(cover > 0.5).float().mean().item() for cover in covers]
    assert 0 < sum(shares) / len(shares) < 0.2


def test_marked_pixels_are_those_that_changed():
    torch.manual_seed(2)
    rng = random.Random(2)
    for _ in range(20):
        marked, masks = marks.marked_one(PICTURE, rng)
        covered_by = masks.amax(0) > 0
        beside = torch.nn.functional.max_pool2d(covered_by.float()[None], 9, 1, 4)[0] > 0
        assert (marked - PICTURE).abs().amax(0)[~beside].max() < 0.2, "but for the shadow of a crease, nothing far from a mark"
        if covered_by.any():
            assert (marked - PICTURE).abs().amax(0)[covered_by].mean() > 6 / 255


def test_a_mark_that_nobody_sees_is_neither_to_be_found_nor_wrong():
    torch.manual_seed(5)
    busy = (PICTURE + 0.3 * torch.randn(1, 96, 96)).clamp(0, 1)
    of = lambda picture: torch.stack([marks.marked_one(picture, random.Random(seed))[1][:2] for seed in range(30)])  # noqa: E731
    plain, noisy = of(PICTURE), of(busy)
    seen = lambda masks: ((masks == 1).sum() / (masks > 0).sum()).item()  # noqa: E731
    assert seen(plain) > 0.9 and seen(noisy) < 0.5
    unseen = torch.full((1, 3, 8, 8), marks.UNSEEN)
    assert covered(torch.rand(1, 3, 8, 8), unseen, 1, None, 0) < 1e-3


def test_covers_of_a_stock_are_as_large_as_those_that_are_drawn():
    torch.manual_seed(6)
    rng, stocked, drawn = random.Random(6), marks.Covers(96), marks.Covers()
    share = lambda covers: sum(covers.one(marks.SPECKS, 96, 96, 1.0, rng).mean().item() for _ in range(900)) / 900  # noqa: E731
    a, b = share(stocked), share(drawn)
    assert len(stocked.stock[marks.SPECKS]) == marks.Covers.STOCK and 0.6 < a / b < 1.6


def lesson(kind, name):
    return kind(Config.read(f"configs/{name}.toml"))


def test_a_finder_is_shown_scans_and_answers_masks():
    torch.manual_seed(3)
    (shown,), masks = lesson(Marks, "wear-finder").pair(torch.rand(6, 3, 64, 64), random.Random(3))
    assert shown.shape == masks.shape and set(masks.unique().tolist()) <= {0.0, 1.0, marks.UNSEEN} and masks.sum() > 0


def test_a_filler_is_told_more_than_the_marks_and_counts_there_alone():
    torch.manual_seed(4)
    (shown, level), target = lesson(Filling, "wear-filler").pair(torch.rand(4, 3, 64, 64), random.Random(4))
    assert level.shape == (4, 1, 64, 64) and torch.equal(target[:, 3:], level)
    off = (shown - target[:, :3]).abs().amax(1, keepdim=True)
    # JPEG leaves traces everywhere.
    assert off[level > 0].mean() > 3 * off[level == 0].mean()


def test_the_loss_inside_marks_does_not_see_outside():
    guess, target, trust = torch.rand(1, 3, 8, 8), torch.rand(1, 3, 8, 8), torch.zeros(1, 1, 8, 8)
    trust[..., 2:4, 2:4] = 1
    other = torch.where(trust > 0, guess, torch.rand_like(guess))
    assert torch.equal(inside(guess, target, trust, None, 0), inside(other, target, trust, None, 0))


def test_a_mask_that_is_right_costs_least():
    target = torch.zeros(1, 3, 16, 16)
    target[:, 0, 4:6] = 1
    nothing, right = torch.full_like(target, 1e-4), target.clamp(1e-4, 1 - 1e-4)
    assert covered(right, target, 1, None, 0) < 0.1 * covered(nothing, target, 1, None, 0)
