"""Rendered strands: fur, hair, feathers and grass as bundles of lit curves over a dark depth."""

import math
import random

import numpy as np
from PIL import Image, ImageDraw

SUPERSAMPLE = 2


def coat(rng: random.Random) -> np.ndarray:
    """(3,) a colour that hair, wool, feathers or dry grass have, 0..255."""
    palette = [(60, 44, 32), (128, 96, 64), (190, 160, 120), (232, 222, 204), (40, 38, 40), (150, 150, 150), (120, 70, 40), (96, 120, 50)]
    return np.array(rng.choice(palette)) * rng.uniform(0.7, 1.1)


def render(side: int, rng: random.Random) -> np.ndarray:
    """(side, side, 3) uint8. Strands lie along a slowly turning field, are lit across their width and overlap."""
    large = side * SUPERSAMPLE
    colour, second = coat(rng), coat(rng)
    canvas = Image.new("RGB", (large, large), tuple(int(v * 0.3) for v in np.clip(colour, 0, 255)))
    pen = ImageDraw.Draw(canvas)
    lie, turn = rng.uniform(0, 2 * math.pi), rng.uniform(-1.5, 1.5) / large
    width = rng.choice([2, 2, 3, 3, 4, 6])
    length = rng.uniform(0.15, 0.7) * large
    spread, curl = rng.uniform(0.05, 0.5), rng.gauss(0, 1.2)
    tufts = [(rng.uniform(0, large), rng.uniform(0, large), rng.gauss(0, spread)) for _ in range(rng.choice([8, 20, 50]))]
    count = int(rng.uniform(2, 6) * large * large / (length * width))  # covered several times over
    points = 9
    t = np.linspace(0, 1, points)
    for i in range(count):
        x, y = rng.uniform(-0.2, 1.2) * large, rng.uniform(-0.2, 1.2) * large
        tuft = min(tufts, key=lambda at: (at[0] - x) ** 2 + (at[1] - y) ** 2)
        angle = lie + turn * (x + y) + tuft[2] + rng.gauss(0, 0.12)
        bend = curl + rng.gauss(0, 0.3)
        course = angle + bend * t
        xs = x + np.cumsum(np.cos(course)) * length / points
        ys = y + np.cumsum(np.sin(course)) * length / points
        tint = colour * (1 - (share := rng.random() ** 2)) + second * share
        # Later strands lie on top and catch more light.
        lit = (0.55 + 0.45 * i / count) * rng.uniform(0.75, 1.2)
        line = list(zip(xs.tolist(), ys.tolist()))
        shade = tuple(int(v) for v in np.clip(tint * lit * 0.65, 0, 255))
        light = tuple(int(v) for v in np.clip(tint * lit * 1.2 + 16 * lit, 0, 255))
        pen.line(line, fill=shade, width=width, joint="curve")
        pen.line([(px - width * 0.25, py - width * 0.25) for px, py in line], fill=light, width=max(1, width // 2))
    return np.asarray(canvas.resize((side, side), Image.BOX))
