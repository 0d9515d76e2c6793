"""Walk the files of an NTFS volume: record, size and where the contents lie. For proving that nothing was lost."""

from __future__ import annotations

from collections.abc import Iterator

from inkshelf.core.disk.ntfs import DATA, NAME_ATTR, RECORD, ROOT, Ntfs, attributes, folder_names, record_bytes
from inkshelf.core.disk.source import exactly
from inkshelf.core.errors import FormatError
from inkshelf.core.value import Value

FIRST_OWN = 16  # records 0 to 15 are the file system's own
IN_USE, FOLDER = 1, 2
FOLDER_OF, NAME_AT = 8, 64  # of a file's name: the folder's record, then times and sizes, then the name with its length


class NtfsFile(Value, frozen=True):
    """One stream of a file: ``runs`` of (first byte, length, from the volume's start; -1 is a hole), or a resident ``value``.

    ``names``: what it is called, and in which folder, as its own record says; without the times and sizes that stand beside them.
    """

    record: int
    stream: str
    size: int
    value: bytes
    runs: tuple[tuple[int, int], ...]
    names: bytes = b""


def files(volume: Ntfs) -> Iterator[NtfsFile]:
    """Yield every data stream of every file and folder that belongs to people or programs, in order of the file table.

    A folder's own is empty: what it holds is in the records of its files, which name it.
    """
    total = sum(count for _, count in volume.mft_runs) * volume.cluster // volume.record
    for number in range(FIRST_OWN, total):
        try:
            raw = record_bytes(volume, number)
        except FormatError:
            continue  # a record that was never used
        flags = RECORD.of(raw).flags
        if not flags & IN_USE:
            continue
        held = attributes(volume, number)
        names = b"".join(sorted(one.value[:FOLDER_OF] + one.value[NAME_AT:] for one in held if one.kind == NAME_ATTR))
        if flags & FOLDER:
            yield NtfsFile(number, "", 0, b"", (), names)
        for one in held:
            if one.kind == DATA:
                runs = tuple(
                    (first * volume.cluster if first >= 0 else -1, count * volume.cluster) for first, count in one.runs
                )
                yield NtfsFile(number, one.name, one.size, one.value, runs, names)


def lookup(volume: Ntfs, path: str) -> int | None:
    """Return the record of the file at ``path`` (with backslashes, from the root; case does not matter), or ``None``."""
    record = ROOT
    for name in path.strip("\\").lower().split("\\"):
        found = folder_names(volume, record).get(name)
        if found is None:
            return None
        record = found
    return record


class Stream(Value, frozen=True):
    """A file's contents as a source: stretches of the volume, zeros where nothing was written."""

    volume: Ntfs
    size: int
    initialised: int
    runs: tuple[tuple[int, int, int], ...]

    def read(self, offset: int, length: int) -> bytes:
        """Return bytes of the file; never beyond its end."""
        length = max(0, min(length, self.size - offset))
        out = bytearray(length)
        end = min(offset + length, self.initialised)
        for at, place, count in self.runs:
            low, high = max(at, offset), min(at + count, end)
            if high > low and place >= 0:
                out[low - offset : high - offset] = exactly(self.volume.source, place + low - at, high - low, "file")
        return bytes(out)

    def data_ranges(self, start: int, end: int) -> Iterator[tuple[int, int]]:
        """Yield the stretches that were written, and are no holes of the volume's own image."""
        end = min(end, self.initialised)
        for at, place, count in self.runs:
            low, high = max(at, start), min(at + count, end)
            if high > low and place >= 0:
                for first, last in self.volume.source.data_ranges(place + low - at, place + high - at):
                    yield first - place + at, last - place + at


def stream(volume: Ntfs, record: int) -> Stream | None:
    """Return the contents of a file that lie in clusters of the volume; ``None`` where they are elsewhere, packed or encrypted."""
    data = next((one for one in attributes(volume, record) if one.kind == DATA and not one.name), None)
    if data is None or data.packed or not data.runs:
        return None
    at, runs = 0, []
    for first, count in data.runs:
        runs.append((at, first * volume.cluster if first >= 0 else -1, count * volume.cluster))
        at += count * volume.cluster
    return Stream(volume, data.size, min(data.initialised, data.size), tuple(runs))
