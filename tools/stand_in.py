"""Make the bytes of tools/stand_in.c, which the bench puts into programs: src/inkshelf/bench/stand_in_code.py. Needs gcc and binutils.

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
SOURCE, MADE = HERE / "stand_in.c", HERE.parent / "src/inkshelf/bench/stand_in_code.py"
LAYOUT = (
    "SECTIONS { . = 0; .all : { *(.begin) *(.text*) *(.rodata*) *(.data*) *(.bss*) . = ALIGN(16); parameters = .; } "
    "/DISCARD/ : { *(.eh_frame*) *(.comment) *(.note*) *(.dyn*) *(.hash) *(.gnu*) *(.interp) } }"
)
FLAGS = (
    *("-Os", "-ffreestanding", "-fpie", "-fno-builtin", "-fno-stack-protector", "-fno-jump-tables", "-fcf-protection=none"),
    *("-fno-asynchronous-unwind-tables", "-mno-red-zone", "-mno-sse", "-mgeneral-regs-only", "-Wall", "-Wextra", "-Werror"),
)
HEAD = '''"""What stand-ins for loaders do, as bytes made by tools/stand_in.py from tools/stand_in.c; x86-64, runs wherever it is put."""

from __future__ import annotations

import base64
import zlib

SOURCE = "{digest}"
"""SHA-256 of the source that it was made from."""
CODE = zlib.decompress(
    base64.b85decode(
'''


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
    text = base64.b85encode(zlib.compress(code, 9)).decode()
    lines = "".join(f'        b"{text[at : at + 120]}"\n' for at in range(0, len(text), 120))
    digest = hashlib.sha256(SOURCE.read_bytes()).hexdigest()
    MADE.write_text(HEAD.format(digest=digest) + lines + "    )\n)\n")
    print(f"{len(code)} bytes")
    return 0


if __name__ == "__main__":
    sys.exit(main())
