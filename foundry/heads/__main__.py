"""Renders people: `python -m heads --seeds 1-40 --views 4 --out people [--nine-squares]`.

A person is built once and photographed several times: another pose, gaze, light, lens and backdrop each. What is already
there is left alone, so a run that was stopped goes on where it was. Each person is rendered by a process of its own,
because the renderer's curves crash it now and then; a person whose process dies is tried once more, then left out.
"""

import argparse
import json
import subprocess
import sys
import time
from pathlib import Path

from .keeping import keep, missing


def numbers(text: str) -> list[int]:
    """'3,5-7' -> [3, 5, 6, 7]"""
    spans = [part.partition("-") for part in text.split(",")]
    return [n for first, _, last in spans for n in range(int(first), int(last or first) + 1)]


def photograph(seed: int, views: list[int], size: tuple[int, int], samples: int, eye_samples: int, out: Path, given: dict) -> None:
    from PIL import Image

    from .body import Person
    from .person import traits
    from .view import photograph as take

    started = time.time()
    who = traits(seed) | given
    person = Person(who)
    print(f"{seed}: built in {time.time() - started:.1f} s", flush=True)
    for view in views:
        path = out / f"{seed:04}-{view}.png"
        started = time.time()
        picture, facts = take(person, view, size, samples, eye_samples)
        facts["seconds"] = round(time.time() - started, 1)
        path.with_suffix(".json").write_text(json.dumps(facts))
        partial = path.with_suffix(".part")
        Image.fromarray(picture).save(partial, "PNG")
        partial.rename(path)
        print(f"{path.name}: {facts['seconds']} s {facts['stages']}", flush=True)


def main() -> None:
    parser = argparse.ArgumentParser(prog="heads", description=__doc__.splitlines()[0])
    parser.add_argument("--seeds", default="1", help="people, as 3,5-7")
    parser.add_argument("--views", type=int, default=4, help="pictures of each")
    parser.add_argument("--size", type=int, nargs=2, default=(384, 480), metavar=("W", "H"))
    parser.add_argument("--samples", type=int, default=10, help="paths a pixel")
    parser.add_argument("--eye-samples", type=int, default=48, help="further paths a pixel where the eyes are")
    parser.add_argument("--out", type=Path, required=True)
    parser.add_argument("--set", nargs="*", default=[], help="traits, e.g. hair=bob male=0 tone=.2")
    parser.add_argument("--keep", type=Path, metavar="FOLDER", help="only copy what is in --out there, as small files")
    parser.add_argument("--but", type=Path, metavar="FOLDER", help="leave out the pictures that are kept there")
    parser.add_argument("--here", action="store_true", help="in this process, for one person")
    a = parser.parse_args()
    if a.keep:
        return keep(a.out, a.keep)
    a.out.mkdir(parents=True, exist_ok=True)
    folders = [a.out, a.but] if a.but else [a.out]

    def value(text: str):
        try:
            return float(text)
        except ValueError:
            return text

    if a.here:
        given = {name: value(text) for name, _, text in (s.partition("=") for s in a.set)}
        seed = numbers(a.seeds)[0]
        photograph(seed, missing(seed, a.views, folders), tuple(a.size), a.samples, a.eye_samples, a.out, given)
        return
    for seed in numbers(a.seeds):
        if not missing(seed, a.views, folders):
            continue
        rest = ["--size", *map(str, a.size), "--samples", str(a.samples), "--eye-samples", str(a.eye_samples), "--out", str(a.out), "--set", *a.set]
        but = ["--but", str(a.but)] if a.but else []
        command = [sys.executable, "-m", "heads", "--here", "--seeds", str(seed), "--views", str(a.views), *but, *rest]
        if any(subprocess.run(command).returncode == 0 for _ in range(2)):
            continue
        print(f"{seed}: left out, the renderer failed twice", file=sys.stderr, flush=True)


main()
