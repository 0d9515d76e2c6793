"""No text from outside takes the square of its length: one piece repeated is read in processor time that its size explains."""

from __future__ import annotations

import signal
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress

import pytest

from inkshelf.core.disk import lvm_text
from inkshelf.core.disk.menus import leads_of, menu_file
from inkshelf.core.disk.startup_files import Seen, boot_files
from inkshelf.core.errors import InkshelfError
from inkshelf.core.media.image import _loaded
from inkshelf.data import exact
from inkshelf.exchange import anytext, bootvars, captures, kit, ntbootdata, plaintext, sums

SIZE = 64 << 10
PATIENCE = 10  # seconds of processor time, thirty times what the slowest of them takes
PIECES = (
    *(
        "\n",
        " ",
        "\t",
        "\n ",
        "(",
        "/\\",
        "\\",
        '"',
        "'",
        '\\"',
        "0",
        "f",
        "}",
        "- ",
        "-\n",
        "if\n",
        "a {\n",
        "a ",
        "a  b",
        "[",
        "# ",
    ),
    *("search ", "search --fs-uuid ", "chainloader (", "configfile ", "default=", "set ", "timeout=", "root=UUID=", "--id "),
    *(
        "menuentry {",
        "menuentry '{\n",
        'menuentry \\"',
        "submenu x {\n",
        "kernel a\n",
        "linux x\n",
        "linux a ",
        "initrd=",
        "label ",
    ),
    *("HD(1,GPT,", "File(", "Boot0001* a", "BootOrder: ", "ID=", "LABEL=", 'a="', "MD5 (", "a = [", "\0", "\\\0a\0"),
)
HEADS = ("", "BootOrder: 0001\nBoot0001* A\t", "menuentry 'a' {\n", "label: gpt\n", "Boot\n----\nidentifier   {bootmgr}\n")
NAMES = ("\\EFI\\BOOT\\BOOTX64.EFI", "\\EFI\\heron\\grub.cfg", "\\loader\\entries\\a.conf", exact("paths", "nt_boot_data"))
READERS: dict[str, Callable[[str], object]] = {
    "menu": lambda text: menu_file("\\EFI\\a\\grub.cfg", "menu-config", text.encode()),
    "entry": lambda text: leads_of(text.encode(), "a"),
    "files": lambda text: boot_files([Seen(name, len(text), text.encode) for name in NAMES], ()),
    "variables": bootvars.read_efibootmgr,
    "lister": captures.read_lsblk,
    "tables": captures.read_sfdisk,
    "dump": plaintext.read_dump,
    "contents": plaintext.read_blkid,
    "kit": kit.read_kit,
    "any": lambda text: anytext.gather([text]),
    "boot data": lambda text: ntbootdata.in_order(ntbootdata.parse(text)),
    "sums": sums.read_sums,
    "image": lambda text: _loaded(text, {}),
    "groups": lvm_text.parse,
}


@contextmanager
def patience() -> Iterator[None]:
    """End what goes on for too long; processor time, so that a busy machine ends nothing."""

    def ended(*_: object) -> None:
        raise TimeoutError(f"more than {PATIENCE} seconds of processor time")

    before = signal.signal(signal.SIGVTALRM, ended)
    signal.setitimer(signal.ITIMER_VIRTUAL, PATIENCE)
    try:
        yield
    finally:
        signal.setitimer(signal.ITIMER_VIRTUAL, 0)
        signal.signal(signal.SIGVTALRM, before)


@pytest.mark.parametrize("name", READERS)
def test_one_piece_repeated_is_read_in_time(name: str) -> None:
    for head in HEADS:
        for piece in PIECES:
            with patience(), suppress(InkshelfError):
                READERS[name](head + (piece * (SIZE // len(piece) + 1))[:SIZE])
