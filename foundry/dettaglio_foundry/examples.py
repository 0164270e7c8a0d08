"""The small pictures on which models show what they do, cut from the project's own made-up photographs and renderings.

    python -m dettaglio_foundry.examples ../crates/core/tests/pictures ../models/examples

One a subject, at the size that goes into a model: an enlarger of four makes 384 x 288 of 96 x 72.
"""

import json
import random
import sys
from pathlib import Path

import numpy as np
import torch
from PIL import Image
from torch.nn import functional as F

from . import prints, strands
from .degrade import gaussian_blur, jpeg, shrink
from .people import CANVAS, on_canvas, places
from .sensor import photograph
from .scoring import as_tensor, save

SMALL = (96, 72)
MIDDLE = (192, 144)  # for enlargers of two
LARGE = (288, 216)  # for cleaners, whose result has the size of what they are given


def cut(demo: Path, name: str, centre: tuple[float, float], size: tuple[int, int], halvings: float = 1.0) -> torch.Tensor:
    """A part around `centre` (shares of width and height), shrunk by `halvings`, of `size` pixels."""
    picture = Image.open(demo / name).convert("RGB")
    picture = picture.resize((round(picture.width / halvings), round(picture.height / halvings)), Image.LANCZOS)
    left = min(max(0, round(centre[0] * picture.width - size[0] / 2)), picture.width - size[0])
    top = min(max(0, round(centre[1] * picture.height - size[1] / 2)), picture.height - size[1])
    return as_tensor(np.asarray(picture)[top : top + size[1], left : left + size[0]])


def soft_face(file: Path) -> torch.Tensor:
    """A made-up person on the restorer's canvas, as 30 px between the eyes, a little out of focus and JPEG leave it."""
    canvas = on_canvas(Image.open(file).convert("RGB"), places(json.loads(file.with_suffix(".json").read_text())))
    face = as_tensor(np.asarray(canvas))
    small = F.interpolate(gaussian_blur(face, 2.2), scale_factor=30 / 80, mode="bicubic", antialias=True).clamp(0, 1)
    coded = jpeg((small * 255).round(), 82, 2) / 255
    return F.interpolate(coded, size=CANVAS[::-1], mode="bicubic", antialias=True).clamp(0, 1)


def main() -> None:
    if len(sys.argv) != 3:
        sys.exit("usage: python -m dettaglio_foundry.examples DEMO_PICTURES FOLDER")
    demo, out = Path(sys.argv[1]), Path(sys.argv[2])
    torch.manual_seed(5)
    rng = random.Random(5)
    save(cut(demo, "vases-on-the-sill.jpg", (0.42, 0.55), SMALL, 2), out / "everyday.png")
    # Twice as large a part for what makes it half as large.
    for grade in ("draft", "fine"):
        save(cut(demo, "vases-on-the-sill.jpg", (0.42, 0.55), MIDDLE, 2), out / f"everyday-x2-{grade}.png")
    save(cut(demo, "isola-brina-sign.jpg", (0.5, 0.5), SMALL, 3), out / "lettering.png")
    save(cut(demo, "courtyard-fern.jpg", (0.5, 0.55), SMALL, 2), out / "foliage.png")
    fur = as_tensor(strands.render(4 * SMALL[0], random.Random(39)))[..., : 4 * SMALL[1], :]
    save(shrink(fur, 4), out / "fur.png")
    aged = prints.faded(cut(demo, "vases-on-the-sill.jpg", (0.45, 0.5), MIDDLE, 2), random.Random(7))
    save(prints.scan_of(aged, random.Random(4)), out / "prints.png")
    noisy, _ = photograph(cut(demo, "weavers-shop.jpg", (0.5, 0.5), LARGE), rng, 18 / 255)
    save(noisy, out / "noise.png")
    dark, _ = photograph(cut(demo, "kiln-chimneys.jpg", (0.5, 0.45), LARGE), rng, 14 / 255)
    save(dark, out / "night.png")
    save(jpeg((cut(demo, "isola-brina-sign.jpg", (0.5, 0.45), LARGE) * 255).round(), 22, 2) / 255, out / "compression.png")
    save(gaussian_blur(cut(demo, "harbour-morning.jpg", (0.5, 0.6), LARGE), 1.3), out / "softness.png")
    kept = Path(__file__).parent.parent / "heads" / "kept"
    save(soft_face(kept / "1008-0.png"), out / "faces.png")
    person = as_tensor(np.asarray(Image.open(kept / "1017-0.png").convert("RGB")))
    save(shrink(person[..., 60:348, :], 4), out / "portrait.png")
    print(f"{len(list(out.glob('*.png')))} pictures, {sum(p.stat().st_size for p in out.glob('*.png'))} bytes")


if __name__ == "__main__":
    main()
