#!/usr/bin/env python3
"""How long a view takes to fill: a stage of 1280 x 700 px at 100 % of an enlargement by 4.

    bench/preview.py [http://127.0.0.1:4390]

Against a running server. Each round imports a picture that was never seen before, so nothing is kept
from an earlier one; it asks for tiles as the bench does: from the middle outwards, four at a time.
"""

import concurrent.futures
import json
import struct
import sys
import time
import urllib.request
import zlib

BASE = (sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:4390") + "/api/v1"
WIDTH, HEIGHT, FACTOR, TILE = 900, 600, 4, 512
STAGE = (1280, 700)
ROUNDS = 5


def call(path, body=None, headers=None):
    data = body if isinstance(body, bytes) or body is None else json.dumps(body).encode()
    request = urllib.request.Request(BASE + path, data, headers or {"content-type": "application/json"})
    with urllib.request.urlopen(request) as answer:
        return answer.read()


def png(seed):
    rows = b"".join(
        b"\0" + bytes((x * 7 + y * 3 + c * 50 + seed * 11 + (x // 9 + y // 7) % 2 * 90) % 256 for x in range(WIDTH) for c in range(3))
        for y in range(HEIGHT)
    )

    def chunk(kind, data):
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    head = struct.pack(">2I5B", WIDTH, HEIGHT, 8, 2, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(rows, 1)) + chunk(b"IEND", b"")


def new_picture(order, seed):
    form = b"--b\r\nContent-Disposition: form-data; name=files; filename=bench.png\r\n\r\n" + png(seed) + b"\r\n--b--\r\n"
    return json.loads(call(f"/orders/{order}/originals", form, {"content-type": "multipart/form-data; boundary=b"}))[0]["original"]


def places():
    left, top = (WIDTH * FACTOR - STAGE[0]) / 2, (HEIGHT * FACTOR - STAGE[1]) / 2
    columns = range(int(left // TILE), int((left + STAGE[0] - 1) // TILE) + 1)
    rows = range(int(top // TILE), int((top + STAGE[1] - 1) // TILE) + 1)
    middle = (left + STAGE[0] / 2, top + STAGE[1] / 2)
    far = lambda p: (p[0] * TILE + TILE / 2 - middle[0]) ** 2 + (p[1] * TILE + TILE / 2 - middle[1]) ** 2
    return sorted(((c, r) for c in columns for r in rows), key=far)


def fill(original, treatment):
    """Seconds to the first tile and to the last, and how many there were."""
    began = time.perf_counter()
    ends = []

    def one(place):
        call(f"/tiles/{original['hash']}/{treatment}/0/{place[0]}/{place[1]}")
        ends.append(time.perf_counter() - began)

    with concurrent.futures.ThreadPoolExecutor(4) as pool:
        list(pool.map(one, places()))
    return min(ends), max(ends), len(ends)


def main():
    order = json.loads(call("/orders", {"title": "bench/preview.py"}))["id"]
    wish = {
        "target": {"by": "factor", "factor": FACTOR},
        "enlarge": {"by": "learned", "subject": "everyday", "grade": "draft"},
        "output": {"format": "tiff", "depth": 8},
    }
    print("| round | original: first, ms | original: all | model: first, ms | model: all | again: all |")
    print("|---|---|---|---|---|---|")
    for number in range(ROUNDS):
        original = new_picture(order, number + int(time.time()) % 997)
        plan = json.loads(call(f"/originals/{original['id']}/plan", wish))
        plain = fill(original, plan["before"])
        model = fill(original, plan["treatment"])
        again = fill(original, plan["treatment"])
        ms = lambda seconds: f"{seconds * 1000:.0f}"
        print(f"| {number + 1} | {ms(plain[0])} | {ms(plain[1])} | {ms(model[0])} | {ms(model[1])} | {ms(again[1])} |", flush=True)
    print(f"\n{model[2]} tiles of {TILE} px in view")


if __name__ == "__main__":
    main()
