"""Rendered people as small files, so that nobody needs to render them again to learn from them."""

import json
from pathlib import Path

from PIL import Image

KEPT_QUALITY = 95  # of WebP: a sixth of the PNG's size, 44 dB from it


def missing(seed: int, views: int, folders: list[Path]) -> list[int]:
    """The views of a person that are in none of the folders, as rendered or as kept."""
    there = {file.stem for folder in folders for ending in ("png", "webp") for file in folder.glob(f"{seed:04}-*.{ending}")}
    return [view for view in range(views) if f"{seed:04}-{view}" not in there]


def keep(rendered: Path, kept: Path) -> None:
    """Copies pictures as small files, with where the face lies in them, so that they need not be rendered again."""
    kept.mkdir(parents=True, exist_ok=True)
    for file in sorted(rendered.glob("*.png")):
        small = kept / f"{file.stem}.webp"
        if not small.exists():
            facts = json.loads(file.with_suffix(".json").read_text())
            known = {name: facts[name] for name in ("light", "yaw", "pitch", "roll", "landmarks")}
            small.with_suffix(".json").write_text(json.dumps(known))
            Image.open(file).save(small, quality=KEPT_QUALITY, method=6)
    print(f"{len(list(kept.glob('*.webp')))} pictures in {kept}")
