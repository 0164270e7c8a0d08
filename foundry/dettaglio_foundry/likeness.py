"""Whether two pictures show the same: a difference hash, which survives another size, another quality and another light."""

import numpy as np
from PIL import Image

SIDE = 12  # comparisons a row, and rows
ALIKE = 14  # of 144 comparisons may differ; two different photographs differ in some 60


def fingerprint(picture: Image.Image) -> np.ndarray:
    """(144,) bool: whether each of 12 x 12 places of the shrunk grey picture is darker than the one to its right."""
    grey = np.asarray(picture.convert("L").resize((SIDE + 1, SIDE), Image.BOX), dtype=np.int16)
    return (grey[:, 1:] > grey[:, :-1]).ravel()


def as_text(bits: np.ndarray) -> str:
    return np.packbits(bits).tobytes().hex()


def from_text(text: str) -> np.ndarray:
    return np.unpackbits(np.frombuffer(bytes.fromhex(text), np.uint8)).astype(bool)


def alike(a: np.ndarray, b: np.ndarray) -> bool:
    return int((a != b).sum()) <= ALIKE
