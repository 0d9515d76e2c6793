"""Image files: read without mounting, whoever made them; what a stick needs to know of them; whether they are whole."""

from __future__ import annotations

import gzip
import hashlib
import json
import lzma
import subprocess
from pathlib import Path

import pycdlib
import pytest
from hypothesis import given
from hypothesis import strategies as st

import isos
from inkshelf.cli import run
from inkshelf.core.disk.source import Memory
from inkshelf.core.errors import CancelledError, CaptureError, FormatError
from inkshelf.core.media import iso, packed, torito, udf
from inkshelf.core.media.image import read_image
from inkshelf.core.media.material import FAT32_MOST, Image
from inkshelf.exchange.images import File, look
from inkshelf.exchange.sums import read_sums, sum_for, sum_of

GIB = 1 << 30


@pytest.fixture(scope="module")
def made(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Path]:
    """One tree as a disc in every way, and the tree itself."""
    folder = tmp_path_factory.mktemp("images")
    files = isos.tree(folder / "tree")
    esp = isos.start_up(folder / "esp", files / "EFI/BOOT/BOOTX64.EFI")
    return {
        "tree": files,
        **{way: isos.make(way, files, folder / f"{way}.iso", esp=esp if way != "udf" else None) for way in isos.WAYS},
    }


def files_of(folder: Path) -> dict[str, bytes]:
    return {f"/{one.relative_to(folder)}": one.read_bytes() for one in folder.rglob("*") if one.is_file()}


@pytest.mark.parametrize("way", ["rock ridge", "joliet", "both", "udf", "hybrid"])
def test_every_file_of_a_disc_is_found_by_its_own_name_with_its_own_bytes(made: dict[str, Path], way: str) -> None:
    wanted = files_of(made["tree"])
    with File(made[way]) as source:
        opened = udf.open_udf(source) if way == "udf" else iso.open_iso(source)
        listed = tuple(udf.entries(source, opened) if way == "udf" else iso.entries(source, opened))
        found = {one.path: one.read(source) for one in listed}
        every = udf.entries(source, opened, empty=True) if way == "udf" else iso.entries(source, opened, empty=True)
        assert [one.path for one in every if one.folder] == ["/empty"]
    if way == "udf":  # made before the start-up image was put among the files, or behind it
        wanted = {path: wanted[path] for path in wanted if path in found}
    found.pop("/boot.cat", None)
    found = {path: data for path, data in found.items() if not path.lower().endswith(("boot.cat", "boot.catalog"))}
    assert len(wanted) > 65
    assert found == wanted


@pytest.mark.parametrize(
    ("way", "kind"), [("plain", "iso_path"), ("rock ridge", "rr_path"), ("joliet", "joliet_path"), ("udf", "udf_path")]
)
def test_another_reader_finds_the_same_files_of_the_same_sizes(made: dict[str, Path], way: str, kind: str) -> None:
    other = pycdlib.PyCdlib()
    other.open(str(made[way]))
    theirs = {}
    for folder, _, names in other.walk(**{kind: "/"}):
        for name in names:
            path = f"{folder.rstrip('/')}/{name}"
            record = other.get_record(**{kind: path})
            theirs[path.split(";", maxsplit=1)[0].rstrip(".")] = record.get_data_length()
    other.close()
    with File(made[way]) as source:
        opened = udf.open_udf(source) if way == "udf" else iso.open_iso(source)
        ours = {one.path: one.size for one in (udf.entries(source, opened) if way == "udf" else iso.entries(source, opened))}
    assert len(ours) > 65
    assert ours == theirs


@pytest.mark.parametrize("way", list(isos.WAYS))
def test_what_a_disc_starts_is_told(made: dict[str, Path], way: str) -> None:
    image = look(made[way]).image
    assert (image.kind, image.label, image.fault, image.missing) == ("iso", isos.LABEL, "", 0)
    bare = way == "udf"
    assert image.udf == bare
    assert image.legacy != bare
    assert [(one.width, one.signed, one.inside) for one in image.loaders] == [("x64", True, False)] + (
        [] if bare else [("x64", True, True)]
    )
    assert (image.esp is None) == bare
    assert image.hybrid == (way == "hybrid")
    path, size = image.largest
    assert size == (4 << 20 if "efi.img" in path.lower() else 2_000_000)
    assert image.over == ()
    assert image.live.label == isos.LABEL
    assert image.live.kernel.lower() == "/live/vmlinuz"
    assert image.live.initial.lower() == "/live/initrd.img"


def test_a_loader_without_a_signature_and_one_for_another_width_are_told_apart(tmp_path: Path) -> None:
    files = isos.tree(tmp_path / "tree", signed=False, loaders=("BOOTX64.EFI", "BOOTIA32.EFI", "BOOTAA64.EFI"))
    image = look(isos.make("both", files, tmp_path / "x.iso")).image
    assert [(one.width, one.signed) for one in image.loaders] == [("x64", False), ("ia32", False), ("aa64", False)]
    assert not image.legacy


@pytest.mark.parametrize("lacks", [1, 2048, 900_000])
def test_a_download_that_was_cut_short_is_named_as_such(
    made: dict[str, Path], tmp_path: Path, lacks: int, capsys: pytest.CaptureFixture[str]
) -> None:
    whole = made["rock ridge"].read_bytes()
    used = look(made["rock ridge"]).image.expected
    short = tmp_path / "short.iso"
    short.write_bytes(whole[: used - lacks])
    assert look(short).image.missing == lacks
    assert run(["images", str(short)]) == 1
    assert "CUT SHORT" in capsys.readouterr().out


@given(st.integers(1, 20 * GIB))
def test_files_of_any_size_are_whole_over_their_extents(scratch: Path, size: int) -> None:
    image = look(isos.huge(scratch / "huge.iso", size)).image
    assert image.largest == ("/BIG.IMG", size)
    assert bool(image.over) == (size > FAT32_MOST)
    assert image.missing == 0


@pytest.mark.parametrize(("size", "over"), [(4 * GIB - 1, False), (4 * GIB, True)])
def test_what_fat32_does_not_hold_begins_at_four_gib(scratch: Path, size: int, *, over: bool) -> None:
    assert bool(look(isos.huge(scratch / "huge.iso", size)).image.over) == over


@pytest.fixture(scope="module")
def scratch(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return tmp_path_factory.mktemp("huge")


def test_the_editions_of_an_install_image_are_read_where_it_lies_in_the_disc(tmp_path: Path) -> None:
    files = isos.tree(tmp_path / "tree")
    (tmp_path / "content").mkdir()
    (tmp_path / "content" / "a").write_text("a")
    (files / "sources").mkdir()
    target = files / "sources/install.wim"
    for number, name in enumerate(("Desk", "Workshop")):
        verb = ["append"] if number else ["capture"]
        subprocess.run(
            ["wimlib-imagex", *verb, tmp_path / "content", target, name, "--compress=none"], check=True, capture_output=True
        )
    for way in ("udf", "both"):
        found = look(isos.make(way, files, tmp_path / f"{way}.iso"))
        assert [(one.index, one.name) for one in found.editions] == [(1, "Desk"), (2, "Workshop")]
        assert found.image.install[2] == target.stat().st_size


# -- compressed ones ---------------------------------------------------------------------------------------------------


@given(st.integers(0, 90_000), st.integers(1, 3))
def test_the_unpacked_size_of_xz_is_the_sum_of_its_streams(size: int, streams: int) -> None:
    data = b"".join(lzma.compress(bytes(size + number)) + bytes(4 * (number % 2)) for number in range(streams))
    assert packed.packed(Memory(data)) == packed.Packed("xz", sum(size + number for number in range(streams)))


@given(st.integers(0, 200_000))
def test_the_unpacked_size_of_a_small_gz_is_its_last_word(size: int) -> None:
    assert packed.packed(Memory(gzip.compress(bytes(size)))) == packed.Packed("gz", size)


@pytest.mark.parametrize("size", [0, 1, 255, 256, 70_000, 1 << 20])
def test_the_unpacked_size_of_zst_is_in_its_first_header(tmp_path: Path, size: int) -> None:
    plain = tmp_path / "x"
    plain.write_bytes(bytes(size))
    subprocess.run(["zstd", "-q", plain], check=True)
    assert look(tmp_path / "x.zst").image.packing == packed.Packed("zst", size if size else 0)
    streamed = subprocess.run(["zstd", "-q", "-c"], input=bytes(size), capture_output=True, check=True).stdout
    assert packed.packed(Memory(streamed)).unpacked in {None, size}


def test_threads_of_a_base_utility_make_many_blocks_that_are_all_counted(tmp_path: Path) -> None:
    plain = tmp_path / "x"
    plain.write_bytes(bytes(5 << 20))
    subprocess.run(["xz", "--block-size=1MiB", plain], check=True)
    assert look(tmp_path / "x.xz").image.packing.unpacked == 5 << 20


# -- hostile ones ------------------------------------------------------------------------------------------------------


@given(st.data())
def test_a_mutated_image_gives_a_value_and_says_what_is_wrong(heads: dict[str, bytes], data: st.DataObject) -> None:
    raw = bytearray(heads[data.draw(st.sampled_from(sorted(heads)))])
    used = [at for at in range(0, len(raw), 16) if any(raw[at : at + 16])]
    for _ in range(data.draw(st.integers(1, 8))):
        place = data.draw(st.sampled_from(used)) + data.draw(st.integers(0, 15))
        piece = data.draw(st.binary(min_size=1, max_size=5))
        raw[place : place + len(piece)] = piece
    if data.draw(st.booleans()):
        raw = raw[: data.draw(st.integers(0, len(raw)))]
    found = read_image(Memory(bytes(raw)), "x")
    assert isinstance(found, Image)
    assert found.missing >= 0


@pytest.fixture(scope="module")
def heads(tmp_path_factory: pytest.TempPathFactory) -> dict[str, bytes]:
    folder = tmp_path_factory.mktemp("heads")
    files = folder / "tree"
    (files / "EFI/BOOT").mkdir(parents=True)
    (files / "EFI/BOOT/BOOTX64.EFI").write_bytes(isos.stand_ins.loader("first", signed=True, size=4000))
    (files / "boot/grub").mkdir(parents=True)
    (files / "boot/grub/grub.cfg").write_text(isos.MENU)
    found = {way: isos.make(way, files, folder / f"{way}.iso").read_bytes() for way in ("rock ridge", "joliet", "udf")}
    return found | {"xz": lzma.compress(bytes(9000)), "gz": gzip.compress(bytes(9000))}


def test_a_folder_that_leads_into_itself_is_refused() -> None:
    rows = (
        isos.record(19, isos.SECTOR, 2, b"\0")
        + isos.record(19, isos.SECTOR, 2, b"\1")
        + isos.record(19, isos.SECTOR, 2, b"LOOP")
    )
    raw = bytes(19 * isos.SECTOR) + rows.ljust(isos.SECTOR, b"\0")
    volume = iso.Iso("x", len(raw), isos.SECTOR, (19, isos.SECTOR), wide=False)
    with pytest.raises(FormatError, match="into itself"):
        list(iso.entries(Memory(raw), volume))


def test_a_boot_catalog_with_a_wrong_sum_is_none(made: dict[str, Path]) -> None:
    with File(made["both"]) as source:
        place = iso.open_iso(source).catalog
        raw = bytearray(source.read(0, (place + 1) * isos.SECTOR))
    assert [one.platform for one in torito.catalog(Memory(bytes(raw)), place)] == ["legacy", "uefi"]
    raw[place * isos.SECTOR + 5] ^= 1
    assert list(torito.catalog(Memory(bytes(raw)), place)) == []


def test_what_is_no_image_says_so(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    for name, body in (("empty", b""), ("text", b"hello"), ("zeros", bytes(400_000))):
        (tmp_path / name).write_bytes(body)
        assert look(tmp_path / name).image.kind == "unknown"
    with pytest.raises(CaptureError, match="not there"):
        look(tmp_path / "absent")
    with pytest.raises(CaptureError, match="no ordinary file"):
        look(Path("/dev/null"))
    assert run(["images", str(tmp_path / "absent")]) == 2
    assert "not there" in capsys.readouterr().err


# -- sums --------------------------------------------------------------------------------------------------------------


def test_a_sum_is_held_against_every_form_that_makers_publish(
    made: dict[str, Path], tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    path = made["both"]
    right = hashlib.sha256(path.read_bytes()).hexdigest()
    wrong = right[:-1] + ("0" if right[-1] != "0" else "1")
    plain = f"{hashlib.sha256(b'').hexdigest()}  other.iso\n{right} *{path.name}\n"
    forms = [
        plain,
        f"SHA256 ({path.name}) = {right}\n",
        f"-----BEGIN PGP SIGNED MESSAGE-----\nHash: SHA256\n\n{plain}-----BEGIN PGP SIGNATURE-----\n{wrong}  {path.name}\n",
    ]
    for text in forms:
        (tmp_path / "sums").write_text(text)
        assert run(["images", str(path), "--sums", str(tmp_path / "sums")]) == 0
        assert f"sha256 agrees: {right}" in capsys.readouterr().out
    assert run(["images", str(path), "--sum", wrong, "--json"]) == 1
    document = json.loads(capsys.readouterr().out)["images"][0]
    assert document["sum"] == {"method": "sha256", "published": wrong, "found": right, "agrees": False}
    assert document["live"]["label"] == isos.LABEL
    assert run(["images", str(path)]) == 0
    assert "no checksum is known" in capsys.readouterr().out


def test_the_strongest_sum_counts_and_one_for_another_file_does_not() -> None:
    sums = read_sums(f"{'a' * 32}  x.iso\n{'b' * 64}  x.iso\n{'c' * 40}  y.iso\n")
    assert sum_for(sums, "x.iso").digits == "b" * 64
    assert sum_for(sums, "z.iso") is None
    assert sum_for(read_sums("d" * 64), "z.iso").method == "sha256"
    for text in ("", "hello", "a" * 31, "g" * 64):
        with pytest.raises(CaptureError):
            read_sums(text)


@given(st.text(max_size=300))
def test_any_text_is_sums_or_one_clear_line(text: str) -> None:
    try:
        assert read_sums(text)
    except CaptureError as error:
        assert error.remedy


def test_a_sum_tells_how_far_it_is_and_can_be_cancelled(tmp_path: Path) -> None:
    path = tmp_path / "x"
    path.write_bytes(bytes(9 << 20))
    told: list[tuple[int, int]] = []
    assert (
        sum_of(path, "sha256", lambda done, whole: told.append((done, whole))) == hashlib.sha256(path.read_bytes()).hexdigest()
    )
    assert told[-1] == (9 << 20, 9 << 20)
    assert len(told) > 1
    with pytest.raises(CancelledError):
        sum_of(path, "sha256", stopped=lambda: True)
    with pytest.raises(CaptureError, match="not known"):
        sum_of(path, "crc32")


def test_a_name_that_was_deleted_is_not_listed(made: dict[str, Path]) -> None:
    raw = bytearray(made["udf"].read_bytes())
    name = b"\x08x.y.z"
    begin = raw.index(name) - 38
    assert int.from_bytes(raw[begin : begin + 2], "little") == udf.IDENTIFIER

    def paths() -> set[str]:
        source = Memory(bytes(raw))
        return {one.path for one in udf.entries(source, udf.open_udf(source))}

    assert "/live/deeper/deepest/x.y.z" in paths()
    raw[begin + 18] |= udf.DELETED
    assert "/live/deeper/deepest/x.y.z" not in paths()
    raw[begin + 4] ^= 1
    with pytest.raises(FormatError, match="not where it should be"):
        paths()


def test_a_longer_name_that_ends_before_it_begins_is_none() -> None:
    """Of a system use area that breaks off behind the head of its last entry."""
    volume = iso.Iso("X", 4096, 2048, (20, 2048), wide=False)
    assert iso._alternate(Memory(b""), volume, b"NM\x05\x01") == b""
    assert iso._alternate(Memory(b""), volume, b"NM\x07\x01\x00ab") == b"ab"
