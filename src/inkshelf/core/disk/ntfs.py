"""NTFS: size, use, state, and the end of what its own system cannot move.

Reads boot sector, some records of the master file table, root index and cluster bitmap; holes are never read. Source: layout headers 3.1 of the free drivers.
"""

from __future__ import annotations

from collections.abc import Iterator

from inkshelf.core.disk.counting import bits_set
from inkshelf.core.disk.filesystems import SLICES
from inkshelf.core.disk.source import ByteSource, Layout, exactly
from inkshelf.core.errors import FormatError
from inkshelf.core.size import align_up
from inkshelf.core.value import Value, replace

ATTRIBUTE_LIST = 0x20
MFT, MIRROR, LOG, VOLUME, ROOT, BITMAP = 0, 1, 2, 3, 5, 6
NAME_ATTR, VOLUME_NAME, VOLUME_INFO, DATA, INDEX_ROOT, INDEX_ALLOCATION = 0x30, 0x60, 0x70, 0x80, 0x90, 0xA0
BOOT = Layout(
    "NTFS boot sector",
    "<",
    mark=(3, "8s"),
    sector=(11, "H"),
    per_cluster=(13, "B"),
    hidden=(28, "I"),
    sectors=(40, "Q"),
    table=(48, "Q"),
    per_record=(64, "b"),
    serial=(72, "Q"),
)
BOOT_MARK = b"NTFS    "
RECORD = Layout(
    "NTFS file record",
    "<",
    mark=(0, "4s"),
    sequence_at=(4, "H"),
    sequence_count=(6, "H"),
    attributes_at=(20, "H"),
    flags=(22, "H"),
    used=(24, "I"),
)
PROTECTED = Layout("NTFS record", "<", mark=(0, "4s"), sequence_at=(4, "H"), sequence_count=(6, "H"))
ATTRIBUTE = Layout(
    "NTFS attribute",
    "<",
    kind=(0, "I"),
    length=(4, "I"),
    elsewhere=(8, "B"),
    name_length=(9, "B"),
    name_at=(10, "H"),
    flags=(12, "H"),
    identifier=(14, "H"),
)
RESIDENT = Layout("NTFS attribute", "<", length=(16, "I"), value_at=(20, "H"))
ELSEWHERE = Layout("NTFS attribute", "<", runs_at=(32, "H"), size=(48, "Q"), initialised=(56, "Q"))
LISTED = Layout(
    "NTFS attribute list", "<", kind=(0, "I"), length=(4, "H"), name_length=(6, "B"), name_at=(7, "B"), record=(16, "Q")
)
LISTED_BYTES = 26
INDEX = Layout("NTFS index", "<", first=(0, "I"), used=(4, "I"))
INDEX_ENTRY = Layout("NTFS index entry", "<", record=(0, "Q"), length=(8, "H"), key_length=(10, "H"), flags=(12, "H"))
INDEX_ROOT_AT, INDEX_BLOCK_AT, LAST_ENTRY = 16, 24, 2  # where an index stands in the attribute and in a block; a flag
NAME_LENGTH_AT, NAMESPACE_AT, NAME_AT = 64, 65, 66  # in a file name's value
SHORT_NAMES = 2  # the namespace of those with eight characters and an ending
VOLUME_FLAGS = Layout("NTFS volume information", "<", flags=(10, "H"))
NUMBER = 0xFFFFFFFFFFFF  # a reference holds a record's number in 48 bits, and how often it was used
DIRTY = 1
PACKED = 0x4001  # an attribute's contents are compressed, or encrypted
END_OF_ATTRIBUTES = 0xFFFFFFFF
SECTOR_ENDS = 512  # the update sequence keeps the last two bytes of each
CHUNK = 1 << 20


class Ntfs(Value, frozen=True):
    """Geometry of a volume, sizes in bytes, and where its file table runs are. ``sectors``: without the one behind them."""

    source: ByteSource
    sector: int
    cluster: int
    clusters: int
    record: int
    serial: int
    mft_runs: tuple[tuple[int, int], ...]
    hidden: int = 0
    sectors: int = 0


class Attribute(Value, frozen=True):
    """One attribute of a record: resident ``value``, or ``runs`` of (first cluster, count); -1 is a hole.

    ``initialised``: how many bytes of ``size`` were written, what is behind them reads as zeros. ``packed``: compressed or encrypted.
    """

    kind: int
    name: str
    value: bytes
    runs: tuple[tuple[int, int], ...]
    size: int
    initialised: int = 0
    packed: bool = False


def open_ntfs(source: ByteSource) -> Ntfs | None:
    """Return the geometry, or ``None`` where the boot sector is not NTFS."""
    head = source.read(0, 512)
    if len(head) < 512 or BOOT.of(head).mark != BOOT_MARK:
        return None
    own = BOOT.of(head)
    cluster = own.sector * (own.per_cluster if own.per_cluster <= 128 else 1 << (256 - own.per_cluster))
    if own.sector not in {512, 1024, 2048, 4096} or not 512 <= cluster <= 1 << 21 or not own.sectors:
        raise FormatError("The boot sector of an NTFS volume is damaged.", "Let its own system check it.")
    record = 1 << -own.per_record if own.per_record < 0 else own.per_record * cluster
    if not 256 <= record <= 1 << 16:
        raise FormatError("The boot sector of an NTFS volume is damaged (record size).", "Let its own system check it.")
    bare = Ntfs(
        source=source,
        sector=own.sector,
        cluster=cluster,
        clusters=own.sectors * own.sector // cluster,
        record=record,
        serial=own.serial,
        mft_runs=((own.table, 1 << 20),),
        hidden=own.hidden,
        sectors=own.sectors,
    )
    runs = next((one.runs for one in record_attributes(bare, MFT) if one.kind == DATA and not one.name), ())
    near = replace(bare, mft_runs=runs or bare.mft_runs)
    whole = next((one.runs for one in attributes(near, MFT) if one.kind == DATA and not one.name), ())
    return replace(near, mft_runs=whole or near.mft_runs)


def _locate(volume: Ntfs, number: int) -> int:
    offset = number * volume.record
    for first, count in volume.mft_runs:
        if offset < count * volume.cluster:
            return first * volume.cluster + offset
        offset -= count * volume.cluster
    raise FormatError(f"Record {number} is not in the file table.")


def record_bytes(volume: Ntfs, number: int) -> bytes:
    """Return one record of the file table with its sector ends restored (the update sequence)."""
    raw = bytearray(exactly(volume.source, _locate(volume, number), volume.record, f"file record {number}"))
    return _fixed(raw, b"FILE", f"file record {number}")


def _fixed(raw: bytearray, magic: bytes, what: str) -> bytes:
    if raw[:4] != magic:
        raise FormatError(f"{what}: not where it should be.")
    own = PROTECTED.of(raw)
    at, count = own.sequence_at, own.sequence_count
    if at + 2 * count > len(raw) or count < 1 or (count - 1) * SECTOR_ENDS > len(raw):
        raise FormatError(f"{what}: its update sequence is damaged.")
    for index in range(1, count):
        end = index * SECTOR_ENDS
        if raw[end - 2 : end] != raw[at : at + 2]:
            raise FormatError(f"{what}: it was being written when power failed.", "Let its own system check the volume.")
        raw[end - 2 : end] = raw[at + 2 * index : at + 2 * index + 2]
    return bytes(raw)


def protected(raw: bytearray) -> bytes:
    """Return a record with its update sequence put back, as it stands on the disk."""
    own = PROTECTED.of(raw)
    for index in range(1, own.sequence_count):
        end, kept = SECTOR_ENDS * index, own.sequence_at + 2 * index
        raw[kept : kept + 2] = raw[end - 2 : end]
        raw[end - 2 : end] = raw[own.sequence_at : own.sequence_at + 2]
    return bytes(raw)


def find_attribute(raw: bytes | bytearray, kind: int) -> int:
    """Return where the first attribute of a kind begins in a record; raises ``FormatError`` where there is none."""
    at = RECORD.of(raw).attributes_at
    while (own := ATTRIBUTE.of(raw, at)).kind != kind:
        if own.kind == END_OF_ATTRIBUTES or not own.length:
            raise FormatError(f"file record: it has no attribute {kind:#x}.")
        at += own.length
    return int(at)


def attributes(volume: Ntfs, number: int) -> list[Attribute]:
    """Return the attributes of a file; those that its attribute list places in other records are joined in order."""
    own = record_attributes(volume, number)
    listed = next((one for one in own if one.kind == ATTRIBUTE_LIST), None)
    if listed is None:
        return own
    joined: dict[tuple[int, str], Attribute] = {}
    for kind, name, record in _listed(_content(volume, listed)):
        parts = own if record == number else record_attributes(volume, record)
        part = next((one for one in parts if (one.kind, one.name) == (kind, name)), None)
        before = joined.get((kind, name))
        if part is None:
            continue
        joined[kind, name] = (
            part if before is None else replace(before, runs=before.runs + part.runs, size=max(before.size, part.size))
        )
    return list(joined.values())


def _content(volume: Ntfs, attribute: Attribute) -> bytes:
    """Return a small attribute's bytes, wherever they are."""
    if not attribute.runs:
        return attribute.value
    if attribute.size > CHUNK:
        raise FormatError("An attribute list of an NTFS volume is too long.", "Let its own system check the volume.")
    pieces = (
        exactly(volume.source, first * volume.cluster, count * volume.cluster, "attribute list")
        for first, count in attribute.runs
        if first >= 0
    )
    return b"".join(pieces)[: attribute.size]


def _listed(raw: bytes) -> Iterator[tuple[int, str, int]]:
    """Yield (kind, name, record) from an attribute list, each record once for each attribute, in its order."""
    at = 0
    seen: set[tuple[int, str, int]] = set()
    while at + LISTED_BYTES <= len(raw) and len(seen) < 4096:
        own = LISTED.of(raw, at)
        if own.length < LISTED_BYTES:
            return
        name = raw[at + own.name_at : at + own.name_at + 2 * own.name_length].decode("utf-16-le", "replace")
        entry = (own.kind, name, own.record & NUMBER)
        if entry not in seen:
            seen.add(entry)
            yield entry
        at += own.length


def record_attributes(volume: Ntfs, number: int) -> list[Attribute]:
    """Return the attributes that stand in one record itself."""
    raw = record_bytes(volume, number)
    at = RECORD.of(raw).attributes_at
    found = []
    while at + ATTRIBUTE.size <= len(raw):
        own = ATTRIBUTE.of(raw, at)
        if own.kind == END_OF_ATTRIBUTES:
            break
        if own.length < 24 or at + own.length > len(raw):
            raise FormatError(f"file record {number}: an attribute is longer than the record.")
        found.append(_attribute(raw[at : at + own.length], volume.clusters))
        at += own.length
    return found


def _attribute(raw: bytes, clusters: int) -> Attribute:
    own = ATTRIBUTE.of(raw)
    name = raw[own.name_at : own.name_at + 2 * own.name_length].decode("utf-16-le", "replace")
    if not own.elsewhere:
        value = RESIDENT.of(raw)
        return Attribute(own.kind, name, raw[value.value_at : value.value_at + value.length], (), value.length)
    stored = ELSEWHERE.of(raw)
    runs = tuple(_runs(raw[stored.runs_at :], clusters))
    return Attribute(own.kind, name, b"", runs, stored.size, stored.initialised, bool(own.flags & PACKED))


def _runs(raw: bytes, clusters: int) -> Iterator[tuple[int, int]]:
    at = place = 0
    while at < len(raw) and raw[at]:
        length_bytes, offset_bytes = raw[at] & 15, raw[at] >> 4
        end = at + 1 + length_bytes + offset_bytes
        if not 1 <= length_bytes <= 8 or offset_bytes > 8 or end > len(raw):
            raise FormatError("A run list of an NTFS record is damaged.", "Let its own system check the volume.")
        count = int.from_bytes(raw[at + 1 : at + 1 + length_bytes], "little")
        if offset_bytes:
            place += int.from_bytes(raw[at + 1 + length_bytes : end], "little", signed=True)
            if not (place >= 0 and place + count <= clusters):
                raise FormatError("A file of an NTFS volume lies beyond its end.", "Let its own system check the volume.")
        yield (place if offset_bytes else -1), count
        at = end


def root_names(volume: Ntfs) -> dict[str, int]:
    """Return the names in the root folder, lower case, with their record numbers."""
    return folder_names(volume, ROOT)


def folder_names(volume: Ntfs, record: int) -> dict[str, int]:
    """Return the names in a folder, lower case, with their record numbers; of a very large one only the first."""
    return {name.lower(): number for name, number, _ in folder_entries(volume, record)}


def folder_entries(volume: Ntfs, record: int) -> Iterator[tuple[str, int, bytes]]:
    """Yield the names in a folder as they are given, with their record numbers and file name attributes; of a very large one only the first."""
    for one in attributes(volume, record):
        if one.kind == INDEX_ROOT and one.name == "$I30" and len(one.value) >= 32:
            yield from _index(one.value, INDEX_ROOT_AT)
        elif one.kind == INDEX_ALLOCATION and one.name == "$I30":
            for first, count in one.runs:
                yield from _index_blocks(volume, first, min(count * volume.cluster, CHUNK))


def long_name(volume: Ntfs, record: int) -> str:
    """Return the name of a file as it was given, not the short one beside it; empty where it has none."""
    for one in attributes(volume, record):
        if one.kind == NAME_ATTR and len(one.value) >= NAME_AT and one.value[NAMESPACE_AT] != SHORT_NAMES:
            return one.value[NAME_AT : NAME_AT + 2 * one.value[NAME_LENGTH_AT]].decode("utf-16-le", "replace")
    return ""


def data_size(volume: Ntfs, record: int) -> int:
    """Return the bytes of a file's contents."""
    return next((one.size for one in attributes(volume, record) if one.kind == DATA and not one.name), 0)


def _index_blocks(volume: Ntfs, first: int, length: int) -> Iterator[tuple[str, int, bytes]]:
    raw = exactly(volume.source, first * volume.cluster, length, "root folder")
    for at in range(0, len(raw) - 4095, 4096):
        if raw[at : at + 4] == b"INDX":
            yield from _index(_fixed(bytearray(raw[at : at + 4096]), b"INDX", "root folder"), INDEX_BLOCK_AT)


def _index(raw: bytes, header_at: int) -> Iterator[tuple[str, int, bytes]]:
    header = INDEX.of(raw, header_at)
    at, end = header_at + header.first, min(header_at + header.used, len(raw))
    while at + 16 <= end:
        own = INDEX_ENTRY.of(raw, at)
        if own.flags & LAST_ENTRY or own.length < 16:
            break
        key = raw[at + 16 : at + 16 + own.key_length]
        if len(key) >= NAME_AT:
            name = key[NAME_AT : NAME_AT + 2 * key[NAME_LENGTH_AT]].decode("utf-16-le", "replace")
            yield name, own.record & NUMBER, key
        at += own.length


def bitmap_use(volume: Ntfs) -> tuple[int, int, tuple[int, ...]]:
    """Return used clusters, the cluster behind the last used one, and used clusters in each of ``SLICES`` slices."""
    data = next((one for one in attributes(volume, BITMAP) if one.kind == DATA and not one.name), None)
    if data is None:
        raise FormatError("The cluster bitmap of an NTFS volume is missing.", "Let its own system check the volume.")
    counts = [0] * SLICES
    position, end = 0, (0, b"")
    per_slice = max(8, align_up(-(-volume.clusters // SLICES), 8)) // 8
    for piece in _bitmap_pieces(volume, data):
        if piece is not None and _count_by_slice(piece, position, per_slice, counts):
            end = (position, piece)
        position += CHUNK if piece is None else len(piece)
    filled = end[1].rstrip(b"\0")
    last = (end[0] + len(filled) - 1) * 8 + filled[-1].bit_length() if filled else 0
    return sum(counts), min(last, volume.clusters), tuple(counts)


def _count_by_slice(bits: bytes, position: int, per_slice: int, counts: list[int]) -> bool:
    """Add the set bits of a piece of the bitmap to the slices that it lies in, and tell whether there are any; sizes in bytes of the bitmap."""
    at, before = 0, sum(counts)
    while at < len(bits):
        which = min((position + at) // per_slice, SLICES - 1)
        end = len(bits) if which == SLICES - 1 else min(len(bits), (which + 1) * per_slice - position)
        counts[which] += bits_set(bits[at:end])
        at = end
    return sum(counts) > before


def _bitmap_pieces(volume: Ntfs, data: Attribute) -> Iterator[bytes | None]:
    """Yield the bitmap in pieces of ``CHUNK`` bytes; bits behind the last cluster cleared; ``None`` is a hole of that length."""
    wanted = -(-volume.clusters // 8)
    if data.value:
        yield _masked(data.value[:wanted], volume.clusters)
        return
    done = 0
    for first, count in data.runs:
        start = first * volume.cluster
        length = min(count * volume.cluster, wanted - done)
        for at in range(start, start + length, CHUNK):
            step = min(CHUNK, start + length - at)
            hole = first < 0 or (step == CHUNK and next(volume.source.data_ranges(at, at + step), None) is None)
            done += step
            yield (
                None
                if hole
                else _masked(exactly(volume.source, at, step, "cluster bitmap"), volume.clusters - (done - step) * 8)
            )


def _masked(piece: bytes, clusters_left: int) -> bytes:
    if clusters_left >= len(piece) * 8:
        return piece
    keep, bits = divmod(max(0, clusters_left), 8)
    return piece[:keep] + (bytes([piece[keep] & (1 << bits) - 1]) if bits else b"")
