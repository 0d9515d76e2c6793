"""How sticks are made on the bench: images written as they are, their files copied, images put beside each other; and how that is proved."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from inkshelf.bench.filling import writing
from inkshelf.bench.filling.plan import Filled
from inkshelf.bench.filling.reading import digest_of
from inkshelf.bench.hands import HAND, Hands
from inkshelf.bench.hashing import digest
from inkshelf.bench.image import ImageFile, refuse_in_use
from inkshelf.bench.kinds import TOOLS, ext, tools_of
from inkshelf.bench.opening import make_folder, open_own
from inkshelf.bench.outside import between, table_places
from inkshelf.bench.sparse import PIECE, copy_some, punch
from inkshelf.core.disk.probe import probe
from inkshelf.core.disk.source import Slice
from inkshelf.core.errors import BenchError, FormatError
from inkshelf.core.machine.state import Disk, Volume
from inkshelf.core.media.copying import File, wanted
from inkshelf.core.media.image import read_image
from inkshelf.core.media.material import Image
from inkshelf.core.size import MIB, binary
from inkshelf.core.steps.kinds import CopyFiles, Format, KeepFile, NewTable, PutImage, Step, TakeOff, WriteImage
from inkshelf.core.value import replace

Fills = CopyFiles | PutImage


@contextmanager
def opened(image: Image) -> Iterator[ImageFile]:
    """Open the file of an image that a plan was made with; raises ``BenchError`` where it is another one by now."""
    if not image.path:
        raise BenchError(f"{image.name} is not here as a file yet.", "Name the file in its place, then ink.")
    path = Path(image.path)
    refuse_in_use(path)
    with ImageFile(path) as source:
        now = read_image(source, image.name)
        if now != replace(image, path="", checked="", told=False):
            raise BenchError(f"{path} has changed since it was looked into.", "Look into it again, so that the plan fits it.")
        yield source


def write_image(step: WriteImage, hands: Hands, before: Disk) -> None:
    """Write an image to the start of a stick, holes as zeros; a table's copy at the stick's end goes."""
    fd = hands.fds[step.disk]
    with opened(step.image) as source:
        hands.expect(fd, source.size)
        at = 0
        for low, high in [*source.data_ranges(0, source.size), (source.size, source.size)]:
            punch(fd, at, low - at)
            hands.wrote(fd, low - at)  # a stick is written zeros
            while low < high:
                done = copy_some(source.fileno(), fd, low, min(PIECE, high - low), low)
                low += done  # noqa: PLW2901
                hands.written.image += done
                hands.wrote(fd, done)
                hands.carried(done)
            at = high
    punch(fd, before.size - MIB, MIB)
    hands.flush(fd)


def put(step: Fills, hands: Hands, disk: Disk, volume: Volume, fd: int) -> None:
    """Put an image, or its files, into a volume."""
    tools = tools_of(volume.filesystem.kind if volume.filesystem else "")
    with opened(step.image) as source:
        if tools.reckon is not None:
            reckon = tools.reckon

            def where() -> Filled:
                with ImageFile(hands.bench.image(disk.id)) as stick:
                    return reckon(Slice(stick, volume.start, volume.size), files_of(step, source))

            writing.fill(hands, volume, fd, source.fileno(), where)
        elif tools.put_files is not None:
            work = tools.put_files
            hands.hand(volume, fd, lambda path: work(path, files_of(step, source), source))
        else:
            raise BenchError(f"Nothing can be put into {step.call} on the bench.", "Choose exFAT for the volume.")


def keep_file(step: KeepFile, hands: Hands, disk: Disk, volume: Volume, fd: int) -> None:
    """Make an ext4 in a file beside the image, and put that onto the stick: what of it is zeros is not carried."""
    tools = tools_of(volume.filesystem.kind if volume.filesystem else "")
    if tools.reckon is None:
        raise BenchError(f"No such file can be put into {step.call} on the bench.", "Choose a partition for what is kept.")
    reckon = tools.reckon
    if writing.begun(hands):
        writing.fill(
            hands, volume, fd, -1, lambda: Filled((), ())
        )  # what was kept is written once more; making the file anew would take it away
        return
    make_folder(hands.bench.folder, HAND)
    made = hands.bench.folder / HAND / "kept"
    os.close(open_own(made.parent, made.name, fresh=True))
    os.truncate(made, step.size)
    whole = Volume("D1", 1, 0, step.size, "")
    ext.make(made, disk, whole, Format("D1", "ext4", step.label, step.uuid))
    if step.inside_path:
        ext.put(made, {step.inside_path: f"{step.line}\n".encode()})
    with ImageFile(made) as source:

        def where() -> Filled:
            with ImageFile(hands.bench.image(disk.id)) as stick:
                return reckon(Slice(stick, volume.start, volume.size), [File(step.path, step.size, ((0, step.size),))])

        writing.fill(hands, volume, fd, source.fileno(), where)


def take_off(step: TakeOff, hands: Hands, disk: Disk, volume: Volume, fd: int) -> None:
    """Take an image off a volume: its name and its clusters become free."""
    tools = tools_of(volume.filesystem.kind if volume.filesystem else "")
    if tools.remove_file is not None:
        remove = tools.remove_file
        hands.hand(volume, fd, lambda path: remove(path, step.path))
        return
    if tools.take_off is None:
        raise BenchError(f"Nothing can be taken off {step.call} on the bench.", "Do it in the system that it is plugged in.")
    work = tools.take_off

    def where() -> Filled:
        with ImageFile(hands.bench.image(disk.id)) as stick:
            return work(Slice(stick, volume.start, volume.size), step.path)

    writing.fill(hands, volume, fd, -1, where)


def files_of(step: Fills, source: ImageFile) -> Iterator[File]:
    """Yield what a step puts into its volume."""
    if isinstance(step, PutImage):
        yield File(step.path, source.size, ((0, source.size),))
    else:
        yield from wanted(source, step.image, step.tops, part=step.part, keeps=step.keeps)


def checks(
    steps: tuple[Step, ...], find: Callable[[str], tuple[Disk, Volume] | None], images: dict[str, Path]
) -> Iterator[tuple[str, bool, str]]:
    """Yield what was compared of the sticks, as (what, whether it agrees, what was seen); ``images``: the bench's, by letter."""
    for number, step in enumerate(steps):
        if isinstance(step, WriteImage):
            if any(isinstance(one, NewTable | WriteImage) and one.disk == step.disk for one in steps[number + 1 :]):
                continue  # a later step gave up all of it
            yield _written(step, images[step.disk], touched=any(_on(one, step) for one in steps[number + 1 :]))
        elif isinstance(step, KeepFile) and (held := find(step.call)) is not None:
            yield _kept(step, held[1], images[held[0].id])
        elif isinstance(step, Fills):
            place = find(step.call)
            if place is None:
                continue  # a later step gave the volume up
            if not _gone(step, steps[number + 1 :]):
                yield _copied(step, place[1], images[place[0].id])


def _kept(step: KeepFile, volume: Volume, path: Path) -> tuple[str, bool, str]:
    """The file is there at its size, and an ext4 of that label is in it."""
    what = f"{step.call}: {step.path}"
    tools = TOOLS.get(volume.filesystem.kind) if volume.filesystem else None
    if tools is None or tools.files is None:
        return what, False, "there is no way to read its files back"
    with ImageFile(path) as stick:
        inside = Slice(stick, volume.start, volume.size)
        held = next((one for one in tools.files(inside) if one.path.lower() == step.path.lower()), None)
        if held is None or held.size != step.size or not held.runs:
            return what, False, "not there at its size"
        seen = probe(Slice(inside, held.runs[0][1], held.runs[0][2])) if len(held.runs) == 1 else None
    system = seen.filesystem if seen else None
    good = len(held.runs) > 1 or bool(system and system.label == step.label and system.uuid == step.uuid)
    said = f"{binary(step.size)}" + (f", an ext4 “{step.label}” in it" if system else ", in pieces: not looked into")
    return what, good, said if good else "holds another file system"


def _gone(step: Fills, later: tuple[Step, ...]) -> bool:
    """Whether a later step takes off again what was put there."""
    return isinstance(step, PutImage) and any(
        isinstance(one, TakeOff) and (one.call, one.path) == (step.call, step.path) for one in later
    )


def _on(later: Step, step: WriteImage) -> bool:
    """Whether a later step writes on the same stick."""
    return later.writes in {"table", "inside"} and (
        getattr(later, "disk", "") == step.disk or bool(set(later.inside()) & set(step.calls))
    )


def _written(step: WriteImage, path: Path, *, touched: bool) -> tuple[str, bool, str]:
    """Every byte of the image, or all but its tables where later steps changed those."""
    what = f"disk {step.disk}: {step.image.name}, byte by byte"
    with opened(step.image) as source, ImageFile(path) as stick:
        taken = table_places(step.image.as_disk) if touched and step.image.as_disk else ()
        ranges = between(sorted(taken), source.size)
        same = all(digest(source, low, high) == digest(stick, low, high) for low, high in ranges)
    said = f"{binary(step.image.size)} read back, and the same" + (" but for the table, which was changed" if touched else "")
    return what, same, said if same else "differs from the image"


def _copied(step: Fills, volume: Volume, path: Path) -> tuple[str, bool, str]:
    what = f"{step.call}: {step.image.name}, file by file"
    tools = TOOLS.get(volume.filesystem.kind) if volume.filesystem else None
    if tools is None or tools.files is None:
        return what, False, "there is no way to read its files back"
    with opened(step.image) as source, ImageFile(path) as stick:
        inside = Slice(stick, volume.start, volume.size)
        try:
            there = {one.path.lower(): one for one in tools.files(inside)}
        except FormatError as error:
            return what, False, f"could not be read back: {error.what}"
        count = size = 0
        for one in files_of(step, source):
            held = there.get(one.path.lower())
            if held is not None and held.folder and one.folder:
                continue
            if (
                held is None
                or held.folder != one.folder
                or held.size != one.size
                or held.digest(inside) != digest_of(one, source)
            ):
                return what, False, f"{one.path} is {'not there' if held is None else 'another one'}"
            count, size = count + 1, size + one.size
    return what, True, f"{count} file{'s' if count != 1 else ''}, {binary(size)}, read back by hash"
