#!/usr/bin/env python3
"""What the product says of the demo's pictures, and how near its enlargements come to the truth, as tables.

    cargo build --release -p dettaglio && demo/measure.py > demo/measured.md

Needs nothing but Python and the command line program.
"""
import json
import subprocess
import tempfile
from pathlib import Path

DEMO = Path(__file__).resolve().parent
PROGRAM = DEMO.parent / "target/release/dettaglio"

# As generator/photographs.py and prints.py put it in: noise between two shots in the middle tones, in 8-bit levels; the lens's
# blur in pixels of the file; the JPEG's quality as given to the encoder.
PUT_IN = {
    "isola-brina-sign.jpg": (4.67, 0.60, 58),
    "vases-on-the-sill.jpg": (2.74, 0.40, 90),
    "furnace-hall.jpg": (16.29, 0.65, 92),
    "kiln-chimneys.dng": (None, 0.50, None),
    "courtyard-fern.jpg": (4.42, 0.40, 88),
    "weavers-shop.jpg": (2.64, 0.40, 90),
    "embroidered-runner.jpg": (5.62, 0.40, 90),
    "sheepskin.tif": (1.90, 0.40, None),
    "harbour-morning.jpg": (2.14, 0.40, 76),
    "vetreria-front.jpg": (2.01, 0.45, 88),
}


def run(*arguments):
    return subprocess.run([PROGRAM, *map(str, arguments)], capture_output=True, text=True, check=True).stdout


def readings():
    print("| picture | pixels | MB | noise put in | noise read, middle tones | lens blur put in, px | edges read, px | quality put in | read | conclusion |\n|---|---|---|---|---|---|---|---|---|---|")
    for path in sorted((DEMO / "pictures").iterdir()):
        told = json.loads(run("read", path, "--json"))
        facts, reading = told["facts"], told["reading"]
        noise, blur, quality = PUT_IN.get(path.name, (None, None, None))
        size = facts["size"]
        shown = lambda v: "" if v is None else f"{v:g}" if isinstance(v, int) else f"{v:.1f}"
        print(f"| `{path.name}` | {size['width']} x {size['height']} | {path.stat().st_size / 1e6:.2f} | {shown(noise)} | {shown(reading['noise']['sigma'])} "
              f"| {shown(blur)} | {shown((reading['softness'] or {}).get('sigma'))} | {shown(quality)} | {shown(reading['jpeg_quality'])} | {' '.join(told['conclusion'][:2])} |")


def truths():
    print("| picture | factor | bicubic, PSNR and SSIM | Everyday | as suggested | steps |\n|---|---|---|---|---|---|")
    with tempfile.TemporaryDirectory() as work:
        for truth in sorted((DEMO / "truth").iterdir()):
            (picture,) = (DEMO / "pictures").glob(truth.stem + ".*")
            told = [json.loads(run("read", p, "--json"))["facts"]["size"]["width"] for p in (picture, truth)]
            factor = round(told[1] / told[0])
            cells = []
            for how in (["--model", "bicubic"], ["--model", "everyday-x{}-draft".format(factor)], ["--suggested"]):
                out = Path(work) / "result.png"
                said = run("enlarge", picture, "-o", out, "--factor", factor, "--depth", 8, "--force", *how)
                near = json.loads(run("compare", out, truth, "--json"))
                cells.append(f"{near['psnr']:.2f} dB, {near['ssim']:.3f}")
            steps = said.strip().splitlines()[-1].partition(": ")[2]
            print(f"| `{picture.name}` | {factor} | {' | '.join(cells)} | {steps} |")


if __name__ == "__main__":
    print("# The demo, measured\n\nWritten by `demo/measure.py`.\n\n## What was put in, and what is read\n\nA lens's blur is the standard deviation of its Gaussian; what is read is how far edges are spread, to which the scene's own edges,\ndepth of field, the sensor's mosaic and the camera's sharpening belong as well.\n")
    readings()
    print("\n## Against the truth\n\nPSNR and SSIM of luminance against what an ideal camera of the larger size would have seen ([truth](truth)), the noise of\nits paths taken out where they were few, which costs it a little of the finest texture: the figures are a guide.\n")
    truths()
