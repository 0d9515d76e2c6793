"""How an image comes onto a stick: which way does on this machine, which not, and why."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

import isos
from inkshelf.cli import run
from inkshelf.core.machine.state import Conditions, Firmware, Machine
from inkshelf.core.media.material import BootImage, Image, Loader
from inkshelf.core.media.ways import chosen, minutes, ways
from inkshelf.core.plan.job import Job
from inkshelf.core.size import GIB
from inkshelf.core.value import replace
from inkshelf.store import jobfile

BIOS = BootImage("legacy", 2048, 2048, bootable=True)
FILE, INSIDE = Loader("x64", signed=True, inside=False), Loader("x64", signed=True, inside=True)
PAYLOAD = ("/sources/install.wim", 5 * GIB)

HYBRID = Image(
    "h", 3 * GIB, "iso", "L", 3 * GIB, ("mbr", "gpt"), (BIOS,), (4096, 4 << 20), (FILE, INSIDE), files=9, payload=3 * GIB
)
DISC = replace(HYBRID, table=(), esp=None, loaders=(FILE,))
INSTALLER = replace(DISC, payload=6 * GIB, over=(PAYLOAD,), install=(PAYLOAD[0], 4096, PAYLOAD[1]), splits=True)
ODD = replace(INSTALLER, over=(("/live/big", 5 * GIB),), install=None, splits=False)
SOLID = replace(INSTALLER, splits=False)


def machine(mode: str = "uefi", secure: str = "off", bits: int | None = 64) -> Machine:
    return Machine(Firmware(mode, secure), conditions=Conditions(cpu_bits=bits))  # type: ignore[arg-type]


def unsigned(image: Image) -> Image:
    return replace(image, loaders=tuple(replace(one, signed=False) for one in image.loaders))


@pytest.mark.parametrize(
    ("image", "on", "key"),
    [
        (HYBRID, machine(), "raw"),
        (HYBRID, machine("legacy"), "raw"),
        (replace(HYBRID, table=("gpt",)), machine("legacy"), None),
        (DISC, machine(), "files"),
        (DISC, machine("legacy"), None),
        (INSTALLER, machine(), "split"),
        (INSTALLER, machine(secure="on"), "split"),
        (ODD, machine(), "bridge"),
        (SOLID, machine(), "bridge"),
        (SOLID, machine(secure="on"), None),
        (ODD, machine(secure="on"), None),
        (unsigned(HYBRID), machine(secure="on"), None),
        (unsigned(HYBRID), machine(), "raw"),
        (HYBRID, machine(bits=32), None),
        (replace(HYBRID, loaders=(FILE,)), machine(), "files"),
        (replace(HYBRID, expected=4 * GIB), machine(), None),
        (replace(HYBRID, fault="torn"), machine(), None),
        (Image("p", GIB, "packed"), machine(), None),
        (Image("u", GIB), machine(), None),
        (Image("d", GIB, "raw", table=("gpt",)), machine(), "raw"),
    ],
)
def test_the_usual_way_follows_from_image_and_machine(image: Image, on: Machine, key: str | None) -> None:
    found = chosen(image, on)
    assert (found.key if found else None) == key
    if found is None:
        assert all(one.fault for one in ways(image, on))


IMAGES = st.builds(
    lambda table, loaders, over, legacy, expected: replace(
        HYBRID, table=table, loaders=loaders, over=over, boots=(BIOS,) if legacy else (), expected=expected,
        install=(*over[0][:1], 4096, over[0][1]) if over and "install" in over[0][0] else None,
    ),
    st.sampled_from([(), ("mbr",), ("gpt",), ("mbr", "gpt")]),
    st.lists(st.builds(Loader, st.sampled_from(["x64", "ia32", "aa64"]), st.booleans(), st.booleans()), max_size=4).map(tuple),
    st.sampled_from([(), (PAYLOAD,), (("/live/big", 5 * GIB),), (PAYLOAD, ("/live/big", 5 * GIB))]),
    st.booleans(),
    st.sampled_from([0, 3 * GIB, 4 * GIB]),
)  # fmt: skip
MACHINES = st.builds(
    machine,
    st.sampled_from(["uefi", "legacy", None]),
    st.sampled_from(["on", "off", None, "absent"]),
    st.sampled_from([32, 64, None]),
)


@given(IMAGES, MACHINES)
def test_what_is_usual_starts_here_and_holds_every_file(image: Image, on: Machine) -> None:
    known = ways(image, on)
    assert {one.key for one in known} == {"raw", "files", "split", "bridge"}
    assert all(one.reason and one.bytes > 0 for one in known)
    faults = [bool(one.fault) for one in known]
    assert faults == sorted(faults), "those that do come first"
    found = chosen(image, on)
    if found is None:
        return
    assert not image.missing
    own = [one for one in image.loaders if one.inside == (found.key == "raw")]
    fits = [one for one in own if one.width == ("ia32" if on.conditions.cpu_bits == 32 else "x64")]
    if on.firmware.mode == "uefi":
        assert fits
    if on.firmware.mode == "legacy":
        assert found.key == "raw"
        assert image.legacy
    if on.firmware.secure_boot == "on" and on.firmware.mode == "uefi":
        assert any(one.signed for one in fits)
        assert found.key != "bridge"
    if found.key == "files":
        assert not image.over
    if found.key == "split":
        assert len(image.over) == 1
    assert minutes(found) > 0


def test_the_command_says_it_for_a_job_and_a_stick(found_job: Job, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    files = isos.tree(tmp_path / "tree")
    esp = isos.start_up(tmp_path / "esp", files / "EFI/BOOT/BOOTX64.EFI")
    image, job = isos.make("hybrid", files, tmp_path / "x.iso", esp=esp), tmp_path / "job.json"
    jobfile.save(found_job, job)
    assert run(["images", str(image), "--for", str(job), "--stick", "1MB"]) == 0
    said = capsys.readouterr().out
    assert "usual here: as it is, byte by byte" in said
    assert "too small" in said
    assert run(["images", str(image), "--for", str(job), "--json"]) == 0
    document = json.loads(capsys.readouterr().out)["images"][0]
    assert next(one["key"] for one in document["ways"] if not one["fault"]) == "raw"
    assert run(["images", str(image), "--stick", "1 parsec"]) == 2
    assert capsys.readouterr().err
