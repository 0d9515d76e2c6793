"""Stand-ins signed with the test key of the emulator's own firmware package, on throw-away copies only: with Secure Boot on nothing else starts there."""

from __future__ import annotations

import base64
import shutil
import subprocess
import tempfile
from functools import cache, lru_cache
from pathlib import Path

from inkshelf.bench.image import ImageFile
from inkshelf.bench.kinds import fat
from inkshelf.core.boot.trust import refusal
from inkshelf.core.disk.source import Slice
from inkshelf.core.errors import BenchError
from inkshelf.core.machine.state import Machine
from inkshelf.data import exact

KEY, CERTIFICATE = Path(exact("firmware", "test_key")), Path(exact("firmware", "test_certificate"))
SIGNER = exact("firmware", "signer")
TRUSTED = {"nt-loader", "first-stage", "entry-menu", "loader"}
"""Kinds that firmware itself trusts where they are signed; a menu's key is known only to its first stage."""


def missing() -> str:
    """Return what has to be installed before anything can be signed (empty: nothing)."""
    return "" if shutil.which(SIGNER) and KEY.exists() and CERTIFICATE.exists() else exact("firmware", "signer_packages")


@lru_cache(maxsize=64)  # of one loader there are copies, on one disk and on many
def signed(program: bytes, key: bytes = b"", certificate: bytes = b"") -> bytes:
    """Return a program with a signature that the emulator's firmware trusts; raises ``BenchError`` where it cannot be signed.

    ``key``, as text, and ``certificate`` (DER): of somebody else.
    """
    with tempfile.TemporaryDirectory(prefix="inkshelf-sign-") as name:
        folder = Path(name)
        (folder / "plain").write_bytes(_bare(program))
        (folder / "key").write_bytes(key or _open_key())
        (folder / "certificate").write_bytes(_as_text(certificate) if certificate else CERTIFICATE.read_bytes())
        command = [
            SIGNER,
            "--key",
            f"{folder}/key",
            "--cert",
            f"{folder}/certificate",
            "--output",
            f"{folder}/signed",
            f"{folder}/plain",
        ]
        done = subprocess.run(command, capture_output=True, text=True, check=False)
        if done.returncode or not (folder / "signed").exists():
            raise BenchError(
                "A stand-in could not be signed.", done.stderr.strip()[:200] or "Install the signing utility anew."
            )
        return (folder / "signed").read_bytes()


def certificate() -> bytes:
    """Return the test key's certificate, which the emulator's firmware trusts, as DER."""
    from cryptography import x509
    from cryptography.hazmat.primitives.serialization import Encoding

    return x509.load_pem_x509_certificate(CERTIFICATE.read_bytes()).public_bytes(Encoding.DER)


def _as_text(raw: bytes) -> bytes:
    lines = base64.encodebytes(raw).decode()
    return f"-----BEGIN CERTIFICATE-----\n{lines}-----END CERTIFICATE-----\n".encode()


@cache
def _open_key() -> bytes:
    """The package's key is behind a passphrase that everybody knows; the signing utility takes an open one."""
    from cryptography.hazmat.primitives import serialization

    key = serialization.load_pem_private_key(KEY.read_bytes(), exact("firmware", "test_passphrase").encode())
    plain = serialization.NoEncryption()
    return key.private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.TraditionalOpenSSL, plain)


def _bare(program: bytes) -> bytes:
    """A stand-in's own signature is none: it is taken off before a real one is put on (the security directory, PE format, 4)."""
    at = int.from_bytes(program[0x3C:0x40], "little") + 24 + 112 + 4 * 8
    begin, length = (int.from_bytes(program[at + part : at + part + 4], "little") for part in (0, 4))
    if not begin or not length:
        return program
    return program[:at] + bytes(8) + program[at + 8 : begin]


def sign_copies(machine: Machine, copies: dict[str, Path]) -> None:
    """Sign, on throw-away copies of its disks by their letters, every start-up file that a machine's own firmware would trust."""
    for disk, volume in machine.volumes():
        wanted = [
            one
            for one in volume.boot_files
            if one.signed and one.kind in TRUSTED and not one.unfit and not refusal(machine.firmware, one)
        ]
        for one in wanted:
            _sign_on(copies[disk.id], volume.start, volume.size, one.path.replace("\\", "/"))


def _sign_on(image: Path, start: int, size: int, path: str) -> None:
    with ImageFile(image) as source:
        was = fat.read(Slice(source, start, size), path)
    if was is None:
        return
    fat.put(image, {path: signed(was)}, start)
