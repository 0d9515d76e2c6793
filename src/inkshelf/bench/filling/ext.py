"""Files into ext, by its own utility's script."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterable
from pathlib import Path

from inkshelf.bench import tools
from inkshelf.bench.filling.plan import whole
from inkshelf.bench.image import ImageFile
from inkshelf.core.disk import ext
from inkshelf.core.errors import BenchError
from inkshelf.core.media.copying import File


def put_files(path: Path, files: Iterable[File], source: ImageFile) -> None:
    """Write files into the ext volume that ``path`` holds, with their times; folders are made."""
    wanted = list(files)
    barred = next((one.path for one in wanted if '"' in one.path or "\n" in one.path), "")
    if barred:
        raise BenchError(f"{barred} is a name that the utility does not take.", "Choose FAT32 or exFAT for this image.")
    folders = {str(one) for file in wanted for one in Path(file.path).parents if str(one) != "/"}
    folders |= {file.path for file in wanted if file.folder}
    wanted = [one for one in wanted if not one.folder]
    with ImageFile(path) as image:
        volume = ext.open_ext(image)
        folders -= {one for one in folders if volume is not None and ext.lookup(volume, one) is not None}
    with tempfile.TemporaryDirectory(dir=path.parent) as scratch:
        lines = [f'mkdir "{folder}"' for folder in sorted(folders)]
        for number, one in enumerate(wanted):
            local = Path(scratch) / str(number)
            whole(one, source, local)
            os.utime(local, (one.time, one.time))
            lines.append(f'write {number} "{one.path}"')
        (Path(scratch) / "script").write_text("\n".join(lines) + "\n")
        said = tools.run("debugfs", "-w", "-f", "script", path.resolve(), folder=Path(scratch)).output
    if "Could not allocate" in said or "No free space" in said:
        raise BenchError("The files do not fit.", "Take a larger stick, or leave an image out.")
