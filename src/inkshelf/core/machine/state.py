"""The one immutable state: a machine with its firmware, disks, volumes and what starting needs to know of them.

All places and sizes are exact bytes unless a name says sectors. Values are frozen and cheap to copy; a change makes a
new value. ``None`` means "not known", and is said so wherever it is shown.
"""

from collections.abc import Callable, Iterator
from typing import Literal, Self

from inkshelf.core.disk.contents import BootFile as BootFile
from inkshelf.core.disk.contents import DiskFile as DiskFile
from inkshelf.core.disk.contents import FileSystem as FileSystem
from inkshelf.core.disk.contents import Inside as Inside
from inkshelf.core.disk.contents import SystemRoot as SystemRoot
from inkshelf.core.size import MIB
from inkshelf.core.texts import Attributes, Call, Count, Guid, Key, Letter, LetterOrNone, Line, Signature, TypeId
from inkshelf.core.value import Value, field, replace

Role = Literal["startup", "reserved", "system", "data", "swap", "recovery", "medium", "container", "unknown"]
TableKind = Literal["gpt", "mbr", "none"]
SecureBoot = Literal["absent", "off", "on", "hidden"]
Backup = Literal["none", "made", "read back"]


class Told(Value, frozen=True):
    """One thing that a person said of a volume: a fact of ``machine.told.FACTS``, and its value as it was said."""

    fact: Key
    value: Line


class HeldImage(Value, frozen=True):
    """An image that lies as an ordinary file in a volume's root; those of a volume stand in the order of their folder, the oldest first."""

    path: Line
    size: Count


class AsRead(Value, frozen=True):
    """What was read of a volume, before a person said more of it."""

    role: Role
    filesystem: FileSystem | None = None
    holds: SystemRoot | None = None


class Volume(Value, frozen=True):
    """One partition: its place, type and contents. ``call`` is its call number, which never changes.

    ``disk_files``: files in it that are whole disks. ``images``: those of discs and disks that lie in its root.
    ``told``: what a person said of it, which the contents show; ``as_read``: what they were without that.
    """

    call: Call
    number: Count
    start: Count
    size: Count
    type_id: TypeId
    role: Role = "unknown"
    name: str = ""
    guid: Guid = ""
    attributes: Attributes = 0
    active: bool = False
    logical: bool = False
    filesystem: FileSystem | None = None
    boot_files: tuple[BootFile, ...] = ()
    holds: SystemRoot | None = None
    planned: bool = False
    told: tuple[Told, ...] = ()
    as_read: AsRead | None = None
    disk_files: tuple[DiskFile, ...] = ()
    images: tuple[HeldImage, ...] = ()

    @property
    def end(self) -> int:
        """The first byte behind the volume, from the start of the disk."""
        return self.start + self.size

    @property
    def used(self) -> int | None:
        """Bytes in use inside, or ``None`` where it is not known."""
        return self.filesystem.used_bytes if self.filesystem else None

    def boot_file(self, path: str) -> BootFile | None:
        """Return the file at ``path``, compared as FAT does, without regard to case."""
        wanted = path.lower()
        return next((file for file in self.boot_files if file.path.lower() == wanted), None)


def as_volume(host: Volume, file: DiskFile) -> Volume:
    """Return a system in a file as a volume of its own: no number and no GUID, its host's place, the size of the disk inside."""
    return Volume(
        call=file.call,
        number=0,
        start=host.start,
        size=file.size_bytes,
        type_id="",
        role="system",
        name=file.path,
        holds=file.holds,
        planned=file.planned,
    )


class Extended(Value, frozen=True):
    """The extended partition of an MBR: the stretch that logical volumes and their records live in. Bytes."""

    number: Count
    start: Count
    size: Count
    type_id: TypeId = "0x0F"

    @property
    def end(self) -> int:
        """The first byte behind it."""
        return self.start + self.size


class Table(Value, frozen=True):
    """A partition table as its header has it (UEFI specification 2.10, 5.3): LBAs in the disk's logical sectors.

    ``extended`` belongs to an MBR only; ``fault`` says in words what is wrong with the table or a copy of it. ``protective``: whether sector 0 of a GPT disk says that the disk
    is taken. ``boot_code``: whether there is code
    before the records of sector 0 (``None``: not known), ``code_of``: whose, where that is known;
    ``core_lba``: where the Linux family's looks for its core (an LBA; ``None``: not known, or another's code). ``entries_lba`` and
    ``backup_entries_lba``: where the entries of each copy lie (0: right before the backup header).
    """

    kind: TableKind = "none"
    guid: Guid = ""
    signature: Signature = ""
    first_usable: Count = 0
    last_usable: Count = 0
    entry_count: Count = 128
    entry_bytes: Count = 128
    backup_lba: Count = 0
    primary_ok: bool = True
    backup_ok: bool = True
    fault: Line = ""
    hybrid: bool = False
    extended: Extended | None = None
    boot_code: bool | None = None
    code_of: Literal["", "nt", "linux"] = ""
    core_lba: Count | None = None
    protective: bool = True
    entries_lba: Count = 2
    backup_entries_lba: Count = 0


class Gap(Value, frozen=True):
    """A stretch of a disk that belongs to no volume, in bytes; ``logical``: it lies inside the extended partition."""

    start: int
    size: int
    logical: bool = False

    @property
    def end(self) -> int:
        """The first byte behind the gap."""
        return self.start + self.size


def _between(start: int, end: int, taken: list[tuple[int, int]], least: int) -> Iterator[Gap]:
    """Yield what lies between ``start`` and ``end`` and is not taken."""
    at = start
    for low, high in sorted(taken):
        if low - at >= least:
            yield Gap(at, low - at)
        at = max(at, high)
    if end - at >= least:
        yield Gap(at, end - at)


class StickFacts(Value, frozen=True):
    """What is known of a stick beside its disk. ``port``: where it sits; bytes a second, measured (0: not yet) in large and in small pieces.

    ``slows_after``: bytes after which it became slower when it was measured, to ``slow`` bytes a second (0: it did not). ``real_size``:
    bytes that it really holds (0: not tried).
    """

    port: Literal["", "usb2", "usb3"] = ""
    writes: Count = 0
    small: Count = 0
    slows_after: Count = 0
    slow: Count = 0
    real_size: Count = 0


SECTORS = (512, 1024, 2048, 4096)
"""Logical sectors that disks have, in bytes."""


class Disk(Value, frozen=True):
    """One disk: who it is, its table, its volumes in order of their place.

    ``sector`` is what its table was made at; ``shown_sector`` what the disk shows, where that is known to differ. ``rotational``: whether
    platters turn in it (``None``: not known). ``failing``: it reports errors of its own. ``stick``: it is one that is prepared here, for a machine.
    """

    id: Letter
    size: Count
    sector: Count = 512
    physical_sector: Count = 4096
    model: Line = ""
    serial: Line = ""
    transport: Line = ""
    removable: bool = False
    rotational: bool | None = None
    device: Line = ""
    table: Table = field(default_factory=Table)
    volumes: tuple[Volume, ...] = ()
    shown_sector: Count = 0
    failing: bool | None = None
    stick: StickFacts | None = None

    @property
    def usable_start(self) -> int:
        """First byte a volume may take: the header's first usable LBA, at least 1 MiB."""
        return max(MIB, self.table.first_usable * self.sector)

    @property
    def usable_end(self) -> int:
        """First byte behind the last one a volume may take."""
        if self.table.kind == "gpt":
            return (self.table.last_usable + 1) * self.sector
        return min(self.size, (1 << 32) * self.sector) if self.table.kind == "mbr" else self.size

    def gaps(self, least: int = MIB) -> tuple[Gap, ...]:
        """Return the stretches of at least ``least`` bytes that no volume holds, in order.

        Those inside an extended partition stand for themselves: only logical volumes can be made there, 1 MiB behind the gap's start.
        """
        inside = self.table.extended
        taken = [(one.start, one.end) for one in self.volumes if not (inside and one.logical)]
        if inside is None:
            return tuple(_between(self.usable_start, self.usable_end, taken, least))
        logical = [(one.start, one.end) for one in self.volumes if one.logical]
        found = [
            *_between(self.usable_start, self.usable_end, [*taken, (inside.start, inside.end)], least),
            *(
                replace(gap, logical=True)
                for gap in _between(inside.start, inside.end, logical, least + (MIB if least >= MIB else 0))
            ),
        ]
        return tuple(sorted(found, key=lambda one: one.start))

    def identity(self) -> str:
        """Size, model and serial in words: how a person recognises the disk."""
        from inkshelf.core.size import decimal

        named = [self.model or "model not known", f"serial {self.serial}" if self.serial else "serial not known"]
        return " · ".join([decimal(self.size), *named])


Leads = Literal["partition", "file", "device", "firmware", "legacy", "network", "usb", "unknown"]


class BootEntry(Value, frozen=True):
    """A Boot#### variable (UEFI specification 2.10, 3.1): partition by number, GUID, start and size; a file, or a device only.

    ``leads``: what its path names; ``signature``: of the disk, where a partition of an MBR is meant; ``device``: the path as it was captured;
    ``path``: the file as it stands there, nothing mended; ``application``: of the category that a key starts, not the order.
    """

    number: Count
    title: Line
    disk: LetterOrNone = ""
    partition_number: Count = 0
    partition_guid: Guid = ""
    start_lba: Count = 0
    size_lba: Count = 0
    path: Line = ""
    active: bool = True
    hidden: bool = False
    automatic: bool = False
    leads: Leads = "partition"
    signature: Signature = ""
    device: Line = ""
    application: bool = False

    @property
    def variable(self) -> str:
        """The variable's name, for example ``Boot0003``."""
        return f"Boot{self.number:04X}"


class KeyList(Value, frozen=True):
    """What one of Secure Boot's variables holds: names of certificates, sums of programs (SHA-256, hexadecimal), how many entries of other types.

    ``marks``: of its certificates, sums in hexadecimal of each one and of its subject's name, which signers are looked for by.
    """

    name: Literal["PK", "KEK", "db", "dbx"]
    certificates: tuple[Line, ...] = ()
    sums: tuple[Line, ...] = ()
    others: Count = 0
    marks: tuple[Line, ...] = ()


class Firmware(Value, frozen=True):
    """Firmware mode, switches and boot variables; ``entries_known`` is false where they were not captured but inferred.

    ``timeout``: seconds that its own menu waits (``None``: not known). ``keys``: what Secure Boot goes by, where it was captured.
    ``listed``: entries in their order as a system listed them, whose numbers and partitions nobody knows.
    """

    mode: Literal["uefi", "legacy"] | None = None
    secure_boot: SecureBoot | None = None
    entries: tuple[BootEntry, ...] = ()
    order: tuple[Count, ...] = ()
    next: Count | None = None
    entries_known: bool = False
    timeout: Count | None = None
    keys: tuple[KeyList, ...] = ()
    listed: tuple[BootEntry, ...] = ()

    @property
    def revoked(self) -> frozenset[str]:
        """The sums of programs that it starts no more."""
        return frozenset(one for held in self.keys if held.name == "dbx" for one in held.sums)

    def marks(self, name: str) -> frozenset[str]:
        """What the certificates of one of its lists are known by."""
        return frozenset(one for held in self.keys if held.name == name for one in held.marks)

    def entry(self, number: int) -> BootEntry | None:
        """Return the entry of that number."""
        return next((one for one in self.entries if one.number == number), None)


class Conditions(Value, frozen=True):
    """What people must know or do around the work; ``None`` is "not known yet". ``machine.asked`` has the words for each.

    ``least_generation``: of a first stage that the firmware still starts. ``known_paths_only``, ``no_fixed_fallback``, ``nt_first_again``,
    ``type_insisted``: ways in which a board's firmware is known to differ from the one whose rules are simulated.
    """

    mains: bool | None = None
    backup: Backup | None = None
    consent: bool | None = None
    encrypted: bool | None = None
    recovery_key: bool | None = None
    fast_boot: bool | None = None
    external_start: bool | None = None
    two_ports: bool | None = None
    update_pending: bool | None = None
    least_generation: Count | None = None
    firmware_password: Literal["none", "noted", "missing"] | None = None
    licence: bool | None = None
    cpu_bits: Count | None = None
    case_open: bool | None = None
    battery_swollen: bool | None = None
    known_paths_only: bool | None = None
    no_fixed_fallback: bool | None = None
    nt_first_again: bool | None = None
    type_insisted: bool | None = None


class Machine(Value, frozen=True):
    """A whole machine at one moment. ``board``: the model by which the machine, or its board, names itself (empty: not known)."""

    firmware: Firmware = field(default_factory=Firmware)
    disks: tuple[Disk, ...] = ()
    ram_bytes: Count | None = None
    conditions: Conditions = field(default_factory=Conditions)
    board: Line = ""

    def volumes(self) -> Iterator[tuple[Disk, Volume]]:
        """Yield every volume with its disk."""
        for disk in self.disks:
            for volume in disk.volumes:
                yield disk, volume

    def find(self, call: str) -> tuple[Disk, Volume] | None:
        """Return the disk and volume of a call number."""
        return next(((disk, volume) for disk, volume in self.volumes() if volume.call == call), None)

    def system(self, call: str) -> tuple[Disk, Volume] | None:
        """Return the disk and volume of a system's call number; one in a file is shown as a volume without a number, where its host lies."""
        for disk, volume in self.volumes():
            if volume.call == call:
                return disk, volume
            for file in volume.disk_files:
                if file.call == call:
                    return disk, as_volume(volume, file)
        return None

    def calls(self) -> tuple[str, ...]:
        """Return every call number that is given away: those of volumes, and of systems in files."""
        return tuple(
            one for _, volume in self.volumes() for one in (volume.call, *(file.call for file in volume.disk_files)) if one
        )

    def disk(self, disk_id: str) -> Disk:
        """Return the disk of that letter; ``KeyError`` if there is none."""
        for disk in self.disks:
            if disk.id == disk_id:
                return disk
        raise KeyError(disk_id)

    def with_disk(self, changed: Disk) -> Self:
        """Return the machine with ``changed`` in the place of the disk of the same letter."""
        return replace(self, disks=tuple(changed if disk.id == changed.id else disk for disk in self.disks))

    def with_volume(self, call: str, change: Callable[[Volume], Volume]) -> Self:
        """Return the machine with one volume changed; volumes stay in order of their place."""
        disks = []
        for disk in self.disks:
            if any(volume.call == call for volume in disk.volumes):
                volumes = (change(volume) if volume.call == call else volume for volume in disk.volumes)
                disk = replace(disk, volumes=tuple(sorted(volumes, key=lambda one: one.start)))  # noqa: PLW2901
            disks.append(disk)
        return replace(self, disks=tuple(disks))
