"""The glassworks' emblem as its old web page had it: 260 px, sixteen colours.

    python emblem.py ../pictures ../truth

Drawn at sixteen times the size from circles, curves and lettering set along a ring; nothing but numpy and Pillow.
"""
import os
import sys

import numpy as np
from PIL import Image, ImageDraw, ImageFont

SIDE, OVER = 260, 16
INK, GLASS, FLAME, PAPER = (24, 58, 74), (46, 128, 132), (214, 104, 38), (244, 238, 224)


def font(size):
    try:
        return ImageFont.truetype('/usr/share/fonts/truetype/dejavu/DejaVuSerif-Bold.ttf', size)
    except OSError:
        return ImageFont.load_default(size)


def along(picture, text, radius, middle, size, inwards):
    """Letters on a circle of `radius` round the centre, about the angle `middle` (degrees, 0 is up, clockwise)."""
    face = font(size)
    gap = size * .09
    widths = [face.getlength(c) + gap for c in text]
    at = -sum(widths) / 2
    centre = picture.width / 2
    for c, width in zip(text, widths):
        turn = (at + width / 2) / radius * (-1 if inwards else 1)
        at += width
        letter = Image.new('L', (int(size * 2), int(size * 2)), 0)
        ImageDraw.Draw(letter).text((size, size), c, 255, face, anchor='mm')
        angle = np.radians(middle) + turn
        letter = letter.rotate(-np.degrees(angle) + (180 if inwards else 0), Image.BICUBIC)
        x, y = centre + radius * np.sin(angle), centre - radius * np.cos(angle)
        picture.paste(INK, (int(x - size), int(y - size)), letter)


def curve(points, n=160):
    """Smooth closed outline through points."""
    p = np.array(points, float)
    p = np.concatenate([p, p[:1]])
    t = np.linspace(0, len(p) - 1, n, endpoint=False)
    i = t.astype(int)
    f = (t - i)[:, None]
    m = len(p) - 1
    a, b, c, d = (p[(i + k) % m] for k in (-1, 0, 1, 2))
    q = .5 * (2 * b + (c - a) * f + (2 * a - 5 * b + 4 * c - d) * f ** 2 + (3 * b - a - 3 * c + d) * f ** 3)
    return [tuple(v) for v in q]


def emblem(side):
    picture = Image.new('RGB', (side, side), PAPER)
    d = ImageDraw.Draw(picture)
    u = side / 260
    ring = lambda r, fill, width: d.ellipse([side / 2 - r * u, side / 2 - r * u, side / 2 + r * u, side / 2 + r * u], outline=fill, width=round(width * u))
    ring(126, INK, 3.2)
    ring(121, INK, 1.0)
    ring(88, INK, 1.6)
    along(picture, 'VETRERIA ISOLA BRINA', 104 * u, 0, round(17.5 * u), False)
    along(picture, 'SOFFIATORI DAL 1871', 104 * u, 180, round(11.5 * u), True)
    for side_ in (-1, 1):
        x, y = 130 + side_ * 104, 134
        d.polygon([((x + a * 5) * u, (y + b * 5) * u) for a, b in ((0, -1), (.8, 0), (0, 1), (-.8, 0))], FLAME)
    at = lambda pts: [(x * u, y * u) for x, y in pts]
    # a vase, its highlight, and the flame that it is blown over
    vase = [(118, 66), (142, 66), (140, 80), (137, 92), (152, 106), (162, 128), (156, 152), (142, 166), (118, 166), (104, 152), (98, 128), (108, 106), (123, 92), (120, 80)]
    d.polygon(curve(at(vase)), GLASS)
    d.line(curve(at(vase)) + [curve(at(vase))[0]], INK, round(2.0 * u), joint='curve')
    d.line(curve(at([(108, 118), (106, 130), (110, 144), (113, 150), (110, 142), (108, 130)]))[:100], PAPER, round(2.6 * u))
    for k in range(5):
        y = 112 + 9 * k
        half = 48 - abs(k - 1.6) * 5
        d.arc([(130 - half * .62) * u, (y - 7) * u, (130 + half * .62) * u, (y + 7) * u], 20, 160, INK, max(1, round(.9 * u)))
    for k, (x, h) in enumerate(((-22, 16), (-8, 24), (8, 21), (22, 14))):
        x0 = 130 + x
        d.polygon(curve(at([(x0 - 6, 194), (x0 - 5, 188), (x0 - 1 + 2 * (-1) ** k, 194 - h), (x0 + 5, 186), (x0 + 6, 194), (x0, 198)])), FLAME)
    d.line(at([(92, 200), (168, 200)]), INK, round(2.2 * u))
    return picture


def main(pictures, truths):
    large = emblem(SIDE * OVER)
    small = large.resize((SIDE, SIDE), Image.BOX).quantize(16, dither=Image.Dither.NONE)
    path = os.path.join(pictures, 'emblem.png')
    small.save(path, optimize=True)
    large.resize((SIDE * 4, SIDE * 4), Image.BOX).save(os.path.join(truths, 'emblem.png'), optimize=True)
    print(f'{path}: {SIDE} x {SIDE}, {os.path.getsize(path) / 1e3:.1f} kB')


if __name__ == '__main__':
    main(*sys.argv[1:3])
