"""Make the bytes of tools/stand_in.c and tools/start_code.s, which the bench puts into programs and sectors: src/inkshelf/bench/stand_in_code.py. Needs gcc and binutils.

python tools/stand_in.py
"""

from __future__ import annotations

import base64
import hashlib
import subprocess
import sys
import tempfile
import zlib
from pathlib import Path

HERE = Path(__file__).parent
SOURCE, SECTORS, MADE = HERE / "stand_in.c", HERE / "start_code.s", HERE.parent / "src/inkshelf/bench/stand_in_code.py"
LAYOUT = (
    "SECTIONS { . = 0; .all : { *(.begin) *(.text*) *(.rodata*) *(.data*) *(.bss*) . = ALIGN(16); parameters = .; } "
    "/DISCARD/ : { *(.eh_frame*) *(.comment) *(.note*) *(.dyn*) *(.hash) *(.gnu*) *(.interp) } }"
)
FLAGS = (
    *("-Os", "-ffreestanding", "-fpie", "-fno-builtin", "-fno-stack-protector", "-fno-jump-tables", "-fcf-protection=none"),
    *("-fno-asynchronous-unwind-tables", "-mno-red-zone", "-mno-sse", "-mgeneral-regs-only", "-Wall", "-Wextra", "-Werror"),
)
SIDES = ("linux", "nt", "started")  # as the source counts them
HEAD = '''"""What stand-ins for loaders do, as bytes made by tools/stand_in.py from tools/stand_in.c (x86-64) and start_code.s; run wherever they are put."""

from __future__ import annotations

import base64
import zlib

SOURCE = "{digest}"
"""SHA-256 of the sources that it was made from, one behind the other."""
MAGIC = {magic}
"""What starts from a first sector bears it, at 0x58."""
SECTOR_CODE = {{
{sectors}}}
"""For a BIOS (16 bits), by whose first sector it is; ``started``: of what that one reads and starts."""
CODE = zlib.decompress(
    base64.b85decode(
'''


MAGIC = 0x4B534B49


def _sector(folder: Path, side: int) -> bytes:
    """Assemble the code of one side."""
    made = folder / f"sector-{side}"
    words = ("--defsym", f"SIDE={side}", "--defsym", f"MAGIC={MAGIC}")
    subprocess.run(["as", "--32", *words, "-o", f"{made}.o", SECTORS], check=True)
    subprocess.run(["objcopy", "-O", "binary", "-j", ".text", f"{made}.o", made], check=True)
    return made.read_bytes()


def main() -> int:
    """Make it; status 1 where something would have to be put right when it is loaded."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "layout").write_text(LAYOUT)
        subprocess.run(["gcc", *FLAGS, "-c", SOURCE, "-o", folder / "one.o"], check=True)
        link = ["ld", "-pie", "--no-dynamic-linker", "--no-warn-rwx-segments", "-T", folder / "layout"]
        subprocess.run([*link, folder / "one.o", "-o", folder / "one"], check=True)
        moved = subprocess.run(["readelf", "-r", folder / "one"], check=True, capture_output=True, text=True).stdout
        if "no relocations" not in moved:
            print(moved, file=sys.stderr)
            return 1
        subprocess.run(["objcopy", "-O", "binary", "-j", ".all", folder / "one", folder / "code"], check=True)
        code = (folder / "code").read_bytes()
        packed = (base64.b85encode(zlib.compress(_sector(folder, number), 9)).decode() for number in range(len(SIDES)))
        sectors = "".join(
            f'    "{side}": zlib.decompress(\n        base64.b85decode(b"{one}")\n    ),\n'
            for side, one in zip(SIDES, packed, strict=True)
        )
    text = base64.b85encode(zlib.compress(code, 9)).decode()
    lines = "".join(f'        b"{text[at : at + 120]}"\n' for at in range(0, len(text), 120))
    digest = hashlib.sha256(SOURCE.read_bytes() + SECTORS.read_bytes()).hexdigest()
    MADE.write_text(HEAD.format(digest=digest, magic=f"0x{MAGIC:x}", sectors=sectors) + lines + "    )\n)\n")
    print(f"{len(code)} bytes")
    return 0


if __name__ == "__main__":
    sys.exit(main())
