"""Train one model; stop and resume at will.

    python -m dettaglio_foundry.train configs/everyday-x2-draft.toml --photos photos --runs runs [--minutes 30]

The checkpoint holds weights, their running average, the optimiser and the random states: a run that
was stopped (Ctrl-C, SIGTERM or --minutes) goes on as if it had not been. --start WEIGHTS begins from
an earlier model's state dictionary, which may be of a smaller network.
"""

import argparse
import random
import signal
import time
from pathlib import Path

import numpy as np
import torch
from torch.nn import functional as F

from .config import Config
from .degrade import shrink
from .lessons import Pair, grain, lesson_for
from .losses import LOSSES, LUMA
from .network import MarkFinder, Network, build, calm, start_from
from .people import Faces
from .perception import Features, distances
from .photos import PatchSource
from .sources import Mixture, Photographs
from .texture import Adversary, lattice_loss, spectrum_loss, tells_apart, tone_loss

AVERAGE_DECAY = 0.998
WARM_UP_STEPS = 200
PROBES = 24
NOTHING_LOST = 60.0  # dB; plain ground between lines of type has nothing to gain


def learning_rate(config: Config, step: int) -> float:
    """Cosine from the configured rate to nearly nothing, after a short warm-up."""
    progress = min(1.0, step / config.steps)
    return (1e-6 + config.learning_rate * 0.5 * (1 + np.cos(np.pi * progress))) * min(1, (step + 1) / WARM_UP_STEPS)


def psnr_luma(a: torch.Tensor, b: torch.Tensor, margin: int) -> float:
    difference = ((a - b) * LUMA).sum(1)[:, margin:-margin, margin:-margin]
    return (-10 * torch.log10((difference**2).mean())).item()


def undone(config: Config, patches: torch.Tensor) -> list[Pair]:
    """Fixed damaged patches with what they should become."""
    state = torch.get_rng_state()
    torch.manual_seed(11)
    if config.kind == "enlarge":
        small = (shrink(patches, config.factor) * 255).round() / 255
        pairs = [((small, grain(patches)) if config.adversary_weight else (small,), patches)]
        torch.set_rng_state(state)
        return pairs
    lesson, rng = lesson_for(config), random.Random(11)
    pairs = [lesson.pair(patches[i : i + 4], rng) for i in range(0, len(patches), 4)]
    torch.set_rng_state(state)
    return pairs


@torch.no_grad()
def probe(net: Network, pairs: list[Pair]) -> float:
    """Gain in dB over bicubic, over the damaged picture, or of masks over finding nothing, on fixed patches of the training photographs.

    A pulse, not a score.
    """
    gains = []
    for inputs, target in pairs:
        damaged = torch.zeros_like(inputs[0]) if isinstance(net, MarkFinder) else inputs[0]
        if net.factor > 1:
            damaged = torch.nn.functional.interpolate(damaged, scale_factor=net.factor, mode="bicubic").clamp(0, 1)
        learned, target = net(*inputs).clamp(0, 1), target[:, :3]
        margin = net.factor + 4
        both = [[psnr_luma(x[None], t[None], margin) for x in (l, d)] for l, d, t in zip(learned, damaged, target)]
        gains += [after - before for after, before in both if before < NOTHING_LOST]
    return float(np.mean(gains))


def packed(state: dict) -> dict:
    """A checkpoint at two thirds of its size, to be kept in the repository.

    With 16 bits: the average, as its distance from the weights, and the optimiser's moments, the second as its root, which
    has the range for it. One that is packed already stays as it is.
    """
    if state.get("packed"):
        return state
    moments = {
        i: m | {"exp_avg": m["exp_avg"].half(), "exp_avg_sq": m["exp_avg_sq"].sqrt().half()} for i, m in state["adam"]["state"].items()
    }
    average = {name: (value - state["net"][name]).half() for name, value in state["average"].items()}
    return state | {"average": average, "adam": state["adam"] | {"state": moments}, "packed": True}


def unpacked(state: dict) -> dict:
    """What `packed` was given, to some three digits; any other checkpoint as it is."""
    if not state.get("packed"):
        return state
    moments = {
        i: m | {"exp_avg": m["exp_avg"].float(), "exp_avg_sq": m["exp_avg_sq"].float() ** 2} for i, m in state["adam"]["state"].items()
    }
    average = {name: state["net"][name] + value for name, value in state["average"].items()}
    return state | {"average": average, "adam": state["adam"] | {"state": moments}}


class Run:
    """A model under training and all that is needed to go on with it."""

    def __init__(self, config: Config, folder: Path, start: str | None):
        self.config = config
        self.path = folder / f"{config.id}.pt"
        self.rng = random.Random(config.seed)
        torch.manual_seed(config.seed)
        self.net = calm(build(config))
        self.lesson = lesson_for(config)
        if start:
            start_from(self.net, {name: value.float() for name, value in torch.load(start).items()})
        self.net.to(memory_format=torch.channels_last)
        self.average = {k: v.clone() for k, v in self.net.state_dict().items()}
        self.adam = torch.optim.Adam(self.net.parameters(), config.learning_rate, betas=(0.9, 0.99))
        self.step = 0
        self.seconds = 0.0
        if self.path.exists():
            self.restore()

    def restore(self) -> None:
        saved = unpacked(torch.load(self.path, weights_only=False))
        self.net.load_state_dict(saved["net"])
        self.average = saved["average"]
        self.adam.load_state_dict(saved["adam"])
        self.step, self.seconds = saved["step"], saved["seconds"]
        self.rng.setstate(saved["rng"])
        torch.set_rng_state(saved["torch_rng"])

    def state(self) -> dict:
        return {
            "net": self.net.state_dict(), "average": self.average, "adam": self.adam.state_dict(),
            "step": self.step, "seconds": self.seconds,
            "rng": self.rng.getstate(), "torch_rng": torch.get_rng_state(),
        }  # fmt: skip

    def save(self) -> None:
        """Written beside the old one and renamed: a stop in mid-write loses nothing."""
        state = self.state()
        fresh = self.path.with_suffix(".new")
        torch.save(state, fresh)
        fresh.rename(self.path)

    def averaged(self) -> Network:
        net = build(self.config)
        net.load_state_dict(self.average)
        return net.eval()

    def learn(self, source: Mixture | Faces) -> float:
        inputs, target = self.lesson.pair(source.batch(self.config.batch), self.rng)
        for group in self.adam.param_groups:
            group["lr"] = learning_rate(self.config, self.step)
        guess = self.net(*(i.contiguous(memory_format=torch.channels_last) for i in inputs))
        loss = self.loss(guess, target, inputs[0])
        self.adam.zero_grad()
        loss.backward()
        torch.nn.utils.clip_grad_norm_(self.net.parameters(), 1.0)
        self.adam.step()
        self.step += 1
        decay = min(AVERAGE_DECAY, self.step / (self.step + 10))
        with torch.no_grad():
            for name, value in self.net.state_dict().items():
                self.average[name].lerp_(value, 1 - decay)
        return loss.item()

    def loss(self, guess: torch.Tensor, target: torch.Tensor, shown: torch.Tensor) -> torch.Tensor:
        trust = target[:, 3:] if target.shape[1] == 4 else torch.ones(())  # of a face; all else is trusted
        target = target[:, :3]
        loss = LOSSES[self.config.loss](guess, target, trust, shown, self.config.guard_weight)
        if self.config.tone_weight:
            loss = loss + self.config.tone_weight * tone_loss(guess, target)
        if self.config.lattice_weight and self.config.factor > 1:
            loss = loss + self.config.lattice_weight * lattice_loss(guess, target, self.config.factor)
        return loss

    def pulse(self) -> str:
        """What else is to be said of the last step."""
        return ""


class TextureRun(Run):
    """A texture model, and the adversary that it learns against if it has one."""

    MARGIN = 8  # px of the result at the edges of a patch, where neighbours are missing
    STAGES = (0.0, 0.4, 0.4, 0.2)  # of the general network; the first is pleased by any fine noise
    ALONE = 60  # steps before the adversary is listened to
    SHARPER = 1.0  # its rate over the model's

    def __init__(self, config: Config, folder: Path, start: str | None):
        self.features = Features(4, even=True).to(memory_format=torch.channels_last)
        torch.manual_seed(config.seed)
        self.adversary = Adversary().to(memory_format=torch.channels_last)
        self.against = torch.optim.Adam(self.adversary.parameters(), self.SHARPER * config.learning_rate, betas=(0.9, 0.99))
        self.terms: dict[str, float] = {}
        self.shown: tuple[torch.Tensor, ...] = ()  # of the last step: what was made, what is real, the plain enlargement
        super().__init__(config, folder, start)

    def restore(self) -> None:
        super().restore()
        saved = torch.load(self.path, weights_only=False)
        self.adversary.load_state_dict(saved["adversary"])
        self.against.load_state_dict(saved["against"])

    def state(self) -> dict:
        return super().state() | {"adversary": self.adversary.state_dict(), "against": self.against.state_dict()}

    def loss(self, guess: torch.Tensor, target: torch.Tensor, shown: torch.Tensor) -> torch.Tensor:
        inside = lambda t: t[..., self.MARGIN : -self.MARGIN, self.MARGIN : -self.MARGIN].contiguous(memory_format=torch.channels_last)  # noqa: E731
        plain = F.interpolate(shown, scale_factor=self.config.factor, mode="bicubic")
        guess, target, plain = inside(guess), inside(target), inside(plain)
        mean = super().loss(guess, target, plain)
        with torch.no_grad():
            real = self.features(target)
        seen = sum(weight * distance for weight, distance in zip(self.STAGES, distances(self.features(guess), real)))
        spectrum = spectrum_loss(guess, target)
        loss = mean + self.config.perception_weight * seen + self.config.spectrum_weight * spectrum
        if self.config.adversary_weight and self.step >= self.ALONE:
            self.adversary.requires_grad_(False)
            convincing = tells_apart(self.adversary(guess, plain), self.adversary(target, plain).detach())
            self.adversary.requires_grad_(True)
            loss = loss + self.config.adversary_weight * convincing
        self.terms = {"mean": mean.item(), "seen": seen.item(), "spectrum": spectrum.item()}
        self.shown = (guess.detach(), target, plain)
        return loss

    def learn(self, source: Mixture | Faces) -> float:
        """A step of the model, then one of the adversary on the same patches."""
        loss = super().learn(source)
        if not self.config.adversary_weight:
            return loss
        guess, target, plain = self.shown
        told = tells_apart(self.adversary(target, plain), self.adversary(guess, plain))
        self.against.param_groups[0]["lr"] = self.SHARPER * max(self.config.learning_rate * 0.1, learning_rate(self.config, self.step))
        self.against.zero_grad()
        told.backward()
        self.against.step()
        self.terms["adversary"] = told.item()
        return loss

    def pulse(self) -> str:
        return "".join(f", {name} {value:.4f}" for name, value in self.terms.items())


def run_of(config: Config, folder: Path, start: str | None) -> Run:
    return (TextureRun if config.perception_weight else Run)(config, folder, start)


def main() -> None:
    parser = argparse.ArgumentParser(description="Train one model; stop and resume at will.")
    parser.add_argument("config")
    parser.add_argument("--photos", default="photos")
    parser.add_argument("--fonts", default="fonts")
    parser.add_argument("--people", default="heads/training")
    parser.add_argument("--runs", default="runs")
    parser.add_argument("--minutes", type=float, default=float("inf"), help="stop cleanly after this long")
    parser.add_argument("--keep", metavar="FILE", help="only write the run's checkpoint there, packed, to be kept")
    parser.add_argument("--start", help="state dictionary to begin from")
    args = parser.parse_args()

    stopping = []
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda *_: stopping.append(True))
    folder = Path(args.runs)
    folder.mkdir(parents=True, exist_ok=True)
    config = Config.read(args.config)
    run = run_of(config, folder, args.start)
    if args.keep:
        torch.save(packed(run.state()), args.keep)
        print(f"{args.keep}: step {run.step} of {config.steps}")
        return
    photographs = Photographs(args.photos, config.scales)
    if config.kind == "face":
        faces = lambda rng: Faces(args.people, PatchSource(photographs.of(None), config.patch, rng), config.patch, rng)  # noqa: E731
        source, fixed = faces(run.rng), faces(random.Random(7))
    else:
        side = config.patch * config.factor
        source = Mixture(config.patches, photographs, args.fonts, side, run.rng, people=args.people, recoloured=config.recoloured)
        fixed = Mixture(config.patches, photographs, args.fonts, 192, random.Random(7), sheets=PROBES, people=args.people)
    probes = undone(config, fixed.batch(PROBES))
    parameters = sum(p.numel() for p in run.net.parameters())
    print(f"{config.id}: {parameters} parameters, halo {run.net.halo}, {source.describe()}, step {run.step}")

    began = last_save = time.monotonic()
    while run.step < config.steps and not stopping and time.monotonic() - began < args.minutes * 60:
        tick = time.monotonic()
        loss = run.learn(source)
        run.seconds += time.monotonic() - tick
        if run.step % 500 == 0 or time.monotonic() - last_save > 300:
            last_save = time.monotonic()
            run.save()
            gain = probe(run.averaged(), probes)
            print(f"step {run.step}, {run.seconds:.0f} s, loss {loss:.5f}, {gain:+.3f} dB{run.pulse()}", flush=True)
    run.save()
    print(f"stopped at step {run.step} of {config.steps}, {run.seconds:.0f} s, {probe(run.averaged(), probes):+.3f} dB")


if __name__ == "__main__":
    main()
