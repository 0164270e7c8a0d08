"""The best that plain filters make of noisy pictures, for the evaluation to compare cleaners with. Nothing of it ships.

    python -m dettaglio_foundry.references held-out/.plain [EVERY]

Some minutes a picture on one core; what was done already is not done again, and with EVERY 3 only every third picture of each kind of noise
is. Takes `NAME.noisy.png` with `NAME.truth.png`, writes `references.json`: for each picture and filter the PSNR of luminance and of the three
colours in dB, at the level of noise that suits that picture best, which nobody could know.
"""

import json
import sys
from collections.abc import Callable
from pathlib import Path

import bm3d
import numpy as np
from PIL import Image
from skimage.restoration import denoise_nl_means

LUMA = np.array([65.481, 128.553, 24.966]) / 219  # as the product's own PSNR weighs them
BORDER = 8
LEVELS = (0.85, 1.0, 1.2)  # times the noise's own standard deviation


def block_matching(noisy: np.ndarray, sigma: float) -> np.ndarray:
    return bm3d.bm3d_rgb(noisy, sigma)


def non_local_means(noisy: np.ndarray, sigma: float) -> np.ndarray:
    return denoise_nl_means(noisy, h=0.6 * sigma, sigma=sigma, patch_size=5, patch_distance=9, channel_axis=2)


FILTERS: dict[str, Callable] = {"block matching": block_matching, "non-local means": non_local_means}


def psnr(a: np.ndarray, b: np.ndarray) -> tuple[float, float]:
    """Of luminance and of the three colours, in dB."""
    off = (a - b)[BORDER:-BORDER, BORDER:-BORDER]
    return float(-10 * np.log10(((off @ LUMA) ** 2).mean())), float(-10 * np.log10((off**2).mean()))


def best(path: Path) -> tuple[str, dict[str, tuple[float, float]]]:
    name = path.name.removesuffix(".noisy.png")
    noisy, truth = (np.asarray(Image.open(path.with_name(f"{name}.{what}.png")).convert("RGB")) / 255 for what in ("noisy", "truth"))
    sigma = (noisy - truth).std()
    tried = lambda clean: (psnr(clean(noisy, level * sigma).clip(0, 1), truth) for level in LEVELS)  # noqa: E731
    return name, {filtered: max(tried(clean)) for filtered, clean in FILTERS.items()}


def main() -> None:
    folder = Path(sys.argv[1])
    every = int(sys.argv[2]) if len(sys.argv) > 2 else 1
    figures = folder / "references.json"
    found = json.loads(figures.read_text()) if figures.exists() else {}
    kinds = sorted({path.name.split("__")[0] for path in folder.glob("*.noisy.png")})
    for path in [path for kind in kinds for path in sorted(folder.glob(f"{kind}__*.noisy.png"))[::every]]:
        if path.name.removesuffix(".noisy.png") not in found:
            name, reached = best(path)
            found[name] = reached
            figures.write_text(json.dumps(found, indent=1))
    print(f"{len(found)} pictures")


if __name__ == "__main__":
    main()
