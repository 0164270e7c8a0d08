"""Pictures that come in small: a page of a family's album, a group and a cutting from a newspaper as scans, a portrait from a web page.

    cd foundry && heads-venv/bin/python -m heads --seeds 2002 --views 1 --size 480 600 --samples 28 --out PEOPLE --set ...
    python prints.py PEOPLE FOLDER_OF_EXR ../pictures

The people (traits as in PEOPLE) are path-traced, and so are the group and the workshop of the cutting; the paper is drawn here:
deckled rims, fading and scratches; a halftone screen on newsprint with a fold; a mounted print with foxing and a crease. Nobody in them ever was.
"""
import os
import sys

import numpy as np
from PIL import Image, ImageDraw, ImageFilter, ImageFont

import camera
from common import load_exr, smooth, spectral

# seed: traits given to `heads --set`
PEOPLE = {
    2002: 'male=0 hair=tied age=31 beard=none glasses=0 smile=.6',
    2003: 'male=1 hair=crop age=35 beard=stubble glasses=0 smile=.3',
    2005: 'male=0 hair=bob age=64 grey=.7 beard=none glasses=0 smile=.5',
    2012: 'male=1 hair=crop age=42 beard=full glasses=0 smile=.25',  # --size 512 640
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


def scratches(rng, count, least, most, lean, bend, last):
    """The pixels (row, column) of so many scratches, one after the other: column, row and length from `least` to `most`, none beyond
    `last`."""
    for _ in range(count):
        (x, y, length), slant = rng.integers(least, most), rng.uniform(-lean, lean)
        for k in range(length):
            yield min(y + k, last[0]), int(np.clip(x + slant * k + bend * k * k, 0, last[1]))


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
    for at in scratches(rng, 3, [rim, rim, 8], [width, height // 2, 60], lean=1.2, bend=.004, last=(height, width)):
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


def screened(tone, period, degrees):
    """Round black dots on a screen of `period` pixels, as large as the tone is dark; drawn three times larger, then averaged."""
    over = 3
    h, w = tone.shape
    large = np.asarray(Image.fromarray(tone.astype(np.float32)).resize((w * over, h * over), Image.BICUBIC))
    y, x = np.mgrid[0:h * over, 0:w * over] / over
    a = np.radians(degrees)
    u, v = (x * np.cos(a) + y * np.sin(a)) / period, (-x * np.sin(a) + y * np.cos(a)) / period
    spot = .5 + .25 * (np.cos(2 * np.pi * u) + np.cos(2 * np.pi * v))
    dots = smooth(-.09, .09, large - spot)
    return dots.reshape(h, over, w, over).mean((1, 3))


def cutting(folder, rng):
    """900 x 690 px: the furnace hall in a newspaper of 1931, 85 lines an inch, scanned at 300 ppi."""
    linear = load_exr(os.path.join(folder, 'furnace-1931.exr'))
    shot = camera.shoot(linear, ev=camera.auto_ev(linear, .13), iso=200, blur=1.0, vignette=.5, sharp=0)
    grey = Image.fromarray(((shot @ [.2, .7, .1]) * 255).astype(np.uint8)).resize((820, 581), Image.LANCZOS)
    height, width, left, top = 690, 900, 40, 34
    tone = np.asarray(grey) / 255
    tone = np.clip(.10 + .86 * tone ** .9, 0, 1)
    ink = np.zeros((height, width))
    ink[top:top + 581, left:left + 820] = 1 - screened(tone, 300 / 85, 45)
    line = Image.new('L', (width * 3, height * 3), 0)
    face = ImageFont.truetype('/usr/share/fonts/truetype/dejavu/DejaVuSerif.ttf', 66)
    ImageDraw.Draw(line).text((left * 3, (top + 596) * 3), 'La fornace grande di Isola Brina, maggio 1931.', 255, face)
    ink = np.maximum(ink, np.asarray(line.resize((width, height), Image.BOX)) / 255)
    # ink spreads a little, and unevenly; the type of the other side shows through
    ink = soft(ink, .6) * (.80 + .06 * spectral(height, width, 1.6, 5))
    behind = soft(np.asarray(line.transpose(Image.FLIP_LEFT_RIGHT).resize((width, height))) / 255, 2.2)
    paper = np.array([.83, .755, .60]) * (1 + .022 * spectral(height, width, 1.1, 6) + .035 * spectral(height, width, 2.6, 7))[..., None]
    fibres = smooth(2.3, 3.2, spectral(height, width, .9, 8, stretch=(1, 5)))
    paper *= (1 - .12 * fibres - .05 * behind)[..., None]
    y, x = np.mgrid[0:height, 0:width]
    fold = np.exp(-((y - 322 - 1.6 * np.sin(x / 90)) / 2.2) ** 2) * (.7 + .3 * rng.random((height, width)))
    foxing = smooth(1.9, 2.8, spectral(height, width, 2.2, 9, fmin=4))
    paper = paper * (1 - foxing[..., None] * np.array([.10, .17, .26]))
    sheet = paper * (1 - ink * (1 - .75 * fold))[..., None] + np.array([.10, .09, .085]) * (ink * (1 - .75 * fold))[..., None]
    sheet = sheet * (1 - .10 * np.exp(-((y - 326) / 3.0) ** 2))[..., None]
    for at in scratches(rng, 6, [40, 20, 30], [860, 560, 190], lean=.5, bend=0, last=(height - 1, width - 1)):
        sheet[at] *= np.array([1.25, 1.24, 1.2])
    dust = rng.integers(0, [[height], [width]], (2, 90))
    sheet[dust[0], dust[1]] *= .55
    scan = soft(sheet.clip(0, 1), .45)
    return (scan + rng.normal(0, .010, scan.shape)).clip(0, 1)


def group(folder, rng):
    """1500 x 1044 px: the works' hands before the gate, 1926, an albumen-brown print on its mount, scanned at 400 ppi."""
    w, h = 1330, 887
    linear = load_exr(os.path.join(folder, 'group.exr'))
    shot = camera.shoot(linear, ev=camera.auto_ev(linear, .12), iso=100, blur=.9, vignette=.55, sharp=0, contrast=1.1)
    # a plate that sees blue more than red
    grey = Image.fromarray(((shot @ [.12, .45, .43]) * 255).astype(np.uint8)).resize((w, h), Image.LANCZOS)
    height, width, left, top = 1044, 1500, 85, 62
    tone = (np.asarray(grey) / 255)[..., None]
    mount = np.array([.80, .745, .65]) * (1 + .03 * spectral(height, width, 1.2, 12) + .02 * spectral(height, width, 2.4, 13))[..., None]
    sheet = mount.copy()
    black, white = np.array([.20, .135, .095]), np.array([.905, .84, .72])
    emulsion = 1 + .012 * rng.normal(0, 1, (h, w, 1)) + .02 * spectral(h, w, 2.0, 14)[..., None]
    print_ = black + (tone ** .92 * emulsion) * (white - black)
    # faded most towards the rim
    y, x = np.mgrid[0:h, 0:w]
    rim = np.minimum(np.minimum(x, w - 1 - x) / w, np.minimum(y, h - 1 - y) / h)
    pale = (.30 * np.exp(-rim / .045))[..., None]
    print_ = print_ * (1 - pale) + np.array([.86, .79, .66]) * pale
    sheet[top:top + h, left:left + w] = print_
    edge = np.ones((height, width))
    edge[top:top + h, left:left + w] = 0
    sheet *= (1 - .25 * np.abs(soft(edge, 3.2) - edge) * 2)[..., None]
    foxing = smooth(2.0, 2.9, spectral(height, width, 2.1, 15, fmin=5))
    sheet *= 1 - foxing[..., None] * np.array([.08, .15, .22])
    yy, xx = np.mgrid[0:height, 0:width]
    crease = np.exp(-((xx - 1318 + .9 * yy - 6 * np.sin(yy / 40)) / 1.4) ** 2) * (yy < 340)
    sheet = sheet * (1 - .55 * crease[..., None]) + np.array([.88, .83, .74]) * .55 * crease[..., None]
    for at in scratches(rng, 9, [110, 90, 16], [1360, 730, 150], lean=.8, bend=.003, last=(height - 1, width - 1)):
        sheet[at] = sheet[at] * .45 + np.array([.93, .88, .78]) * .55
    line = Image.new('L', (width * 2, height * 2), 0)
    face = ImageFont.truetype('/usr/share/fonts/truetype/dejavu/DejaVuSerif-Italic.ttf', 52)
    ImageDraw.Draw(line).text((left * 2 + 8, (top + h + 17) * 2), 'Le maestranze davanti al cancello, Isola Brina 1926', 255, face)
    sheet *= 1 - .62 * soft(np.asarray(line.resize((width, height), Image.BOX)) / 255, .5)[..., None]
    dust = rng.integers(0, [[height], [width]], (2, 170))
    sheet[dust[0], dust[1]] *= rng.choice([.5, 1.3], (170, 1))
    scan = soft(sheet.clip(0, 1), .6)
    return (scan + rng.normal(0, .010, scan.shape)).clip(0, 1)


def portrait(folder):
    """384 x 480 px: the maestro as a phone took him and the web page kept him."""
    person = Image.open(os.path.join(folder, '2012-0.png')).convert('RGB').resize((384, 480), Image.LANCZOS)
    encoded = np.asarray(person) / 255
    linear = np.where(encoded <= .04045, encoded / 12.92, ((encoded + .055) / 1.055) ** 2.4)
    return camera.shoot(linear * .92, ev=-.1, iso=800, balance=(1.04, 1, .93), headroom=1.3, contrast=1.16, saturation=1.05,
                        sharp=.55, blur=.62, glare=.05, glare_radius=24, vignette=.38, seed=12)


def save(picture, target, name, ppi, quality=86):
    path = os.path.join(target, name)
    Image.fromarray((picture * 255 + .5).astype(np.uint8)).save(path, 'JPEG', quality=quality, subsampling='4:2:0', dpi=(ppi, ppi))
    print(f'{path}: {picture.shape[1]} x {picture.shape[0]}, {os.path.getsize(path) / 1e6:.2f} MB')


def main(people, scenes, target):
    save(page(people, np.random.default_rng(74)), target, 'album-page.jpg', 150)
    save(portrait(people), target, 'maestro.jpg', 72, quality=78)
    save(group(scenes, np.random.default_rng(26)), target, 'works-hands-1926.jpg', 400, quality=88)
    save(cutting(scenes, np.random.default_rng(31)), target, 'fornace-1931.jpg', 300)


if __name__ == '__main__':
    main(*sys.argv[1:4])
