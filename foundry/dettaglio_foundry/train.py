"""Train one model; stop and resume at will.

    python -m dettaglio_foundry.train configs/everyday-x2-draft.toml --photos photos --runs runs [--minutes 30]

The checkpoint holds weights, their running average, the optimiser and the random states: a run that
was stopped (Ctrl-C, SIGTERM or --minutes) goes on as if it had not been. --start WEIGHTS begins from
an earlier model's state dictionary.
"""

import argparse
import random
import signal
import time
from pathlib import Path

import numpy as np
import torch

from .config import Config
from .degrade import degrade, shrink
from .network import Enlarger, calm
from .photos import PatchSource

AVERAGE_DECAY = 0.999
WARM_UP_STEPS = 200
LUMA = torch.tensor([65.481, 128.553, 24.966]).view(1, 3, 1, 1) / 255  # ITU-R BT.601


def learning_rate(config: Config, step: int) -> float:
    """Cosine from the configured rate to nearly nothing, after a short warm-up."""
    progress = min(1.0, step / config.steps)
    return (1e-6 + config.learning_rate * 0.5 * (1 + np.cos(np.pi * progress))) * min(1, (step + 1) / WARM_UP_STEPS)


def psnr_luma(a: torch.Tensor, b: torch.Tensor, margin: int) -> float:
    difference = ((a - b) * LUMA).sum(1)[:, margin:-margin, margin:-margin]
    return (-10 * torch.log10((difference**2).mean())).item()


@torch.no_grad()
def probe(net: Enlarger, patches: torch.Tensor) -> float:
    """Gain over bicubic in dB on fixed patches of the training photographs: a pulse, not a score."""
    small = (shrink(patches, net.factor) * 255).round() / 255
    plain = torch.nn.functional.interpolate(small, scale_factor=net.factor, mode="bicubic").clamp(0, 1)
    learned = net(small.contiguous(memory_format=torch.channels_last)).clamp(0, 1)
    margin = net.factor + 4
    gains = [
        psnr_luma(l[None], p[None], margin) - psnr_luma(b[None], p[None], margin)
        for l, b, p in zip(learned, plain, patches)
    ]
    return float(np.mean(gains))


class Run:
    """A model under training and all that is needed to go on with it."""

    def __init__(self, config: Config, folder: Path, start: str | None):
        self.config = config
        self.path = folder / f"{config.id}.pt"
        self.rng = random.Random(config.seed)
        torch.manual_seed(config.seed)
        self.net = calm(Enlarger(config.channels, config.blocks, config.factor))
        if start:
            self.net.load_state_dict(torch.load(start))
        self.net.to(memory_format=torch.channels_last)
        self.average = {k: v.clone() for k, v in self.net.state_dict().items()}
        self.adam = torch.optim.Adam(self.net.parameters(), config.learning_rate, betas=(0.9, 0.99))
        self.step = 0
        self.seconds = 0.0
        if self.path.exists():
            self.restore()

    def restore(self) -> None:
        saved = torch.load(self.path, weights_only=False)
        self.net.load_state_dict(saved["net"])
        self.average = saved["average"]
        self.adam.load_state_dict(saved["adam"])
        self.step, self.seconds = saved["step"], saved["seconds"]
        self.rng.setstate(saved["rng"])
        torch.set_rng_state(saved["torch_rng"])

    def save(self) -> None:
        """Written beside the old one and renamed: a stop in mid-write loses nothing."""
        state = {
            "net": self.net.state_dict(), "average": self.average, "adam": self.adam.state_dict(),
            "step": self.step, "seconds": self.seconds,
            "rng": self.rng.getstate(), "torch_rng": torch.get_rng_state(),
        }  # fmt: skip
        fresh = self.path.with_suffix(".new")
        torch.save(state, fresh)
        fresh.rename(self.path)

    def averaged(self) -> Enlarger:
        net = Enlarger(self.config.channels, self.config.blocks, self.config.factor)
        net.load_state_dict(self.average)
        return net.eval()

    def learn(self, source: PatchSource) -> float:
        large = source.batch(self.config.batch)
        small = degrade(large, self.config.factor, self.config.damage, self.rng)
        for group in self.adam.param_groups:
            group["lr"] = learning_rate(self.config, self.step)
        guess = self.net(small.contiguous(memory_format=torch.channels_last))
        loss = ((guess - large) ** 2 + 1e-6).sqrt().mean()  # Charbonnier
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


def main() -> None:
    parser = argparse.ArgumentParser(description="Train one model; stop and resume at will.")
    parser.add_argument("config")
    parser.add_argument("--photos", default="photos")
    parser.add_argument("--runs", default="runs")
    parser.add_argument("--minutes", type=float, default=float("inf"), help="stop cleanly after this long")
    parser.add_argument("--start", help="state dictionary to begin from")
    args = parser.parse_args()

    stopping = []
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda *_: stopping.append(True))
    folder = Path(args.runs)
    folder.mkdir(parents=True, exist_ok=True)
    config = Config.read(args.config)
    run = Run(config, folder, args.start)
    source = PatchSource(args.photos, config.patch * config.factor, run.rng)
    fixed = PatchSource(args.photos, 192, random.Random(7))
    fixed.pictures = source.pictures
    probes = fixed.batch(24)
    parameters = sum(p.numel() for p in run.net.parameters())
    print(f"{config.id}: {parameters} parameters, halo {run.net.halo}, {len(source.pictures)} photographs, step {run.step}")

    began = last_save = time.monotonic()
    while run.step < config.steps and not stopping and time.monotonic() - began < args.minutes * 60:
        tick = time.monotonic()
        loss = run.learn(source)
        run.seconds += time.monotonic() - tick
        if run.step % 500 == 0 or time.monotonic() - last_save > 300:
            last_save = time.monotonic()
            run.save()
            gain = probe(run.averaged(), probes)
            print(f"step {run.step}, {run.seconds:.0f} s, loss {loss:.5f}, {gain:+.3f} dB over bicubic", flush=True)
    run.save()
    print(f"stopped at step {run.step} of {config.steps}, {run.seconds:.0f} s, {probe(run.averaged(), probes):+.3f} dB")


if __name__ == "__main__":
    main()
