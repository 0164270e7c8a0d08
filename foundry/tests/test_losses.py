import pytest
import torch

from dettaglio_foundry.losses import LOSSES, charbonnier, decibels, seen_error

ALL = torch.ones(())
OF_PICTURES = ["charbonnier", "decibels"]  # whose guard and trust are of pictures; the others are tested with marks


@pytest.fixture
def truth():
    torch.manual_seed(3)
    return torch.rand(2, 3, 48, 48) * 0.6 + 0.2


def off(truth, by):
    """So far off, up and down in turn."""
    signs = torch.ones_like(truth)
    signs[..., ::2] = -1
    return truth + by * signs


@pytest.mark.parametrize("name", LOSSES)
@pytest.mark.parametrize("guard", [0.0, 0.5])
def test_what_is_nearer_to_the_truth_costs_less(name, guard, truth):
    near, far = (LOSSES[name](off(truth, by), truth, ALL, off(truth, 0.05), guard) for by in (0.02, 0.04))
    assert near < far


@pytest.mark.parametrize("name", OF_PICTURES)
def test_only_what_is_worse_than_it_was_shown_costs_more(name, truth):
    better, worse = off(truth, 0.02), off(truth, 0.08)
    costs = lambda guess, guard: LOSSES[name](guess, truth, ALL, off(truth, 0.05), guard).item()  # noqa: E731
    assert costs(better, 1.0) == pytest.approx(costs(better, 0.0))
    assert costs(worse, 1.0) > costs(worse, 0.0)


@pytest.mark.parametrize("name", OF_PICTURES)
def test_what_is_not_to_be_trusted_does_not_count(name, truth):
    trust = torch.ones(2, 1, 48, 48)
    trust[..., 24:] = 0
    guess = off(truth, 0.03)
    wrong_there = guess.clone()
    wrong_there[..., 24:] += 0.3
    one, other = (LOSSES[name](g, truth, trust, truth, 0.0).item() for g in (guess, wrong_there))
    assert one == pytest.approx(other)


def test_halving_the_error_is_worth_as_much_of_a_good_patch_as_of_a_bad_one(truth):
    def worth(loss, by):
        return (loss(off(truth, by), truth, ALL, truth, 0.0) - loss(off(truth, by / 2), truth, ALL, truth, 0.0)).item()

    assert worth(decibels, 0.2) == pytest.approx(worth(decibels, 0.04), rel=0.02)
    assert worth(charbonnier, 0.2) > 4 * worth(charbonnier, 0.04)


def test_what_nobody_sees_is_not_guarded(truth):
    guarded, not_guarded = (decibels(off(truth, 0.0003), truth, ALL, truth, guard).item() for guard in (0.5, 0.0))
    assert guarded - not_guarded < 0.05 * abs(decibels(off(truth, 0.03), truth, ALL, truth, 0.5).item() - not_guarded)


def test_a_shift_of_brightness_is_an_error_of_its_size_and_one_of_colour_alone_a_small_one(truth):
    brighter = seen_error(truth + 0.1, truth)
    assert brighter.shape == (2, 1, 48, 48)
    reach = (219 / 255) ** 2  # of luma
    assert brighter.mean().item() == pytest.approx(0.01 * (reach + 0.3) / 1.3, rel=1e-4)
    bluer = truth.clone()
    bluer[:, 2] += 0.1
    assert seen_error(bluer, truth).mean() < brighter.mean() / 5
