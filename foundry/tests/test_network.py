import pytest
import torch

from dettaglio_foundry.network import (
    LEVEL, Cleaner, Enlarger, FarCleaner, Filler, MarkFinder, OnCanvas, PhaseBalance, Restorer, Shrinkage, Surroundings, TextureEnlarger, calm,
    cosines, cubic, start_from,
)  # fmt: skip

LARGE = torch.rand(1, 3, 40, 44, generator=torch.Generator().manual_seed(1))
ALL_BUT_ONE = torch.ones(1, 1, 40, 44)
ALL_BUT_ONE[..., 20, 20] = 0
CANVAS = torch.rand(1, 3, 40, 48, generator=torch.Generator().manual_seed(2))


@pytest.mark.parametrize("factor", [2, 4])
def test_an_enlarger_gives_a_picture_so_many_times_larger(factor):
    assert Enlarger(4, 2, factor)(LARGE).shape == (1, 3, 40 * factor, 44 * factor)


def test_a_fresh_enlarger_starts_near_plain_repetition():
    answer = calm(Enlarger(8, 4, 2))(LARGE)
    repeated = LARGE.repeat_interleave(2, 2).repeat_interleave(2, 3)
    assert (answer - repeated).abs().mean() < 0.06 < (LARGE.mean() - repeated).abs().mean()


def felt(net, inputs: torch.Tensor, changed: torch.Tensor, *told: torch.Tensor) -> torch.Tensor:
    """Where in the answer a change of one pixel in the middle is felt, (H, W)."""
    with torch.no_grad():
        return (net(inputs, *told) - net(changed, *told)).abs().sum((0, 1)) > 0


def reach(net, fold: int, *told: torch.Tensor) -> int:
    changed = LARGE.clone()
    changed[..., 20, 20] += 1
    rows = felt(net, LARGE, changed, *told).any(1).nonzero().flatten() // net.factor
    return int(max(20 - rows.min(), rows.max() - 20))


@pytest.mark.parametrize("blocks", [2, 4])
def test_the_halo_is_how_far_a_pixel_is_felt(blocks):
    enlarger = Enlarger(6, blocks, 2)
    assert reach(enlarger, 1) == enlarger.halo
    cleaner = Cleaner(6, blocks)
    level = torch.full((1, 1, 40, 44), 0.1)
    # Folded pixels end where the pair does.
    assert cleaner.halo <= reach(cleaner, 2, level) <= cleaner.halo + 1


@pytest.mark.parametrize("channels, blocks", [(6, 4), (9, 4), (16, 4), (6, 6), (16, 8)])
def test_a_larger_network_starts_with_the_answers_of_the_one_it_grew_from(channels, blocks):
    small = Enlarger(6, 4, 2).eval()
    grown = start_from(calm(Enlarger(channels, blocks, 2)), small.state_dict())
    with torch.no_grad():
        assert torch.allclose(small(LARGE), grown(LARGE), atol=1e-6)
    grown(LARGE).square().mean().backward()
    heard = grown.tail.weight.grad[:, 6:]
    assert channels == 6 or heard.abs().max() > 0, "and yet the new channels will be heard"


def test_a_deeper_one_is_no_start():
    with pytest.raises(AssertionError, match="fewer blocks"):
        start_from(Enlarger(6, 2, 2), Enlarger(6, 4, 2).state_dict())


def test_a_restorer_starts_as_a_cleaner_that_is_always_told_the_same():
    cleaner = Cleaner(6, 2).eval()
    restorer = start_from(Restorer(6, 4), cleaner.state_dict())
    told = torch.rand(1, 3, 40, 48)
    level = torch.full((1, 1, 40, 48), LEVEL)
    inside = (..., slice(12, -12), slice(12, -12))  # at the edge, a bias is told where zeros would be
    with torch.no_grad():
        assert torch.allclose(restorer(CANVAS, told)[inside], cleaner(CANVAS, level)[inside], atol=1e-5)


def test_a_restorer_that_never_looked_around_starts_with_its_answers_and_learns_to():
    earlier = Restorer(6, 4)
    told = torch.rand(1, 3, 40, 48)
    blind = {name: value for name, value in earlier.state_dict().items() if not name.startswith("surroundings")}
    restorer = start_from(Restorer(6, 4), blind)
    with torch.no_grad():
        assert torch.equal(restorer(CANVAS, told), earlier(CANVAS, told)), "they add nothing yet"
    restorer(CANVAS, told).square().mean().backward()
    assert restorer.surroundings.from_half.weight.grad.abs().max() > 0


def test_what_lies_four_times_as_far_is_seen_at_half_and_at_a_quarter_of_the_resolution():
    net = Surroundings(6)
    torch.nn.init.normal_(net.from_half.weight)
    changed = torch.zeros(1, 6, 64, 64)
    changed[..., 32, 32] = 1
    columns = felt(net, torch.zeros_like(changed), changed).any(0).nonzero().flatten()
    assert columns.min() <= 32 - 20 and columns.max() >= 32 + 20


def test_on_its_canvas_a_restorer_knows_the_places():
    net = Restorer(4, 2)
    torch.nn.init.normal_(net.surroundings.from_half.weight)
    whole = OnCanvas(net, 48, 40)
    scale = torch.full((1, 1, 40, 48), 0.4)
    across = (torch.arange(48) + 0.5) / 48 * 2 - 1
    down = (torch.arange(40) + 0.5) / 40 * 2 - 1
    place = torch.stack([across.expand(40, 48), down[:, None].expand(40, 48)])[None]
    with torch.no_grad():
        assert torch.allclose(whole(CANVAS, scale), net(CANVAS, torch.cat([place, scale], 1)), atol=1e-6)


def test_the_basis_is_orthonormal_and_begins_with_the_mean():
    basis = cosines(8).flatten(1)
    assert torch.allclose(basis @ basis.T, torch.eye(64), atol=1e-5)
    assert torch.allclose(basis[0], torch.full((64,), 1 / 8))


class TestShrinkage:
    def test_without_noise_it_changes_nothing(self):
        assert torch.allclose(Shrinkage()(LARGE, torch.zeros(1, 1, 40, 44)), LARGE, atol=1e-5)

    @pytest.mark.parametrize("sigma", [0.02, 0.1])
    def test_flat_ground_comes_out_of_noise(self, sigma):
        flat = torch.full((1, 3, 64, 64), 0.4)
        noisy = flat + sigma * torch.randn(flat.shape, generator=torch.Generator().manual_seed(1))
        left = (Shrinkage()(noisy, torch.full((1, 1, 64, 64), sigma)) - flat).std()
        assert left < 0.25 * sigma

    def test_what_stands_above_the_noise_stays(self):
        edge = torch.full((1, 3, 64, 64), 0.2)
        edge[..., 32:] = 0.8
        noisy = edge + 0.02 * torch.randn(edge.shape, generator=torch.Generator().manual_seed(1))
        clean = Shrinkage()(noisy, torch.full((1, 1, 64, 64), 0.02))
        assert (clean - edge).std() < 0.7 * 0.02 and clean[..., 33:].mean() - clean[..., :31].mean() > 0.59

    def test_what_is_fixed_is_not_taken_from_weights_that_were_rounded(self):
        rounded = {"basis": Shrinkage().basis.half().float(), **Shrinkage(2.5).state_dict()}
        filter_ = Shrinkage()
        filter_.load_state_dict(rounded)
        assert torch.equal(filter_.basis, Shrinkage().basis) and filter_.threshold.eq(2.5).all()


class TestFarCleaner:
    net = FarCleaner((6, 8, 10), (1, 1, 2))
    picture = torch.rand(1, 3, 320, 320, generator=torch.Generator().manual_seed(4))

    def test_it_starts_with_the_plain_filters_answer(self):
        level = torch.full((1, 1, 320, 320), 0.05)
        with torch.no_grad():
            answer, plain = self.net(self.picture, level), self.net.shrinkage(self.picture, level)
        assert (answer - plain).abs().mean() < 0.1 and answer.shape == plain.shape

    def test_its_filter_is_told_the_noise_that_a_level_stands_for(self):
        told = FarCleaner((6, 8, 10), (1, 1, 2), noise=0.02)
        told.load_state_dict(self.net.state_dict())
        level = torch.full((1, 1, 320, 320), 0.5)
        with torch.no_grad():
            told.tail.weight.zero_(), told.tail.bias.zero_()
            assert torch.equal(told(self.picture, level), told.shrinkage(self.picture, level * 0.02))

    def test_the_halo_is_how_far_a_pixel_is_felt(self):
        level = torch.full((1, 1, 320, 320), 0.05)
        changed = self.picture.clone()
        changed[..., 160, 160] += 1
        rows = felt(self.net, self.picture, changed, level).any(1).nonzero().flatten()
        far = int(max(160 - rows.min(), rows.max() - 160))
        assert self.net.multiple == 8 and self.net.halo - 40 < far <= self.net.halo + self.net.multiple


class TestTextureEnlarger:
    small = torch.rand(1, 3, 24, 28, generator=torch.Generator().manual_seed(5))
    grain = torch.randn(1, 1, 96, 112, generator=torch.Generator().manual_seed(6))

    def test_it_starts_near_the_enlarger_that_it_began_as(self):
        everyday = Enlarger(6, 4, 4)
        net = start_from(TextureEnlarger(6, 4, 4), everyday.state_dict())
        with torch.no_grad():
            assert (net(self.small, self.grain) - everyday(self.small)).abs().mean() < 0.1

    def test_its_planes_are_alike_in_all_phases_of_the_lattice(self):
        net = TextureEnlarger(6, 4, 4)
        flat = torch.full((1, 6, 8, 8), 0.3)
        planes = torch.nn.functional.pixel_shuffle(net.planes(flat), 4)[..., 8:-8, 8:-8]
        assert planes.std((2, 3)).max() < 1e-5

    def test_other_grain_draws_another_texture(self):
        net = TextureEnlarger(6, 4, 4)
        with torch.no_grad():
            assert (net(self.small, self.grain) - net(self.small, self.grain.flip(3))).abs().max() > 0

    def test_the_halo_is_how_far_a_pixel_is_felt(self):
        net = TextureEnlarger(6, 2, 2)
        grain = torch.zeros(1, 1, 80, 88)
        assert reach(net, 1, grain) == net.halo


@pytest.mark.parametrize("factor", [2, 4])
def test_cubic_convolution_is_exact_for_slopes_and_curves(factor):
    at = torch.arange(40, dtype=torch.float64)
    picture = (0.1 + 0.01 * at + 0.0003 * at**2).view(1, 1, 1, 40).expand(1, 3, 40, 40)
    plain = PhaseBalance(factor).double().plain
    made = torch.nn.functional.pixel_shuffle(torch.nn.functional.conv2d(picture, plain.double(), padding=2), factor)
    fine = (torch.arange(40 * factor, dtype=torch.float64) + 0.5) / factor - 0.5
    inside = slice(4 * factor, -4 * factor)
    # To what single precision leaves of the weights.
    assert (made[0, 0, 20 * factor] - (0.1 + 0.01 * fine + 0.0003 * fine**2))[inside].abs().max() < 1e-6
    assert torch.allclose(cubic(factor).sum(1), torch.ones(factor))


@pytest.mark.parametrize("factor", [2, 4])
def test_a_dot_in_every_cell_is_taken_off_and_texture_stays(factor):
    balance = PhaseBalance(factor)
    picture = LARGE[..., :40]
    smooth = torch.nn.functional.conv2d(torch.nn.functional.pad(picture, (2,) * 4, mode="replicate"), balance.plain)
    dots = torch.zeros_like(smooth)
    dots[:, :: factor * factor] = 0.1
    left = (balance(smooth + dots, picture) - smooth - 0.1 / factor**2).abs() / dots.max()
    # Spread evenly over the cell, nothing of it is a pattern; at the rim some stays, on two sides in a corner.
    rim = balance.RADIUS
    assert left[..., rim:-rim, rim:-rim].max() < 1e-4
    assert left[..., rim:-rim, :].max() < 0.31 and left.max() < 0.52
    texture = torch.randn(smooth.shape, generator=torch.Generator().manual_seed(3)) * 0.1
    kept = balance(smooth + texture, picture) - smooth
    assert (kept - texture).std() < 0.35 * texture.std()


def test_whatever_an_enlarger_has_learned_it_leaves_no_pattern():
    enlarger = Enlarger(8, 2, 4)
    even = torch.full((1, 3, 24, 24), 0.5)
    with torch.no_grad():
        enlarger.tail.bias.add_(torch.rand(48))
        answer = enlarger(even)[..., 32:-32, 32:-32]
    assert (answer.amax((2, 3)) - answer.amin((2, 3))).max() < 1e-5


def test_a_finder_says_how_likely_each_kind_is():
    finder = MarkFinder((6, 8, 8), (1, 1, 1))
    likely = finder(CANVAS)
    assert likely.shape == CANVAS.shape and 0 <= likely.min() and likely.max() <= 1
    assert likely.mean() < 0.2, "marks are rare before anything is learned"


def test_a_filler_changes_what_is_marked_alone_and_does_not_look_under_it():
    filler = Filler((6, 8, 8), (1, 1, 1))
    marks = torch.zeros(1, 1, 40, 48)
    marks[..., 10:16, 20:30] = 1
    with torch.no_grad():
        answer = filler(CANVAS, marks)
        other = filler(torch.where(marks > 0, torch.rand_like(CANVAS), CANVAS), marks)
    assert torch.equal(torch.where(marks > 0, 0, answer), torch.where(marks > 0, 0, CANVAS))
    assert torch.allclose(answer, other, atol=1e-6) and not torch.allclose(answer, CANVAS)


@pytest.mark.parametrize("net, told", [(MarkFinder((6, 8), (1, 1)), ()), (Filler((6, 8), (1, 1)), (ALL_BUT_ONE,))])
def test_what_sees_far_sees_no_farther_than_its_halo(net, told):
    assert 4 < reach(net, 2, *told) <= net.halo + net.multiple
