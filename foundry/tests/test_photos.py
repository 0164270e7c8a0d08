"""What is taken out of packages, and what is left."""

import struct
import zlib

import numpy as np
import pytest
from PIL import Image

from dettaglio_foundry import photos, scoring
from dettaglio_foundry.likeness import alike, as_text, fingerprint, from_text
from dettaglio_foundry.packages import in_rcc, members
from dettaglio_foundry.photos import Package, catalogue, credits, load_all, scored


def scene(seed: int, size=(400, 320)) -> Image.Image:
    """Something that a difference hash can tell from another seed's."""
    rng = np.random.default_rng(seed)
    coarse = Image.fromarray(rng.integers(0, 255, (9, 11, 3), np.uint8))
    return coarse.resize(size, Image.BICUBIC)


class TestCatalogue:
    def test_every_package_has_a_licence_a_size_and_a_name_of_its_own(self):
        packages = catalogue()
        assert len({p.name for p in packages}) == len(packages) >= 18
        for package in packages:
            assert package.credit and package.take and package.divisor >= 1, package.name
        assert len(credits()) == len(packages)

    def test_leave_wins_over_take(self):
        package = Package("p", "debian", "CC0", 2.0, take=("*/land/*@2x.*",), leave=("mars0", "nasa*"))
        assert package.wants("usr/images/land/forest1@2x.jpg")
        for path in ("usr/images/land/mars0@2x.jpg", "usr/images/land/nasa12@2x.png", "usr/images/ship/a@2x.png", "usr/land/a@2x.txt"):
            assert not package.wants(path)

    def test_what_is_scored_on_is_held_back(self):
        held = {glob for package in catalogue() for glob in package.hold}
        assert {"*__kitten.webp", "Road.jpg", "roof.png"} <= held
        assert "plasma-workspace-wallpapers" not in {p.name for p in catalogue()} and "mate-backgrounds" not in {p.name for p in catalogue()}


class TestLikeness:
    def test_another_size_quality_and_light_show_the_same(self, tmp_path):
        picture = scene(1)
        picture.resize((150, 120)).point(lambda v: int(0.7 * v + 10)).save(tmp_path / "small.jpg", quality=60)
        assert alike(fingerprint(picture), fingerprint(Image.open(tmp_path / "small.jpg")))

    def test_another_picture_does_not(self):
        prints = [fingerprint(scene(seed)) for seed in range(30)]
        assert not any(alike(a, b) for i, a in enumerate(prints) for b in prints[:i])

    def test_a_fingerprint_survives_being_written_down(self):
        bits = fingerprint(scene(3))
        assert np.array_equal(from_text(as_text(bits)), bits)

    def test_all_that_is_scored_on_is_known(self):
        known = scored()
        assert {f"{name}.jpg" for name in scoring.MATE} <= known.keys() and len(known) >= 30
        assert all(bits.shape == (144,) for bits in known.values())


class TestLoading:
    @pytest.fixture
    def folder(self, tmp_path, monkeypatch):
        packages = [
            Package("one", "debian", "CC0", 2.0, take=("*",), fur=("cat*",), hold=("held.png",)),
            Package("two", "debian", "CC0", 1.0, take=("*",)),
        ]
        monkeypatch.setattr(photos, "catalogue", lambda: packages)
        monkeypatch.setattr(photos, "scored", lambda: {"scored.png": fingerprint(scene(9))})
        for package, name, seed in [("one", "cat1", 1), ("one", "house", 2), ("one", "held", 3), ("two", "sea", 4), ("two", "copy", 9)]:
            (tmp_path / package).mkdir(exist_ok=True)
            scene(seed, (800, 640)).save(tmp_path / package / f"{name}.png")
        scene(5, (90, 80)).save(tmp_path / "two" / "thumbnail.png")
        return tmp_path

    def test_copies_of_what_is_scored_on_are_refused_whatever_package_they_come_in(self, folder):
        sources = {s.package: s for s in load_all(folder)}
        assert {name: len(s.pictures) for name, s in sources.items()} == {"one": 2, "two": 1}, "held, copy and thumbnail are left"

    def test_each_is_shrunk_by_its_packages_divisor_and_each_scale(self, folder):
        sources = {s.package: s for s in load_all(folder, (1.0, 2.0))}
        assert [size.shape[:2] for size in sources["one"].pictures[0]] == [(320, 400), (160, 200)]
        assert [size.shape[:2] for size in sources["two"].pictures[0]] == [(640, 800), (320, 400)]

    def test_a_subject_has_only_its_own(self, folder):
        (source,) = load_all(folder, (1.0,), "fur")
        assert source.package == "one" and len(source.pictures) == 1

    def test_what_was_shrunk_once_is_read_again(self, folder):
        first = load_all(folder)
        (folder / "one" / "cat1.png").write_bytes(b"no longer a picture")
        assert np.array_equal(load_all(folder)[0].pictures[0][0], first[0].pictures[0][0])

    def test_an_empty_folder_says_what_to_do(self, tmp_path):
        with pytest.raises(SystemExit, match="dettaglio_foundry.photos"):
            load_all(tmp_path)


class TestPackages:
    def rcc(self, contents: bytes, compressed: bool) -> bytes:
        """A Qt resource of one folder `a` with one file `b.png`."""
        data = (struct.pack(">I", len(contents)) + zlib.compress(contents)) if compressed else contents
        data = struct.pack(">I", len(data)) + data
        named = lambda text: struct.pack(">HI", len(text), 0) + text.encode("utf-16-be")  # noqa: E731
        names = named("a") + named("b.png")
        second = len(named("a"))
        node = lambda name, flags, *rest: struct.pack(">IH", name, flags) + struct.pack(">II", *rest)  # noqa: E731
        tree = node(0, 2, 1, 1) + node(0, 2, 1, 2) + struct.pack(">IHHHI", second, 1 if compressed else 0, 0, 0, 0)
        head = 20
        return struct.pack(">4sIIII", b"qres", 1, head, head + len(tree), head + len(tree) + len(data)) + tree + data + names

    @pytest.mark.parametrize("compressed", [False, True])
    def test_a_resource_is_unpacked_with_its_paths(self, compressed):
        assert list(in_rcc(self.rcc(b"picture " * 20, compressed))) == [("/a/b.png", b"picture " * 20)]

    def test_something_else_is_no_resource(self):
        with pytest.raises(ValueError, match="no Qt resource"):
            list(in_rcc(b"PK" + bytes(30)))

    def test_links_are_not_followed(self, tmp_path):
        (tmp_path / "real.jpg").write_bytes(b"1")
        (tmp_path / "link.jpg").symlink_to("/etc/hostname")
        assert [name for name, _ in members(tmp_path, None)] == ["real.jpg"]
