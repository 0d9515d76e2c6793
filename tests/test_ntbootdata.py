"""NT boot data as that family prints it: read and written as it stands, in any language, and the firmware's order that it tells."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkshelf.cli import run
from inkshelf.core.boot.rehearse import rehearse
from inkshelf.core.checks import findings
from inkshelf.core.errors import CaptureError
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.core.value import replace
from inkshelf.data import exact
from inkshelf.exchange.anytext import gather, kind_of
from inkshelf.exchange.kit import HEAD, VERSION
from inkshelf.exchange.ntbootdata import BootObject, build, in_order, is_boot_data, parse
from inkshelf.store import jobfile

LOADER = exact("paths", "nt_loader")
LISTING = f"""

Firmware boot manager
---------------------
identifier              {{fwbootmgr}}
displayorder            {{11111111-2222-4333-8444-555555555555}}
                        {{bootmgr}}
                        {{66666666-2222-4333-8444-555555555555}}
timeout                 2

Boot manager
------------
identifier              {{bootmgr}}
device                  partition=\\Device\\HarddiskVolume1
path                    {LOADER}
description             First desk
default                 {{current}}
displayorder            {{current}}
timeout                 30

Firmware application (101fffff)
-------------------------------
identifier              {{11111111-2222-4333-8444-555555555555}}
device                  partition=\\Device\\HarddiskVolume1
path                    \\EFI\\quill\\shimx64.efi
description             Quill

Firmware application (101fffff)
-------------------------------
identifier              {{66666666-2222-4333-8444-555555555555}}
description             Network card

Boot loader
-----------
identifier              {{current}}
device                  partition=C:
path                    \\NT\\system32\\winload.efi
description             NT family
"""
TURNED = (
    LISTING.replace("identifier  ", "Bezeichner  ")
    .replace("displayorder  ", "Anzeigefolge  ")
    .replace("description  ", "Beschreibung ")
)

WORDS = (
    st.text("abcdefgh XYZ.\\:=,()-", min_size=1, max_size=40).map(str.strip).filter(bool).filter(lambda one: "  " not in one)
)
NAMES = st.text("abcdefghij", min_size=1, max_size=18)
GUIDS = st.uuids().map(lambda one: f"{{{one}}}")
SECTIONS = WORDS.filter(lambda one: set(one) != {"-"})
OBJECTS = st.builds(
    lambda section, identifier, rest: BootObject(section, identifier, (("identifier", (identifier,)), *rest)),
    SECTIONS,
    GUIDS,
    st.lists(st.tuples(NAMES, st.lists(WORDS, min_size=1, max_size=4).map(tuple)), max_size=5).map(tuple),
)


@given(st.lists(OBJECTS, min_size=1, max_size=5))
def test_what_is_printed_is_read_again(objects: list[BootObject]) -> None:
    text = build(objects)
    assert is_boot_data(text)
    assert parse(text) == tuple(objects)
    assert build(parse(text)) == text
    assert parse(text.replace("\n", "\r\n")) == tuple(objects)


@given(st.text("-{}abc \n\\=", max_size=200))
def test_any_text_is_a_listing_or_refused(text: str) -> None:
    for one in (text, f"a\n---\nidentifier  {{current}}\n{text}"):
        try:
            assert in_order(parse(one)) is not None
        except CaptureError:
            continue


@pytest.mark.parametrize("text", [LISTING, TURNED], ids=["english", "another language"])
def test_the_firmwares_order_is_told_in_any_language(text: str) -> None:
    assert kind_of(text) == "bcdedit"
    found = in_order(parse(text))
    assert [one.path for one in found] == ["\\EFI\\quill\\shimx64.efi", LOADER, ""]
    if text is LISTING:
        assert [one.title for one in found] == ["Quill", "First desk", "Network card"]
    assert gather([text]).listed == found


def test_a_machine_that_only_the_nt_family_listed_starts_in_that_order(job: Job, tmp_path: Path) -> None:
    """Numbers are still not known: nothing is typed by one; a loader that nobody read may start something."""
    file, said = tmp_path / "job.json", tmp_path / "listing.txt"
    jobfile.save(replace(job, aims=(), steps=()), file)
    said.write_text(LISTING)
    assert run(["take", str(file), "--capture", str(said)]) == 0
    taken = jobfile.load(file)
    firmware = taken.found.firmware
    assert not firmware.entries_known
    assert [(one.title, one.path) for one in firmware.entries][:2] == [
        ("Quill", "\\EFI\\quill\\shimx64.efi"),
        ("First desk", LOADER),
    ]
    assert firmware.entries[0].partition_guid == firmware.entries[1].partition_guid
    assert firmware.order == tuple(range(len(firmware.entries)))
    now = next(one for one in rehearse(taken.found) if one.mishap == "none" and one.system == "S1")
    assert now.starts
    assert "as a system listed them" in next(one.why for one in findings(read(taken)) if one.key == "start.assumed")
    assert run(["take", str(file), "--capture", str(said)]) == 0
    assert jobfile.load(file).found.firmware == firmware, "taken in twice, it is the same"


def test_the_kits_capture_hands_it_on(tmp_path: Path) -> None:
    document = {
        HEAD: VERSION,
        "firmware": "UEFI",
        "disks": [
            {
                "number": 0,
                "bytes": 512110190592,
                "sector": 512,
                "style": "GPT",
                "guid": "{5f3c1c5e-7a4e-4e0a-9a57-0c4d2f0e1a2b}",
            }
        ],
        "partitions": [],
        "boot_data": LISTING,
    }
    text = json.dumps(document)
    assert [one.title for one in gather([text]).listed] == ["Quill", "First desk", "Network card"]
    assert gather([json.dumps(document | {"boot_data": ["a", "list"]})]).listed == ()
    assert gather([json.dumps(document | {"boot_data": "nothing of it"})]).listed == ()


def test_what_is_no_listing_is_refused() -> None:
    for text in ("", "a\n---\nno identifier here\n", "x" * (1 << 21)):
        with pytest.raises(CaptureError):
            parse(text)
