"""A page of a family's photograph album, from the made-up people of foundry/heads.

    cd foundry && heads-venv/bin/python -m heads --seeds 2002 --views 1 --size 480 600 --samples 28 --out FOLDER --set ...
    python album.py FOLDER ../pictures

The people (traits as in PEOPLE) are path-traced; the page is drawn here: prints with deckled rims, faded and scratched, stuck
on dark paper a little askew, scanned by a cheap scanner. Nobody in it ever was.
"""
import os
import sys

import numpy as np
from PIL import Image, ImageFilter

# seed: traits given to `heads --set`
PEOPLE = {
    2002: 'male=0 hair=tied age=31 beard=none glasses=0 smile=.6',
    2003: 'male=1 hair=crop age=35 beard=stubble glasses=0 smile=.3',
    2005: 'male=0 hair=bob age=64 grey=.7 beard=none glasses=0 smile=.5',
}


def faded(picture, rng, colour):
    """An old print's tone: little colour left, lifted blacks, yellowed whites. Encoded RGB, 0 to 1."""
    grey = picture @ [.299, .587, .114]
    picture = picture * colour + grey[..., None] * (1 - colour)
    black = np.array([.17, .13, .10]) * rng.uniform(.7, 1.1)
    white = np.array([.97, .92, .80]) * rng.uniform(.97, 1.0)
    return black + picture * (white - black)


def soft(picture, radius):
    levels = Image.fromarray((picture.clip(0, 1) * 255 + .5).astype(np.uint8))
    return np.asarray(levels.filter(ImageFilter.GaussianBlur(radius))) / 255


def print_of(file, width, rng, colour):
    """A print of `width` pixels with a white rim and a deckled edge, and how much of each pixel is paper."""
    height = round(width * 1.25)
    person = Image.open(file).convert('RGB').resize((width, height), Image.LANCZOS)
    person = person.filter(ImageFilter.GaussianBlur(.55))
    rim = max(6, width // 14)
    sheet = np.ones((height + 2 * rim, width + 2 * rim, 3)) * .96
    sheet[rim:-rim, rim:-rim] = np.asarray(person) / 255
    sheet = faded(sheet, rng, colour)
    grain = rng.normal(0, 1, sheet.shape[:2])
    sheet += grain[..., None] * .018
    for _ in range(3):
        (x, y, n), slant = rng.integers([rim, rim, 8], [width, height // 2, 60]), rng.uniform(-1.2, 1.2)
        for k in range(n):
            at = min(y + k, height), int(np.clip(x + slant * k + .004 * k * k, 0, width))
            sheet[at] = sheet[at] * .35 + np.array([.95, .92, .84]) * .65
    paper = np.ones(sheet.shape[:2])
    wave = lambda n: 1.5 + 1.4 * np.sin(np.arange(n) * 1.1 + rng.uniform(0, 6)) + rng.normal(0, .3, n)
    for y, cut in enumerate(wave(sheet.shape[0])):
        paper[y, :max(0, int(cut))] = 0
        paper[y, sheet.shape[1] - max(0, int(cut)):] = 0
    for x, cut in enumerate(wave(sheet.shape[1])):
        paper[:max(0, int(cut)), x] = 0
        paper[sheet.shape[0] - max(0, int(cut)):, x] = 0
    return sheet.clip(0, 1), paper


def page(folder, rng):
    """900 x 560 px: three prints on dark album paper."""
    height, width = 560, 900
    fibre = soft(rng.normal(.5, .2, (height, width)), .7)
    fibre = (fibre - fibre.mean()) / fibre.std()
    base = np.array([.20, .18, .165]) + fibre[..., None] * .014
    for seed, size, (x, y), degrees, colour in [(2002, 190, (50, 120), 2.2, .1), (2003, 236, (316, 70), -1.4, .35), (2005, 170, (640, 170), 3.1, 0)]:
        sheet, paper = print_of(os.path.join(folder, f'{seed:04}-0.png'), size, rng, colour)
        turned = [Image.fromarray((c * 255).astype(np.uint8)).rotate(degrees, Image.BICUBIC, expand=True) for c in (sheet, paper)]
        sheet, paper = (np.asarray(t) / 255 for t in turned)
        h, w = paper.shape
        shadow = soft(paper, 4)
        base[y + 4:y + 4 + h, x + 3:x + 3 + w] *= 1 - .5 * shadow[..., None]
        part = base[y:y + h, x:x + w]
        part[:] = part * (1 - paper[..., None]) + sheet * paper[..., None]
    dust = rng.integers(0, [[height], [width]], (2, 60))
    base[dust[0], dust[1]] = .75
    scan = soft(base, .5)
    return (scan + rng.normal(0, .012, scan.shape)).clip(0, 1)


def main(folder, target):
    rng = np.random.default_rng(74)
    album = Image.fromarray((page(folder, rng) * 255 + .5).astype(np.uint8))
    album.save(os.path.join(target, 'album-page.jpg'), 'JPEG', quality=86, subsampling='4:2:0', dpi=(150, 150))
    print('album-page.jpg', os.path.getsize(os.path.join(target, 'album-page.jpg')))


if __name__ == '__main__':
    main(*sys.argv[1:3])
