"""Train what plan.toml lists, one after the other, as long as it is let.

    python -m dettaglio_foundry.work [--at-once 2] [--minutes 120]   # Ctrl-C stops cleanly, the same command goes on
    python -m dettaglio_foundry.work --keep                          # write the unfinished runs' states into one archive, to be kept
    python -m dettaglio_foundry.work --report                        # only write progress.md

Each run is a process of its own with one thread, at the lowest priority: two at once get a third to a half more out of two cores than
one of two threads. What is finished is exported and scored by hand: whether it ships is for an eye to say.
"""

import argparse
import json
import os
import re
import signal
import subprocess
import sys
import tarfile
import time
import tomllib
from dataclasses import dataclass
from pathlib import Path

import torch

from .config import Config
from .train import packed

HERE = Path(__file__).parent.parent
PULSE = re.compile(r"^(?:stopped at )?step (\d+)(?: of \d+)?, (\d+) s,(?: loss \S+,)? ([+-][\d.]+) dB", re.M)
BARS = "▁▂▃▄▅▆▇█"
LONGEST_CURVE = 40


@dataclass(frozen=True)
class Planned:
    """A run of plan.toml."""

    config: str
    hours: float  # of one core that it is thought worth
    start: str = ""  # weights to begin from

    def read(self) -> Config:
        return Config.read(str(HERE / "configs" / f"{self.config}.toml"))


@dataclass(frozen=True)
class Pulse:
    """What a run said of itself."""

    step: int
    seconds: int
    gain: float


def plan() -> list[Planned]:
    return [Planned(**entry) for entry in tomllib.loads((HERE / "plan.toml").read_text())["run"]]


def pulses(log: str) -> list[Pulse]:
    return [Pulse(int(step), int(seconds), float(gain)) for step, seconds, gain in PULSE.findall(log)]


def curve(gains: list[float]) -> str:
    """The gains from left to right, the lowest and the highest as far apart as there is room."""
    if len(gains) < 2:
        return ""
    every = -(-len(gains) // LONGEST_CURVE)
    shown, low, high = gains[::every], min(gains), max(gains)
    return "".join(BARS[round((gain - low) / max(high - low, 1e-9) * (len(BARS) - 1))] for gain in shown)


def steps_done(config: Config, runs: Path) -> int:
    """By its state; of a run that has ended, whose state is not kept, by its log."""
    state, log = runs / f"{config.id}.pt", runs / f"{config.id}.log"
    if state.exists():
        return torch.load(state, weights_only=False)["step"]
    return max((pulse.step for pulse in pulses(log.read_text())), default=0) if log.exists() else 0


def unfinished(runs: Path) -> list[Planned]:
    return [run for run in plan() if steps_done(run.read(), runs) < run.read().steps]


def command(run: Planned, runs: Path) -> list[str]:
    words = ["nice", "-n", "19", sys.executable, "-m", "dettaglio_foundry.train", f"configs/{run.config}.toml", "--runs", str(runs)]
    return words + (["--start", run.start] if run.start else [])


def score_of(card: Path) -> str:
    """What the evaluation found on held-out pictures, of the model that ships."""
    if not card.exists():
        return "not shipped"
    told = json.loads(card.read_text())
    own = [s for s in told["scores"] if s["set"] == told["subject"]] or [s for s in told["scores"] if s["set"] == "photographs"]
    gains = [s["model"] - s["bicubic"] for s in own] or [c["after"] - c["before"] for c in told["cleaning"] if c["before"]]
    return f"{sum(gains) / len(gains):+.2f} dB ({told['made_on']})" if gains else "not scored"


def report(runs: Path, out: Path) -> None:
    lines = [
        "# How far the runs are\n\nWritten by `python -m dettaglio_foundry.work`. The pulse is the gain in dB on patches of the training "
        "photographs; the score is the evaluation's, of the model that ships. A texture model's pulse falls as it learns to draw.\n\n"
        "| run | steps | core hours | planned | pulse | curve | held-out score |\n|---|--:|--:|--:|--:|---|--:|\n"
    ]
    for run in plan():
        config, log = run.read(), runs / f"{run.config}.log"
        seen = pulses(log.read_text()) if log.exists() else []
        hours = f"{seen[-1].seconds / 3600:.1f}" if seen else "0"
        pulse, drawn = (f"{seen[-1].gain:+.2f}", curve([p.gain for p in seen])) if seen else ("", "")
        step = max([p.step for p in seen], default=0)
        score = score_of(HERE.parent / "models" / f"{config.id}.json")
        lines.append(f"| {config.id} | {step:,} of {config.steps:,} | {hours} | {run.hours:g} | {pulse} | {drawn} | {score} |\n")
    out.write_text("".join(lines))


def keep(runs: Path, archive: Path) -> None:
    """The logs of all runs, by which an ended one is known, and the states of those that are not finished, packed, in one file."""
    archive.parent.mkdir(exist_ok=True)
    going_on = {run.config for run in unfinished(runs)}
    with tarfile.open(archive, "w") as tar:
        for run in plan():
            path = runs / f"{run.read().id}.pt"
            if run.config in going_on and path.exists():
                small = path.with_suffix(".kept")
                torch.save(packed(torch.load(path, weights_only=False)), small)
                tar.add(small, path.name)
                small.unlink()
            log = path.with_suffix(".log")
            if log.exists():
                tar.add(log, log.name)


def take_up(archive: Path, runs: Path) -> None:
    """Unpacks kept states, where there is no newer one."""
    runs.mkdir(parents=True, exist_ok=True)
    if not archive.exists() or not tarfile.is_tarfile(archive):
        return
    with tarfile.open(archive) as tar:
        for member in tar.getmembers():
            if not (runs / member.name).exists():
                tar.extract(member, runs, filter="data")


def step_back(pid: int) -> None:
    """Lets other work go first. Priorities count within a session only: Linux shares the machine evenly among sessions (sched(7), autogroup)."""
    try:
        Path(f"/proc/{pid}/autogroup").write_text("19")
    except OSError:
        pass  # a system without such groups


def work(at_once: int, minutes: float, runs: Path) -> None:
    stopping: list[int] = []
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda *_: stopping.append(1))
    ends = time.monotonic() + 60 * minutes
    running: dict[str, subprocess.Popen] = {}
    failed: set[str] = set()
    while not stopping and time.monotonic() < ends:
        for name, process in list(running.items()):
            if process.poll() is not None:
                del running[name]
                if process.returncode:
                    failed.add(name)
                    print(f"{name} failed: see {runs / name}.log", flush=True)
                report(runs, HERE / "progress.md")
        waiting = [run for run in unfinished(runs) if run.config not in running and run.config not in failed] if len(running) < at_once else []
        for run in waiting[: at_once - len(running)]:
            environment = os.environ | {"OMP_NUM_THREADS": "1"}
            with open(runs / f"{run.config}.log", "a") as log:
                running[run.config] = subprocess.Popen(command(run, runs), cwd=HERE, stdout=log, stderr=log, env=environment, start_new_session=True)
            step_back(running[run.config].pid)
            print(f"{run.config}: under way", flush=True)
        if not running and not waiting:
            print("all that is planned is done" if not failed else "nothing else can be done")
            break
        time.sleep(2)
    for process in running.values():
        process.terminate()
    for process in running.values():
        process.wait()
    report(runs, HERE / "progress.md")


def main() -> None:
    parser = argparse.ArgumentParser(description="Train what plan.toml lists.")
    parser.add_argument("--at-once", type=int, default=2)
    parser.add_argument("--minutes", type=float, default=float("inf"))
    parser.add_argument("--runs", default="runs")
    parser.add_argument("--archive", default="checkpoints/states.tar")
    parser.add_argument("--keep", action="store_true")
    parser.add_argument("--report", action="store_true")
    args = parser.parse_args()
    runs, archive = (Path(path).resolve() for path in (args.runs, args.archive))
    if args.keep:
        keep(runs, archive)
    elif not args.report:
        take_up(archive, runs)
        work(args.at_once, args.minutes, runs)
    report(runs, HERE / "progress.md")


if __name__ == "__main__":
    main()
