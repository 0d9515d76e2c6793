"""Walk the files of an NTFS volume: record, size and where the contents lie. For proving that nothing was lost."""

from __future__ import annotations

from collections.abc import Iterator

from inkshelf.core.disk.ntfs import DATA, RECORD, Ntfs, attributes, record_bytes
from inkshelf.core.errors import FormatError
from inkshelf.core.value import Value

FIRST_OWN = 16  # records 0 to 15 are the file system's own
IN_USE, FOLDER = 1, 2


class NtfsFile(Value, frozen=True):
    """One stream of a file: ``runs`` of (first byte, length, from the volume's start; -1 is a hole), or a resident ``value``."""

    record: int
    stream: str
    size: int
    value: bytes
    runs: tuple[tuple[int, int], ...]


def files(volume: Ntfs) -> Iterator[NtfsFile]:
    """Yield every data stream of every file that belongs to people or programs, in order of the file table."""
    total = sum(count for _, count in volume.mft_runs) * volume.cluster // volume.record
    for number in range(FIRST_OWN, total):
        try:
            raw = record_bytes(volume, number)
        except FormatError:
            continue  # a record that was never used
        flags = RECORD.of(raw).flags
        if flags & IN_USE and not flags & FOLDER:
            for one in attributes(volume, number):
                if one.kind == DATA:
                    runs = tuple(
                        (first * volume.cluster if first >= 0 else -1, count * volume.cluster) for first, count in one.runs
                    )
                    yield NtfsFile(number, one.name, one.size, one.value, runs)
