"""What Secure Boot goes by: lists of certificates and sums read and written as they stand, and what they keep from starting."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from virt.firmware.varstore import edk2

from inkshelf.bench import emulator, signing
from inkshelf.bench.programs import program
from inkshelf.cli import run
from inkshelf.core.boot.keys import NAMES, SHA256, X509, SignatureList, Signed, build_lists, parse_lists
from inkshelf.core.boot.rehearse import rehearse
from inkshelf.core.disk.probe import pe_digest, pe_signed
from inkshelf.core.errors import FormatError
from inkshelf.core.machine.state import BootFile, KeyList, Machine, Volume
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.core.value import replace
from inkshelf.data import exact
from inkshelf.exchange.rawvars import keys_of
from inkshelf.store import jobfile

GUIDS = st.uuids().map(str)


@st.composite
def lists(draw: st.DrawFn) -> SignatureList:
    kind = draw(st.sampled_from([SHA256, X509, "5f0e2a7c-1b3d-4e5f-8a9b-0c1d2e3f4a5b"]))
    long = 32 if kind == SHA256 else draw(st.integers(1, 80))
    entries = draw(st.lists(st.builds(Signed, GUIDS, st.binary(min_size=long, max_size=long)), max_size=4))
    return SignatureList(kind, tuple(entries), draw(st.binary(max_size=0 if kind == SHA256 else 9)), 16 + long)


@given(st.lists(lists(), max_size=4))
def test_lists_come_back_as_they_were(made: list[SignatureList]) -> None:
    raw = build_lists(made)
    assert parse_lists(raw) == tuple(made)
    assert build_lists(parse_lists(raw)) == raw


@given(st.lists(lists(), min_size=1, max_size=2), st.integers(0, 400), st.integers(0, 255))
def test_any_bytes_are_lists_or_refused(made: list[SignatureList], place: int, value: int) -> None:
    raw = bytearray(build_lists(made))
    raw[place % len(raw)] = value
    for part in (bytes(raw), bytes(raw[: place % len(raw)])):
        try:
            assert build_lists(parse_lists(part)) == part
        except FormatError:
            continue


def test_entries_of_several_lengths_are_no_list() -> None:
    owner = "5f0e2a7c-1b3d-4e5f-8a9b-0c1d2e3f4a5b"
    for entries in ((Signed(owner, b"a"), Signed(owner, b"bc")), (), (Signed(owner, b""),)):
        with pytest.raises(FormatError):
            build_lists([SignatureList(X509, entries)])


def test_a_list_that_its_entries_do_not_fill_is_refused() -> None:
    raw = bytearray(build_lists([SignatureList(X509, (Signed(SHA256, bytes(24)),) * 2)]))
    raw[24:28] = (39).to_bytes(4, "little")
    with pytest.raises(FormatError, match="do not fill"):
        parse_lists(bytes(raw))


def test_the_emulators_own_keys_are_read_and_named() -> None:
    known = edk2.Edk2VarStore(str(emulator.SECURE_STORE)).get_varlist()
    held = {name: bytes(known[name].data) for name in NAMES}
    assert all(build_lists(parse_lists(raw)) == raw for raw in held.values())
    keys = {one.name: one for one in keys_of(held)}
    assert all(keys[name].certificates and keys[name].certificates[0].count("=") for name in ("PK", "KEK", "db"))
    assert len(keys["dbx"].sums) == 1
    with pytest.raises(FormatError, match="db: "):
        keys_of({"db": b"\0" * 40})
    assert (
        keys_of({"db": build_lists([SignatureList(X509, (Signed(SHA256, b"no certificate"),))])})[0]
        .certificates[0]
        .startswith("certificate ")
    )


def test_a_signature_changes_nothing_of_the_sum_a_program_is_known_by() -> None:
    plain = program("stand-in: keys", "stops")
    signed = signing.signed(plain)
    assert pe_signed(signed)
    assert not pe_signed(plain)
    assert len(pe_digest(plain)) == 64
    assert pe_digest(signed) == pe_digest(plain)
    odd = plain + b"\1\2\3"
    assert pe_digest(signing.signed(odd)) == pe_digest(odd), "what is no multiple of eight bytes is filled up"
    assert pe_digest(program("stand-in: other", "stops")) != pe_digest(plain)
    assert pe_digest(b"MZ" + bytes(100)) == pe_digest(b"") == ""


@given(st.binary(max_size=400))
def test_any_bytes_have_a_sum_or_none(raw: bytes) -> None:
    assert len(pe_digest(b"MZ" + raw)) in {0, 64}


def with_keys(machine: Machine, *sums: str, name: str = "dbx") -> Machine:
    held = KeyList(name, sums=sums)  # type: ignore[arg-type]
    return replace(machine, firmware=replace(machine.firmware, keys=(held,)))


def test_a_revoked_loader_is_refused_with_secure_boot_on_and_only_then(job: Job) -> None:
    def marked(volume: Volume) -> Volume:
        return replace(volume, boot_files=tuple(replace(one, digest=sum_of(one)) for one in volume.boot_files))

    planned = read(job).plan.planned
    for _, volume in tuple(planned.volumes()):
        planned = planned.with_volume(volume.call, marked)
    entry = planned.firmware.entry(planned.firmware.order[0])
    assert entry is not None
    revoked = with_keys(planned, sum_of(BootFile(entry.path, "loader")))
    said = {one.mishap: one for one in rehearse(revoked) if one.system == "S2"}
    assert not said["none"].starts or said["none"].by_hand
    assert "revoked programs" in said["none"].why
    off = replace(revoked, firmware=replace(revoked.firmware, secure_boot="off"))
    assert next(one for one in rehearse(off) if one.system == "S2" and one.mishap == "none").why == "starts by itself"
    for machine in (with_keys(planned, "ab" * 32), with_keys(planned, sum_of(BootFile(entry.path, "loader")), name="db")):
        assert next(one for one in rehearse(machine) if one.system == "S2" and one.mishap == "none").why == "starts by itself"


def sum_of(file: BootFile) -> str:
    return file.path.lower().encode().hex().ljust(64, "0")[:64]


def test_keys_are_taken_in_with_the_variables_and_stay(job: Job, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    folder, file = tmp_path / "efivars", tmp_path / "job.json"
    folder.mkdir()
    raw = build_lists([SignatureList(SHA256, (Signed(X509, b"\x11" * 32), Signed(X509, b"\x22" * 32)))])
    (folder / f"dbx-{exact('firmware', 'key_vendor')}").write_bytes(b"\7\0\0\0" + raw)
    (folder / f"db-{exact('firmware', 'global')}").write_bytes(b"\7\0\0\0of another vendor")
    (folder / f"BootOrder-{exact('firmware', 'global')}").write_bytes(b"\7\0\0\0")
    jobfile.save(replace(job, aims=(), steps=()), file)
    assert run(["take", str(file), "--capture", str(folder)]) == 0
    (kept,) = jobfile.load(file).found.firmware.keys
    assert (kept.name, kept.sums) == ("dbx", ("11" * 32, "22" * 32))
    (folder / f"dbx-{exact('firmware', 'key_vendor')}").unlink()
    assert run(["take", str(file), "--capture", str(folder)]) == 0
    assert jobfile.load(file).found.firmware.keys == (kept,), "a capture without them takes nothing away"
    (folder / f"db-{exact('firmware', 'key_vendor')}").write_bytes(b"\7\0\0\0cut")
    capsys.readouterr()
    assert run(["take", str(file), "--capture", str(folder)]) == 2
    assert "db: " in capsys.readouterr().err
