"""Mutated inputs for everything that starting is read from: a value or the documented error, nothing else.

python tools/starting.py [COUNT [FIRST]]
"""

from __future__ import annotations

import random
import sys
from collections.abc import Callable

from msgspec import convert, to_builtins

from inkshelf.bench import signing
from inkshelf.bench.programs import program
from inkshelf.bench.stand_ins import boot_data, menu_config
from inkshelf.core.boot import paths, variables
from inkshelf.core.boot.entries import entry_of, firmware_of
from inkshelf.core.boot.keys import SHA256, X509, SignatureList, Signed, build_lists, parse_lists
from inkshelf.core.boot.paths import Drive
from inkshelf.core.boot.uefi import as_read
from inkshelf.core.boot.variables import LoadOption
from inkshelf.core.disk.generations import told
from inkshelf.core.disk.menus import leads_of, menu_file
from inkshelf.core.disk.probe import pe_digest, pe_signed, pe_unfit
from inkshelf.core.disk.signatures import Certificate, certificate, signers
from inkshelf.core.disk.startup_files import Seen, boot_files
from inkshelf.core.errors import InkshelfError
from inkshelf.core.machine.state import BootEntry, BootFile, Firmware, KeyList, Volume
from inkshelf.exchange.bootvars import read_efibootmgr
from inkshelf.exchange.ntbootdata import in_order, parse
from inkshelf.exchange.rawvars import keys_of

GUID = "5C1F4B7E-2D07-4C8A-9F11-8A7A33B0C0DE"
ROOT = "0f0f0f0f-1111-4222-8333-444444444444"
DRIVE = paths.drive_node(Drive(2, 2048, 614400, "gpt", GUID))
MARK = paths.drive_node(Drive(1, 63, 4096, "mbr", "1d00ecac"))
PATH = (DRIVE, paths.file_node("\\EFI\\heron\\start.efi"))
OPTION = variables.build_option(LoadOption("Heron", (PATH, (MARK,)), 1, b"\1\2"))
TEXT = (
    "BootCurrent: 0001\nTimeout: 1 seconds\nBootOrder: 0001,0000\n"
    f"Boot0000* Heron\tHD(2,GPT,{GUID.lower()},0x800,0x96000)/File(\\EFI\\heron\\start.efi)\n"
    "Boot0001  Stick\tHD(1,MBR,0x1a2b3c4d,0x800,0x1dcf000)\nBoot0002* Net\tPciRoot(0x0)/MAC(001122334455,0)/IPv4(0.0.0.0)\n"
).encode()
ENTRY = f"title Heron\nversion 6\nlinux /vmlinuz-6\ninitrd /initrd-6\noptions root=UUID={ROOT} ro\n".encode()
KEYS = build_lists(
    [SignatureList(X509, (Signed(GUID, b"a certificate"),)), SignatureList(SHA256, (Signed(GUID, bytes(32)),) * 2)]
)
MENU = menu_config(((ROOT, ROOT),), "Heron", (("NT family", "\\EFI\\alder\\start.efi"),))


def _files(raw: bytes) -> object:
    return convert(to_builtins(_seen(raw)), tuple[BootFile, ...])


def _seen(raw: bytes) -> tuple[BootFile, ...]:
    names = ("\\EFI\\BOOT\\BOOTX64.EFI", "\\EFI\\heron\\shimx64.efi", "\\EFI\\heron\\grub.cfg", "\\loader\\entries\\a.conf")
    return boot_files([Seen(name, len(raw), lambda: raw) for name in names], (GUID,))


def _listing(raw: bytes) -> object:
    """What is taken in can be saved and opened again: no value of it is one that the job file refuses."""
    firmware = read_efibootmgr(raw.decode("utf-8", "replace"))
    return convert(to_builtins(firmware), Firmware)


def _variable(raw: bytes) -> object:
    return convert(to_builtins(firmware_of({"Boot0001": raw, "BootOrder": raw[:8]})), Firmware)


LISTING = (
    b"Firmware\n--------\nidentifier              {fwbootmgr}\ndisplayorder            {bootmgr}\n                        {11111111-2222-4333-8444-555555555555}\n\n"
    b"Manager\n-------\nidentifier              {bootmgr}\ndevice                  partition=C:\npath                    \\EFI\\a.efi\ndescription             A\n"
)


def _boot_data(raw: bytes) -> object:
    return convert(to_builtins(in_order(parse(raw.decode("utf-8", "replace")))), tuple[BootEntry, ...])


def _signed_program() -> bytes:
    """A program with the test key's signature where it can be made, else with bytes that look like one."""
    plain = program(
        "a program", certificate=b"" if not signing.missing() else bytes.fromhex("1000000000020200 3000000000000000")
    )
    return plain if signing.missing() else signing.signed(plain)


def _certificate() -> bytes:
    return b"0\x03\x02\x01\x01" if signing.missing() else signing.certificate()


def _named(raw: bytes) -> object:
    try:
        return convert(to_builtins(certificate(raw)), Certificate)
    except ValueError:  # the documented error: it is no certificate
        return None


READERS: tuple[tuple[bytes, Callable[[bytes], object]], ...] = (
    (OPTION, lambda raw: entry_of(1, variables.parse_option(raw))),
    (OPTION, _variable),
    (paths.build((PATH, (MARK,))), lambda raw: [paths.words_of(one) for one in paths.parse(raw)]),
    (variables.build_order((1, 2, 3)), variables.parse_order),
    (TEXT, _listing),
    (MENU, lambda raw: convert(to_builtins(menu_file("\\EFI\\a\\grub.cfg", "menu-config", raw)), BootFile)),
    (ENTRY, lambda raw: convert(to_builtins(menu_file("\\loader\\entries\\a.conf", "entry", raw)), BootFile)),
    (program("a program"), lambda raw: (pe_signed(raw), pe_unfit(raw), told(raw), pe_digest(raw))),
    (KEYS, lambda raw: build_lists(parse_lists(raw)) == raw or 1 / 0),
    (KEYS, lambda raw: convert(to_builtins(keys_of({"db": raw, "dbx": raw})), tuple[KeyList, ...])),
    (MENU, lambda raw: leads_of(raw, "Heron")),
    (LISTING, _boot_data),
    (boot_data(GUID, "\\second.vhd"), _files),
    (MENU, _files),
    (_signed_program(), lambda raw: convert(to_builtins(signers(raw)), tuple[Certificate, ...])),
    (_certificate(), _named),
    (b"\\EFI\\heron\\..\\start.efi", lambda raw: as_read(raw.decode("utf-8", "replace"), Volume("B1", 1, 0, 1, ""))),
)


def mutated(dice: random.Random, raw: bytes) -> bytes:
    """Return the bytes with a few faults: bits turned, bytes set to edges, parts cut out, doubled, or put elsewhere."""
    data = bytearray(raw)
    for _ in range(dice.choice((1, 1, 1, 2, 3, 8))):
        at = dice.randrange(len(data) + 1)
        what = dice.randrange(6)
        if what == 0 and data:
            data[at % len(data)] ^= 1 << dice.randrange(8)
        elif what == 1 and data:
            data[at % len(data)] = dice.choice((0, 1, 4, 0x7F, 0x80, 0xFE, 0xFF))
        elif what == 2:
            del data[at : at + dice.choice((1, 2, 4, 16, len(data)))]
        elif what == 3:
            data[at:at] = data[at : at + dice.randrange(1, 40)]
        elif what == 4:
            data[at:at] = dice.randbytes(dice.randrange(1, 9))
        else:
            data[at : at + 4] = dice.choice((0, 0xFFFFFFFF, 0x7FFFFFFF, len(data))).to_bytes(4, "little")
    return bytes(data)


def main() -> int:
    """Run; status 1 at the first input that ends in anything but a value or the documented error."""
    count, first = (int(one) for one in [*sys.argv[1:], *("1000000", "0")[len(sys.argv) - 1 :]][:2])
    refused = 0
    for number in range(first, first + count):
        dice = random.Random(number)  # noqa: S311 - inputs are drawn, no secrets
        raw, reader = READERS[number % len(READERS)]
        data = mutated(dice, raw)
        try:
            reader(data)
        except InkshelfError:
            refused += 1
        except Exception as error:  # noqa: BLE001 - that is what is looked for
            print(f"input {number}: {error!r} on {data[:400]!r}", file=sys.stderr)
            return 1
    print(f"{count} inputs read from {first} on: {refused} refused, the others are values")
    return 0


if __name__ == "__main__":
    sys.exit(main())
