"""Machines for the firmware: disks with stand-ins on them, boot variables; each built for real, predicted, started, compared."""

from __future__ import annotations

import random
import re
import struct
import subprocess
import tempfile
from datetime import UTC, datetime, timedelta
from functools import cache
from pathlib import Path
from typing import Literal

from cryptography import x509
from cryptography.hazmat.primitives.asymmetric import rsa
from cryptography.hazmat.primitives.hashes import SHA256 as SHA256_OF_KEYS
from cryptography.hazmat.primitives.serialization import Encoding, NoEncryption, PrivateFormat

from inkshelf.bench import emulator, signing
from inkshelf.bench.emulator import Bus, Seen
from inkshelf.bench.filling import fat as filling
from inkshelf.bench.image import ImageFile
from inkshelf.bench.intake import take_in
from inkshelf.bench.programs import ARM64, X64, Ends, program
from inkshelf.core.boot import paths, variables
from inkshelf.core.boot.entries import firmware_of
from inkshelf.core.boot.firmware import Start, start
from inkshelf.core.boot.keys import SHA256, X509, SignatureList, Signed, build_lists
from inkshelf.core.boot.paths import Drive, Node
from inkshelf.core.boot.uefi import as_read
from inkshelf.core.boot.variables import LoadOption
from inkshelf.core.disk.source import Slice
from inkshelf.core.machine.joining import join_variables
from inkshelf.core.machine.state import Machine
from inkshelf.core.media.copying import File as Wanted
from inkshelf.core.value import Value, field, replace
from inkshelf.data import exact
from inkshelf.exchange.rawvars import keys_of

MIB = 1 << 20
GUID_OF_TESTS = "6b1f5c3e-0c9a-4d7e-8f21-3a5b7c9d1e2f"
SPARE = 40  # a byte of a program's first head that nothing reads, and every sum counts
FALLBACK = exact("paths", "fallback_x64")


CONTROLLERS = ("usb", "nvme", "virtio", "sata")
"""In the order in which the emulator's firmware meets them."""


class File(Value, frozen=True):
    """A program on a volume: what it does once it has said its name; ``wide``: made for another processor where it is not; ``junk``: no program.

    ``signed``: by the key that the firmware of a case with Secure Boot trusts; ``stranger``: by another one; ``altered``: a byte was
    changed afterwards.
    """

    path: str = FALLBACK
    ends: Ends = "stops"
    wide: bool = True
    junk: bool = False
    signed: bool = False
    stranger: bool = False
    altered: bool = False


class Part(Value, frozen=True):
    """A volume of a case, in MiB from the start of its disk; ``kind``: 12, 16 or 32 bits of a FAT, or 0 for none; ``type``: its type on the table.

    ``inside``: logical volumes, of an extended one.
    """

    files: tuple[File, ...] = ()
    kind: int = 16
    size: int = 24
    type: str = "uefi"
    number: int = 0
    inside: tuple[Part, ...] = ()


Damage = Literal["", "primary", "entries", "backup", "both", "protective", "hybrid", "longer"]


class Shelf(Value, frozen=True):
    """A disk of a case; ``damage``: what is wrong with its table; ``twin``: of which disk it has all identities."""

    parts: tuple[Part, ...]
    table: str = "gpt"
    bus: Bus = "virtio"
    damage: Damage = ""
    twin: int | None = None


class Entry(Value, frozen=True):
    """A boot variable of a case: a partition of a disk (both counted from 0), or a file alone; what of it is wrong."""

    disk: int = 0
    part: int = 0
    path: str = FALLBACK
    alone: bool = False
    number: int = 0
    other_guid: bool = False
    other_place: bool = False
    attributes: int = variables.ACTIVE
    optional: bytes = b""


class Case(Value, frozen=True):
    """Disks, entries by number, their order, the next one once; ``secure``: with Secure Boot on; ``revoked``: entries whose program dbx names.

    ``trusts``: what db holds, where that is captured: the "test" key's certificate, that of a "stranger", or the "sum" of what is revoked else;
    ``shunned``: dbx holds the stranger's certificate.
    """

    title: str
    disks: tuple[Shelf, ...]
    entries: dict[int, Entry] = field(default_factory=dict)
    order: tuple[int, ...] = ()
    next: int | None = None
    secure: bool = False
    revoked: tuple[int, ...] = ()
    trusts: tuple[str, ...] = ()
    shunned: bool = False


def made(case: Case, folder: Path) -> tuple[list[tuple[Path, Bus]], dict[str, bytes], Machine]:
    """Make the disks and variables of a case; return them, and the machine that is read back from them."""
    images = [(_disk(one, folder / f"{number}.img", number), one.bus) for number, one in enumerate(case.disks)]
    switch: Literal["on", "off"] = "on" if case.secure else "off"
    job = take_in([path for path, _ in images], mode="uefi", secure_boot=switch, seed="firmware")
    found = job.found
    for disk, shelf in zip(found.disks, case.disks, strict=True):
        found = found.with_disk(replace(disk, removable=shelf.bus == "usb"))
    found, options = _lost(case, found, images), found
    named = {f"Boot{number:04X}": _option(one, options) for number, one in case.entries.items()}
    named["BootOrder"] = variables.build_order(case.order)
    if case.next is not None:
        named["BootNext"] = variables.build_order((case.next,))
    named |= _lists(case, _sums(case, found))
    buses = {disk.id: shelf.bus for disk, shelf in zip(found.disks, case.disks, strict=True)}
    ordered = tuple(sorted(found.disks, key=lambda one: CONTROLLERS.index(buses[one.id])))
    keys = keys_of({name: data for name, data in named.items() if name in {"db", "dbx"}})
    return (
        images,
        named,
        join_variables(replace(found, disks=ordered), replace(firmware_of(named), secure_boot=switch, keys=keys)),
    )


def _lists(case: Case, sums: tuple[str, ...]) -> dict[str, bytes]:
    """What db and dbx hold in a case that says something of them."""
    held = [SignatureList(SHA256, tuple(Signed(GUID_OF_TESTS, bytes.fromhex(one)) for one in sums))] if sums else []
    known = {"test": signing.certificate(), "stranger": _stranger()[1]} if case.trusts or case.shunned else {}

    def of(name: str) -> SignatureList:
        return SignatureList(X509, (Signed(GUID_OF_TESTS, known[name]),))

    trusted = [of(name) for name in case.trusts if name != "sum"]
    by_sum = "sum" in case.trusts
    shunned = [*(() if by_sum else held), *([of("stranger")] if case.shunned else [])]
    lists = {"db": [*trusted, *(held if by_sum else ())], "dbx": shunned}
    return {name: build_lists(one) for name, one in lists.items() if one}


@cache
def _stranger() -> tuple[bytes, bytes]:
    """The key, as text, and the certificate of somebody whom no firmware knows; of this run."""
    key = rsa.generate_private_key(public_exponent=65537, key_size=2048)
    name = x509.Name([x509.NameAttribute(x509.NameOID.COMMON_NAME, "a stranger")])
    begins = datetime(2026, 1, 1, tzinfo=UTC)
    made = x509.CertificateBuilder(name, name, key.public_key(), 7, begins, begins + timedelta(days=9000))
    plain = key.private_bytes(Encoding.PEM, PrivateFormat.TraditionalOpenSSL, NoEncryption())
    return plain, made.sign(key, SHA256_OF_KEYS()).public_bytes(Encoding.DER)


def _sums(case: Case, found: Machine) -> tuple[str, ...]:
    """The sums of the programs that are revoked, as they were read."""
    meant = [case.entries[number] for number in case.revoked]
    volumes = [sorted(found.disks[one.disk].volumes, key=lambda two: two.number)[one.part] for one in meant]
    files = [volume.boot_file(one.path) for volume, one in zip(volumes, meant, strict=True)]
    return tuple(one.digest for one in files if one)


def _lost(case: Case, found: Machine, images: list[tuple[Path, Bus]]) -> Machine:
    """A disk whose table is damaged twice is refused when it is taken in: what was on it is not there."""
    for disk, shelf, (path, _) in zip(found.disks, case.disks, images, strict=True):
        if shelf.damage == "both":
            _damage(path, shelf.damage)
            found = found.with_disk(replace(found.disk(disk.id), volumes=()))
    return found


def _disk(shelf: Shelf, path: Path, number: int) -> Path:
    if shelf.table == "none":
        return _bare(shelf.parts[0], path, number)
    lines, places = _lines(shelf, path)
    with path.open("wb") as out:
        out.truncate((places[-1][0] + places[-1][1].size + 2) * MIB)
    subprocess.run(
        ["sfdisk", "--quiet", "--no-tell-kernel", "--no-reread", path], input="\n".join(lines), text=True, check=True
    )
    if shelf.twin is not None:
        _as_twin(path.parent / f"{shelf.twin}.img", path, shelf.table)
    for place, (at, part) in enumerate((one for one in places if not one[1].inside), 1):
        _fill(path, at, part, f"disk {number} part {place}")
    if shelf.damage and shelf.damage != "both":
        _damage(path, shelf.damage)
    return path


def _lines(shelf: Shelf, path: Path) -> tuple[list[str], list[tuple[int, Part]]]:
    """What the base utility is told, and where each volume begins, in MiB."""
    at, lines, places = 1, [f"label: {shelf.table}"], list[tuple[int, Part]]()
    for place, part in enumerate(shelf.parts, 1):
        own = sum(one.size + 1 for one in part.inside) + 1 if part.inside else part.size
        named = f"{path}{part.number or place} : " if part.number else ""
        lines.append(f"{named}start={at * 2048},size={own * 2048},type={part.type}")
        places.append((at, part))
        inner = at + 1
        for one in part.inside:
            lines.append(f"start={inner * 2048},size={one.size * 2048},type={one.type}")
            places.append((inner, one))
            inner += one.size + 1
        at += own + 1
    return lines, places


def _fill(path: Path, at: int, part: Part, where: str) -> None:
    if part.kind:
        own = ["mkfs.fat", "-F", str(part.kind), "--offset", str(at * 2048), path, str(part.size * 1024)]
        subprocess.run(own, check=True, capture_output=True)
    folders = set[str]()
    for file in part.files:
        made = b"no program" * 200 if file.junk else _program(file, where)
        if part.kind == 32:
            _put_ourselves(path, at * MIB, part.size * MIB, file.path, made)
        else:
            _put(path, at, file.path, made, folders)


def _program(file: File, where: str) -> bytes:
    made = program(f"STAND-IN {where} {file.path}", file.ends, machine=X64 if file.wide else ARM64)
    done = signing.signed(made, *(_stranger() if file.stranger else ())) if file.signed else made
    return done[:SPARE] + b"\1" + done[SPARE + 1 :] if file.altered else done


def _bare(part: Part, path: Path, number: int) -> Path:
    """A disk that is one file system."""
    with path.open("wb") as out:
        out.truncate(part.size * MIB)
    _fill(path, 0, part, f"disk {number} part 1")
    return path


def _as_twin(other: Path, path: Path, table: str) -> None:
    """The identities of another disk: its GUIDs, or its signature."""
    told = subprocess.run(["sfdisk", "--dump", other], capture_output=True, text=True, check=True).stdout
    identity = re.findall(r"^label-id: (.*)$", told, re.MULTILINE)[0]
    subprocess.run(["sfdisk", "--quiet", "--no-tell-kernel", "--no-reread", "--disk-id", path, identity], check=True)
    for place, guid in enumerate(re.findall(r"uuid=([0-9A-Fa-f-]+)", told) if table == "gpt" else (), 1):
        subprocess.run(
            ["sfdisk", "--quiet", "--no-tell-kernel", "--no-reread", "--part-uuid", path, str(place), guid], check=True
        )


def _damage(path: Path, damage: Damage) -> None:
    size = path.stat().st_size
    with path.open("r+b") as out:
        if damage in {"primary", "both"}:
            out.seek(512 + 16)
            out.write(b"\xff" * 4)
        if damage == "entries":
            out.seek(1024 + 56)
            out.write(b"X\0Y\0")
        if damage in {"backup", "both"}:
            out.seek(size - 512 + 16)
            out.write(b"\xff" * 4)
        if damage == "protective":
            out.seek(0)
            out.write(bytes(512))
        if damage == "hybrid":  # one record more: the first volume, as the legacy way sees it
            out.seek(446 + 16)
            out.write(struct.pack("<BBBBBBBBII", 0, 0, 2, 0, 0x0C, 0, 2, 0, 2048, 24 * 2048))
        if damage == "longer":
            out.truncate(size + 64 * MIB)


def _put(path: Path, at: int, name: str, made: bytes, folders: set[str]) -> None:
    *above, last = name.strip("\\").split("\\")
    for depth in range(1, len(above) + 1):
        folder = "/".join(above[:depth])
        if folder.lower() not in folders:
            subprocess.run(["mmd", "-i", f"{path}@@{at}M", f"::/{folder}"], check=True, capture_output=True)
            folders.add(folder.lower())
    with tempfile.NamedTemporaryFile() as held:
        held.write(made)
        held.flush()
        subprocess.run(["mcopy", "-i", f"{path}@@{at}M", held.name, f"::/{'/'.join([*above, last])}"], check=True)


def _put_ourselves(path: Path, at: int, size: int, name: str, made: bytes) -> None:
    """The base utilities fill no FAT32 with too few clusters, which is what some cases are about."""
    with ImageFile(path) as image:
        done = filling.reckon(Slice(image, at, size), [Wanted(name.replace("\\", "/"), len(made), (made,))])
    with path.open("r+b") as out:
        for one in done.carries:
            out.seek(at + one.at)
            out.write(one.piece if isinstance(one.piece, bytes) else b"")
        for place, data in done.records:
            out.seek(at + place)
            out.write(data)


def _option(entry: Entry, found: Machine) -> bytes:
    nodes: list[Node] = []
    if not entry.alone:
        disk = found.disks[entry.disk]
        volume = disk.volumes[entry.part]
        scheme = "gpt" if disk.table.kind == "gpt" else "mbr"
        identity = volume.guid if scheme == "gpt" else disk.table.signature
        identity = ("0" if identity[0] != "0" else "1") + identity[1:] if entry.other_guid else identity
        number = entry.number or volume.number
        nodes.append(
            paths.drive_node(Drive(number, volume.start // 512 + 8 * entry.other_place, volume.size // 512, scheme, identity))
        )  # type: ignore[arg-type]
    nodes += [paths.file_node(entry.path)] if entry.path else []
    return variables.build_option(
        LoadOption(f"entry of {entry.disk} {entry.part}", (tuple(nodes),), entry.attributes, entry.optional)
    )


def compared(predicted: Start, seen: Seen, machine: Machine) -> str:
    """Return where prediction and firmware differ (empty: nowhere)."""
    ran = [one.removeprefix("STAND-IN ") for one in seen.said if one.startswith("STAND-IN ")]
    last = ""
    if predicted.started and predicted.started[1]:
        letter, call, path = predicted.started
        number = sorted(one.id for one in machine.disks).index(letter)
        place = [one.call for one in machine.disk(letter).volumes].index(call) + 1
        last = f"disk {number} part {place} {as_read(path, machine.find(call)[1])}"  # type: ignore[index]
    if last.lower() != (ran[0] if ran else "").lower():
        return f"predicted {last or predicted.ends}, seen {ran[0] if ran else 'nothing that started'}"
    skipped = {one.variable for one in predicted.tried if one.result == "skipped"}
    results = {one.variable: one.result for one in seen.tried}
    for one in predicted.tried:
        got = results.get(one.variable, one.result)
        comes_back = (one.result, got) == (
            "started",
            "returned",
        )  # of a program that nobody knows: it runs, and what it does then is its own
        if one.variable and one.result not in {"skipped", got} and not comes_back:
            return f"{one.variable}: predicted {one.result}, seen {got}"
        if one.variable in skipped and one.variable in results:
            return f"{one.variable}: predicted skipped, seen {results[one.variable]}"
    return ""


def judged(case: Case, folder: Path) -> tuple[str, Start, Seen]:
    """Build, predict, start and compare a case; return the difference in words (empty: none), and both sides."""
    images, named, machine = made(case, folder)
    predicted = start(machine)
    seconds = 25 if predicted.started is None else emulator.LONGEST
    seen = emulator.watch(images, named, seconds, secure=case.secure)
    return compared(predicted, seen, machine), predicted, seen


def drawn(seed: int) -> Case:
    """Return a random machine."""
    dice = random.Random(seed)  # noqa: S311 - machines are drawn, no secrets
    disks = tuple(_drawn_disk(dice) for _ in range(dice.randint(1, 2)))
    entries = {}
    for number in dice.sample(range(12), dice.randint(0, 3)):
        disk = dice.randrange(len(disks))
        part = dice.randrange(len(disks[disk].parts))
        held = [one.path for one in disks[disk].parts[part].files] or [FALLBACK]
        entries[number] = Entry(
            disk,
            part,
            dice.choice([*held, *held, "\\EFI\\not\\there.efi", "", held[0].lstrip("\\"), held[0].replace("\\", "/")]),
            alone=dice.random() < 0.2,
            number=dice.choice([0, 0, 0, 0, 0, 0, 3]),
            other_guid=dice.random() < 0.07,
            other_place=dice.random() < 0.1,
            attributes=dice.choice([1, 1, 1, 1, 1, 0, 9, 0x101]),
        )
    entries = {key: replace(one, path=one.path or FALLBACK) if one.alone else one for key, one in entries.items()}
    order = tuple(dice.sample([*entries, 30], dice.randint(0, len(entries)))) if entries else ()
    following = dice.choice([None, None, None, *entries, 31])
    return Case(f"drawn {seed}", disks, entries, order, following)


def _drawn_disk(dice: random.Random) -> Shelf:
    table = dice.choice(["gpt", "gpt", "dos"])
    parts = []
    for _ in range(dice.randint(1, 3)):
        kind = dice.choice([16, 16, 12, 0])
        names = (
            dice.sample([FALLBACK, "\\EFI\\heron\\start.efi", "\\EFI\\alder\\alder.efi"], dice.choice([0, 1, 1, 2]))
            if kind
            else []
        )
        files = tuple(
            File(one, dice.choice(["stops", "stops", "stops", "fails"]), dice.random() < 0.85, dice.random() < 0.1)
            for one in names
        )
        kinds = ["uefi", "uefi", "linux"] if table == "gpt" else ["ef", "c", "83"]
        parts.append(Part(files, kind, 8 if kind == 12 else 24, dice.choice(kinds)))
    return Shelf(tuple(parts), table, dice.choice(["virtio", "virtio", "sata", "usb"]))
