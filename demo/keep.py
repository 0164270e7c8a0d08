#!/usr/bin/env python3
"""Keeps what was done to a picture in a running Dettaglio as part of the demo.

    demo/keep.py http://127.0.0.1:4173 PICTURE_NUMBER NAME [--chosen B] [--failed]

Writes work/NAME.json: the intent with its other treatments, the spots, the letter that was chosen among them, and how the run
ended. The latest result goes to enlargements/, with its verdict. Needs nothing but Python.
"""
import argparse
import json
from pathlib import Path
from urllib.request import urlopen

DEMO = Path(__file__).resolve().parent


def main():
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("address")
    parser.add_argument("picture", type=int)
    parser.add_argument("name")
    parser.add_argument("--chosen", help="the letter that won at the spots")
    parser.add_argument("--failed", action="store_true", help="the run ends without a result")
    a = parser.parse_args()

    def ask(path):
        with urlopen(f"{a.address}/api/v1{path}") as answer:
            return answer.read()

    work = {"intent": json.loads(ask(f"/originals/{a.picture}/intent"))}
    spots = json.loads(ask(f"/originals/{a.picture}/spots"))
    if not spots["suggested"]:
        work["spots"] = spots["spots"]
    if a.chosen:
        work["chosen"] = a.chosen
    orders = [json.loads(ask(f"/orders/{order['id']}")) for order in json.loads(ask("/orders"))]
    results = [e for order in orders for e in order["enlargements"] if e["original_id"] == a.picture]
    if a.failed:
        work["run"] = {"ended": "failed"}
    elif results:
        latest = max(results, key=lambda e: e["id"])
        file = a.name + Path(latest["file_name"]).suffix
        (DEMO / "enlargements").mkdir(exist_ok=True)
        (DEMO / "enlargements" / file).write_bytes(ask(f"/enlargements/{latest['id']}/file"))
        seconds = round(latest["record"]["seconds"], 1)
        work["run"] = {"ended": "done", "file": file, "seconds": seconds, "verdict": latest["verdict"], "note": latest["note"]}
        if drawing := latest["record"].get("drawing"):
            work["run"]["drawing"] = drawing
            for ending in ("svg", "pdf"):
                (DEMO / "enlargements" / f"{a.name}.{ending}").write_bytes(ask(f"/enlargements/{latest['id']}/drawing/{ending}"))
    (DEMO / "work").mkdir(exist_ok=True)
    (DEMO / "work" / f"{a.name}.json").write_text(json.dumps(work, indent=1, ensure_ascii=False) + "\n")


main()
