"""The cases that prediction and firmware must agree in, as plain data: one rule each. ``IN_CI``: those that every run of the tests starts."""

from __future__ import annotations

from firmware_cases import FALLBACK, Case, Entry, File, Part, Shelf

from inkshelf.core.boot.variables import ACTIVE, APPLICATION, HIDDEN
from inkshelf.data import exact

HERON, ALDER = "\\EFI\\heron\\start.efi", "\\EFI\\alder\\alder.efi"
UP_AND_DOWN = "\\EFI\\alder\\..\\heron\\start.efi"
BARE = Part()
FALL = Part((File(),))
NT_LOADER, FALLBACK_32 = exact("paths", "nt_loader"), exact("paths", "fallback_ia32")
OWN = Part((File(HERON),))
BOTH = Part((File(HERON), File()))
FAILS = Part((File(HERON, "fails"), File()))
ONE = (Shelf((BOTH,)),)
TWO = (Shelf((OWN,)), Shelf((FALL,)))
E1, E2 = Entry(0, 0, HERON), Entry(0, 0, FALLBACK)

SIGNED = Part((File(signed=True),))
TRUSTED = Part((File(HERON, signed=True), File(signed=True)))
STRANGE = (Shelf((Part((File(HERON, signed=True, stranger=True), File(signed=True))),)),)
CHANGED = Shelf((Part((File(HERON, signed=True, altered=True), File(signed=True))),))
HALF = Part((File(HERON), File(signed=True)))


def _secure(
    title: str,
    *disks: Shelf,
    entries: dict[int, Entry] | None = None,
    order: tuple[int, ...] = (),
    once: int | None = None,
    revoked: tuple[int, ...] = (),
    trusts: tuple[str, ...] = (),
    shunned: bool = False,
) -> Case:
    """A machine with Secure Boot on, whose firmware trusts one key, or what ``trusts`` says."""
    named = f"Secure Boot: {title}"
    return Case(named, disks, entries or {}, order, once, secure=True, revoked=revoked, trusts=trusts, shunned=shunned)


CASES = (
    Case("no entries, only the fallback file", (Shelf((FALL,)),)),
    Case("no entries, nothing there", (Shelf((BARE,)),)),
    Case("an entry to a file", ONE, {1: E1}, (1,)),
    Case("the order decides, not the number", (Shelf((BOTH,)),), {1: E1, 2: E2}, (2, 1)),
    Case("an entry that is not in the order is never tried", (Shelf((OWN,)),), {1: E1}, ()),
    Case("inactive, skipped", ONE, {1: Entry(0, 0, HERON, attributes=0), 2: E2}, (1, 2)),
    Case("hidden alone, tried", ONE, {1: Entry(0, 0, HERON, attributes=ACTIVE | HIDDEN), 2: E2}, (1, 2)),
    Case("an application, skipped", ONE, {1: Entry(0, 0, HERON, attributes=ACTIVE | APPLICATION), 2: E2}, (1, 2)),
    Case("the file is missing: the next one", ONE, {1: Entry(0, 0, ALDER), 2: E2}, (1, 2)),
    Case("the GUID is unknown: the next one", ONE, {1: Entry(0, 0, HERON, other_guid=True), 2: E2}, (1, 2)),
    Case("the partition number is wrong: the next one", ONE, {1: Entry(0, 0, HERON, number=3), 2: E2}, (1, 2)),
    Case("the loader gives an error back: the next one", (Shelf((FAILS,)),), {1: E1, 2: E2}, (1, 2)),
    Case("a partition without a file: its fallback", ONE, {1: Entry(0, 0, "")}, (1,)),
    Case("a file alone is looked for everywhere", TWO, {1: Entry(path=HERON, alone=True)}, (1,)),
    Case("a file alone that nobody has", TWO, {1: Entry(path=ALDER, alone=True)}, (1,)),
    Case("a path without its first backslash", ONE, {1: Entry(0, 0, HERON[1:])}, (1,)),
    Case("a path with strokes is not found", (Shelf((OWN,)),), {1: Entry(0, 0, HERON.replace("\\", "/"))}, (1,)),
    Case("a path with doubled backslashes is not found", (Shelf((OWN,)),), {1: Entry(0, 0, HERON.replace("\\", "\\\\"))}, (1,)),
    Case(
        "a path that goes up out of a folder",
        (Shelf((Part((File(HERON), File(ALDER))),)),),
        {1: Entry(0, 0, UP_AND_DOWN)},
        (1,),
    ),
    Case("a path that goes up out of what is no folder", (Shelf((OWN,)),), {1: Entry(0, 0, UP_AND_DOWN)}, (1,)),
    Case("next once, before the order", ONE, {1: E1, 2: E2}, (1, 2), 2),
    Case("next once, its file missing: the order", ONE, {1: E1, 2: Entry(0, 0, ALDER)}, (1,), 2),
    Case("next once, no such entry: the order", ONE, {1: E1}, (1,), 9),
    Case(
        "next once, an application: tried all the same",
        ONE,
        {1: E1, 2: Entry(0, 0, FALLBACK, attributes=ACTIVE | APPLICATION)},
        (1,),
        2,
    ),
    Case("next once, inactive", ONE, {1: E1, 2: Entry(0, 0, FALLBACK, attributes=0)}, (1,), 2),
    Case("an order that names what is not there", ONE, {1: E1}, (7, 1)),
    Case("of two with the fallback, the lower number", (Shelf((Part((File(),), number=2), Part((File(),), number=1))),)),
    Case("of two, the one that has the fallback", (Shelf((BARE, FALL)),)),
    Case("a FAT of another type with the fallback", (Shelf((Part((File(),), type="linux"),)),)),
    Case("a FAT of 12 bits", (Shelf((Part((File(),), kind=12, size=8),)),)),
    Case("a FAT of 32 bits with too few clusters", (Shelf((Part((File(),), kind=32, size=24),)),)),
    Case("a FAT of 32 bits that is large enough", (Shelf((Part((File(),), kind=32, size=40),)),)),
    Case("a fallback for another processor: the next one", (Shelf((Part((File(wide=False),)),)), Shelf((FALL,)))),
    Case("an MBR, its type that of an EFI system partition", (Shelf((Part((File(),), type="ef"),), "dos"),)),
    Case("an MBR, an ordinary type", (Shelf((Part((File(),), type="c"),), "dos"),)),
    Case("an MBR, named by signature and number", (Shelf((Part((File(HERON),), type="ef"),), "dos"),), {1: E1}, (1,)),
    Case(
        "an MBR, another signature",
        (Shelf((Part((File(HERON),), type="ef"),), "dos"),),
        {1: Entry(0, 0, HERON, other_guid=True)},
        (1,),
    ),
    Case(
        "an MBR, another number", (Shelf((Part((File(HERON),), type="ef"),), "dos"),), {1: Entry(0, 0, HERON, number=2)}, (1,)
    ),
    Case(
        "an MBR, its second volume",
        (Shelf((Part(type="c"), Part((File(HERON),), type="ef")), "dos"),),
        {1: Entry(0, 1, HERON)},
        (1,),
    ),
    Case("removable before fixed", (Shelf((FALL,)), Shelf((FALL,), bus="usb"))),
    Case(
        "a file alone, removable before fixed",
        (Shelf((OWN,)), Shelf((OWN,), bus="usb")),
        {1: Entry(path=HERON, alone=True)},
        (1,),
    ),
    Case("two fixed disks with the fallback", (Shelf((FALL,)), Shelf((FALL,)))),
    Case("the second disk by an entry", TWO, {1: Entry(1, 0, FALLBACK)}, (1,)),
    Case("a fallback that gives an error back: the next disk", (Shelf((Part((File(FALLBACK, "fails"),)),)), Shelf((FALL,)))),
    Case("on a disk for SATA", (Shelf((FALL,), bus="sata"),)),
    Case("a path in other letters", ONE, {1: Entry(0, 0, HERON.upper())}, (1,)),
    Case("an order that names one entry twice", ONE, {1: Entry(0, 0, ALDER), 2: E2}, (1, 1, 2)),
    Case("next once, and first in the order too", ONE, {1: Entry(0, 0, ALDER), 2: E2}, (1, 2), 1),
    Case("next once, with an empty order", ONE, {1: E1}, (), 1),
    Case("the place is another one, the GUID right", ONE, {1: Entry(0, 0, HERON, other_place=True), 2: E2}, (1, 2)),
    Case(
        "an MBR, the place another one",
        (Shelf((Part((File(HERON),), type="ef"),), "dos"),),
        {1: Entry(0, 0, HERON, other_place=True)},
        (1,),
    ),
    Case("with bytes for the loader behind its path", ONE, {1: Entry(0, 0, HERON, optional=b"R\0C\0\0\0")}, (1,)),
    Case(
        "a partition without a file system: the next one",
        (Shelf((Part(kind=0), BOTH)),),
        {1: Entry(0, 0, HERON), 2: Entry(0, 1, HERON)},
        (1, 2),
    ),
    Case("a fallback that is no program: the next disk", (Shelf((Part((File(junk=True),)),)), Shelf((FALL,)))),
    Case(
        "an entry to what is no program: the next one",
        (Shelf((Part((File(HERON, junk=True), File())),)),),
        {1: E1, 2: E2},
        (1, 2),
    ),
    Case(
        "an entry to another processor's loader: the next one",
        (Shelf((Part((File(HERON, wide=False), File())),)),),
        {1: E1, 2: E2},
        (1, 2),
    ),
    Case("two fallbacks on one disk, the first for another processor", (Shelf((Part((File(wide=False),)), FALL)),)),
    Case("two fallbacks on one disk, the first no program", (Shelf((Part((File(junk=True),)), FALL)),)),
    Case("two fallbacks on one disk, the first fails", (Shelf((Part((File(FALLBACK, "fails"),)), FALL)),)),
    Case("three volumes, the last one with the fallback", (Shelf((BARE, Part(kind=0), FALL)),)),
    Case("a file alone on two volumes of one disk", (Shelf((OWN, OWN)),), {1: Entry(path=HERON, alone=True)}, (1,)),
    Case(
        "a file alone, the first volume's for another processor",
        (Shelf((Part((File(HERON, wide=False),)), OWN)),),
        {1: Entry(path=HERON, alone=True)},
        (1,),
    ),
    Case("an entry to the second volume", (Shelf((BARE, OWN)),), {1: Entry(0, 1, HERON)}, (1,)),
    Case("an entry to a stick", (Shelf((FALL,)), Shelf((OWN,), bus="usb")), {1: Entry(1, 0, HERON)}, (1,)),
    Case("an inactive entry, and nothing else: the fallback", ONE, {1: Entry(0, 0, HERON, attributes=0)}, (1,)),
    Case("of the second category, skipped", ONE, {1: Entry(0, 0, HERON, attributes=ACTIVE | 0x200), 2: E2}, (1, 2)),
    Case("to be reconnected first, tried", ONE, {1: Entry(0, 0, HERON, attributes=ACTIVE | 2), 2: E2}, (1, 2)),
    Case("an MBR with the fallback on its second volume", (Shelf((Part(type="83"), Part((File(),), type="c")), "dos"),)),
    Case("an MBR beside a GPT, both with the fallback", (Shelf((Part((File(),), type="c"),), "dos"), Shelf((FALL,)))),
    Case("SATA and virtio, both with the fallback", (Shelf((FALL,), bus="sata"), Shelf((FALL,)))),
    Case("the stick has no fallback, the disk has", (Shelf((FALL,)), Shelf((BARE,), bus="usb"))),
    Case("everything fails", (Shelf((Part((File(FALLBACK, "fails"),)),)),), {1: Entry(0, 0, ALDER)}, (1,)),
    _secure("a signed fallback", Shelf((SIGNED,))),
    _secure("an unsigned fallback is refused, and nothing starts", Shelf((FALL,))),
    _secure("an unsigned loader, then a signed one", Shelf((HALF,)), entries={1: E1, 2: E2}, order=(1, 2)),
    _secure("a signed loader by its entry", Shelf((TRUSTED,)), entries={1: E1}, order=(1,)),
    _secure("everything in the order refused: another volume's fallback", Shelf((FALL, SIGNED))),
    _secure("everything refused: a stick's fallback first", Shelf((FALL, SIGNED)), Shelf((FALL, SIGNED), bus="usb")),
    _secure("next once refused: the order", Shelf((HALF,)), entries={1: E1, 2: E2}, order=(2,), once=1),
    _secure("unsigned on the stick, signed on the disk", Shelf((SIGNED,)), Shelf((FALL,), bus="usb")),
    _secure(
        "a signed loader gives an error back: the next one",
        Shelf((Part((File(HERON, "fails", signed=True), File(signed=True))),)),
        entries={1: E1, 2: E2},
        order=(1, 2),
    ),
    _secure(
        "a signed loader for another processor is not run",
        Shelf((Part((File(HERON, wide=False, signed=True), File(signed=True))),)),
        entries={1: E1, 2: E2},
        order=(1, 2),
    ),
    _secure(
        "what is no program is not found",
        Shelf((Part((File(HERON, junk=True), File(signed=True))),)),
        entries={1: E1, 2: E2},
        order=(1, 2),
    ),
    _secure("a file that is missing, and an unsigned fallback", Shelf((FALL,)), entries={1: Entry(0, 0, ALDER)}, order=(1,)),
    _secure("a file alone, signed", Shelf((FALL,)), Shelf((TRUSTED,)), entries={1: Entry(path=HERON, alone=True)}, order=(1,)),
    _secure(
        "a file alone, the first volume's unsigned",
        Shelf((OWN, TRUSTED)),
        entries={1: Entry(path=HERON, alone=True)},
        order=(1,),
    ),
    _secure("two disks, the first unsigned", Shelf((FALL,)), Shelf((SIGNED,))),
    _secure(
        "a signed loader that is revoked: the next one", Shelf((TRUSTED,)), entries={1: E1, 2: E2}, order=(1, 2), revoked=(1,)
    ),
    _secure("another program is revoked", Shelf((TRUSTED,)), entries={1: E1, 2: E2}, order=(1,), revoked=(2,)),
    _secure("everything in the order is revoked", Shelf((TRUSTED,)), entries={1: E1, 2: E2}, order=(1, 2), revoked=(1, 2)),
    _secure(
        "an unsigned loader for another processor is refused",
        Shelf((Part((File(HERON, wide=False), File(signed=True))),)),
        entries={1: E1, 2: E2},
        order=(1, 2),
    ),
    _secure("an MBR, signed", Shelf((Part((File(signed=True),), type="ef"),), "dos")),
)

ROOM, ROOT_FILE = "\\EFI\\two words\\start here.efi", "\\start.efi"
MBR_OWN = Part((File(HERON),), type="ef")
MORE = (
    Case("the primary header damaged", (Shelf((BOTH,), damage="primary"),), {1: E1}, (1,)),
    Case("the primary entries damaged", (Shelf((BOTH,), damage="entries"),), {1: E1}, (1,)),
    Case("the backup header damaged", (Shelf((BOTH,), damage="backup"),), {1: E1}, (1,)),
    Case("both headers damaged", (Shelf((BOTH,), damage="both"),), {1: E1}, (1,)),
    Case("no protective record before the table", (Shelf((BOTH,), damage="protective"),), {1: E1}, (1,)),
    Case("a damaged table, and a good disk behind it", (Shelf((FALL,), damage="both"), Shelf((FALL,)))),
    Case("a hybrid record before the table", (Shelf((BOTH,), damage="hybrid"),), {1: E1}, (1,)),
    Case("a disk that is longer than its table says", (Shelf((BOTH,), damage="longer"),), {1: E1}, (1,)),
    Case("no table: the disk is one FAT", (Shelf((FALL,), "none"),)),
    Case("no table beside a table", (Shelf((FALL,), "none"), Shelf((FALL,)))),
    Case("a logical volume with the fallback", (Shelf((Part(type="5", inside=(Part((File(),), type="c"),)),), "dos"),)),
    Case(
        "a logical volume, named as a system names it",
        (Shelf((Part(type="5", inside=(MBR_OWN,)),), "dos"),),
        {1: Entry(0, 0, HERON, number=5)},
        (1,),
    ),
    Case("two disks of the same GUIDs, both with the file", (Shelf((OWN,)), Shelf((OWN,), twin=0)), {1: E1}, (1,)),
    Case("two disks of the same GUIDs, only the second with the file", (Shelf((BARE,)), Shelf((OWN,), twin=0)), {1: E1}, (1,)),
    Case("a stick that is a copy of the disk", (Shelf((OWN,)), Shelf((OWN,), bus="usb", twin=0)), {1: E1}, (1,)),
    Case("two disks of one signature", (Shelf((MBR_OWN,), "dos"), Shelf((MBR_OWN,), "dos", twin=0)), {1: E1}, (1,)),
    Case("NVMe with the fallback", (Shelf((FALL,), bus="nvme"),)),
    Case("NVMe by an entry", (Shelf((FALL,)), Shelf((OWN,), bus="nvme")), {1: Entry(1, 0, HERON)}, (1,)),
    Case("NVMe before virtio", (Shelf((FALL,), bus="nvme"), Shelf((FALL,)))),
    Case("virtio before NVMe", (Shelf((FALL,)), Shelf((FALL,), bus="nvme"))),
    Case("two sticks", (Shelf((FALL,), bus="usb"), Shelf((FALL,), bus="usb"))),
    Case("three disks, the last with the fallback", (Shelf((BARE,)), Shelf((OWN,)), Shelf((FALL,)))),
    Case("SATA and a stick", (Shelf((FALL,), bus="sata"), Shelf((FALL,), bus="usb"))),
    Case(
        "five entries that fail, then the fallback",
        ONE,
        {number: Entry(0, 0, f"\\EFI\\gone\\{number}.efi") for number in range(1, 6)},
        (5, 4, 3, 2, 1),
    ),
    Case("an entry to a folder: the next one", ONE, {1: Entry(0, 0, "\\EFI\\heron"), 2: E2}, (1, 2)),
    Case("a path that ends in a backslash", ONE, {1: Entry(0, 0, f"{HERON}\\"), 2: E2}, (1, 2)),
    Case("a path with blanks", (Shelf((Part((File(ROOM),)),)),), {1: Entry(0, 0, ROOM)}, (1,)),
    Case("a file in the root", (Shelf((Part((File(ROOT_FILE),)),)),), {1: Entry(0, 0, ROOT_FILE)}, (1,)),
    Case("a path with a dot in it", (Shelf((OWN,)),), {1: Entry(0, 0, "\\EFI\\.\\heron\\start.efi")}, (1,)),
    Case("attributes that are reserved", ONE, {1: Entry(0, 0, HERON, attributes=0x80000001), 2: E2}, (1, 2)),
    Case("next once, hidden", ONE, {1: E1, 2: Entry(0, 0, FALLBACK, attributes=ACTIVE | HIDDEN)}, (1,), 2),
    Case("next once fails: the order", (Shelf((FAILS,)),), {1: E1, 2: E2}, (2,), 1),
    Case(
        "a partition without a file, and no fallback on it",
        (Shelf((OWN, FALL)),),
        {1: Entry(0, 0, ""), 2: Entry(0, 1, "")},
        (1, 2),
    ),
    Case("a FAT of another type by an entry", (Shelf((Part((File(HERON),), type="linux"),)),), {1: E1}, (1,)),
    Case("a partition with a number of its own", (Shelf((Part((File(HERON),), number=5),)),), {1: E1}, (1,)),
    Case("only the path of the NT family's loader, and no entry", (Shelf((Part((File(NT_LOADER),)),)),)),
    Case("only a fallback for 32 bits, and no entry", (Shelf((Part((File(FALLBACK_32, wide=False),)),)),)),
)
OF_SIGNERS = (
    _secure(
        "a signer whom nothing vouches for: the next one", *STRANGE, entries={1: E1, 2: E2}, order=(1, 2), trusts=("test",)
    ),
    _secure("two signers are trusted", *STRANGE, entries={1: E1, 2: E2}, order=(1, 2), trusts=("test", "stranger")),
    _secure(
        "a trusted signer that is revoked: the next one",
        *STRANGE,
        entries={1: E1, 2: E2},
        order=(1, 2),
        trusts=("test", "stranger"),
        shunned=True,
    ),
    _secure(
        "an unsigned loader whose sum is trusted",
        Shelf((HALF,)),
        entries={1: E1},
        order=(1,),
        revoked=(1,),
        trusts=("test", "sum"),
    ),
    _secure("a signed loader that was changed afterwards: the next one", CHANGED, entries={1: E1, 2: E2}, order=(1, 2)),
    _secure(
        "changed afterwards, and its signer is trusted: the next one",
        CHANGED,
        entries={1: E1, 2: E2},
        order=(1, 2),
        trusts=("test",),
    ),
    _secure(
        "changed afterwards, and its sum is trusted",
        CHANGED,
        entries={1: E1, 2: E2},
        order=(1, 2),
        revoked=(1,),
        trusts=("test", "sum"),
    ),
)
CASES = (*CASES, *MORE, *OF_SIGNERS)
IN_CI = (2, 6, 11, 16, 23, 35, 39, 74, len(CASES) - 7, len(CASES) - 3)
"""With the demo's own disks they are the eleven that every run starts: places in ``CASES``."""
