"""Whose signature a program bears, held against an independent reader; and what firmware then does with it, as the specification orders it."""

from __future__ import annotations

import hashlib
import struct
from datetime import UTC, datetime, timedelta

import pytest
from cryptography import x509
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.hazmat.primitives.serialization import Encoding, pkcs7
from hypothesis import given
from hypothesis import strategies as st

from inkshelf.bench import signing
from inkshelf.bench.programs import program
from inkshelf.core.boot.keys import X509, SignatureList, Signed, build_lists
from inkshelf.core.boot.mishaps import STANDING
from inkshelf.core.boot.rehearse import outcome
from inkshelf.core.boot.trust import ALTERED, UNSIGNED, refusal, vouched
from inkshelf.core.disk.contents import BootFile
from inkshelf.core.disk.probe import pe_digest
from inkshelf.core.disk.signatures import Certificate, altered, certificate, marks_of, signers
from inkshelf.core.disk.startup_files import Seen, boot_files
from inkshelf.core.machine.state import Firmware, KeyList
from inkshelf.core.mending.of_switches import menu_unsigned
from inkshelf.core.mending.view import View
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.core.value import replace
from inkshelf.exchange.rawvars import keys_of

MADE = signing.signed(program("a program"))
OWN = signing.certificate()
HEAD, END = 512, len(program("a program"))
"""Where what a program does begins, and where its signature does."""


def digest(raw: bytes) -> str:
    return hashlib.sha256(raw).hexdigest()


def by_another_reader(raw: bytes) -> Certificate:
    read = x509.load_der_x509_certificate(raw)
    oids = (x509.NameOID.COMMON_NAME, x509.NameOID.ORGANIZATION_NAME)
    name = next(one for oid in oids for one in read.subject.get_attributes_for_oid(oid))
    names = (digest(one.public_bytes()) for one in (read.subject, read.issuer))
    return Certificate(str(name.value), digest(raw), *names)


def test_certificates_are_read_as_an_independent_reader_reads_them() -> None:
    at = struct.unpack_from("<I", MADE, 60)[0] + 24 + 112 + 4 * 8
    begin, _ = struct.unpack_from("<II", MADE, at)
    (size,) = struct.unpack_from("<I", MADE, begin)
    brought = pkcs7.load_der_pkcs7_certificates(MADE[begin + 8 : begin + size])
    assert signers(MADE) == tuple(by_another_reader(one.public_bytes(Encoding.DER)) for one in brought)
    assert certificate(OWN) == by_another_reader(OWN)
    assert digest(OWN) in marks_of(signers(MADE))


@given(at=st.integers(2, len(MADE) - 1), bits=st.integers(1, 255))
def test_a_program_that_was_changed_after_it_was_signed_is_known(at: int, bits: int) -> None:
    assert not altered(MADE, pe_digest(MADE))
    changed = bytearray(MADE)
    changed[at] ^= bits
    digest_now = pe_digest(bytes(changed))
    assert altered(MADE, digest_now) == (digest_now != pe_digest(MADE))
    assert altered(bytes(changed), digest_now) in {False, True}, "whatever was changed, it is judged"
    if HEAD <= at < END:
        assert altered(bytes(changed), digest_now)


def test_with_two_signatures_one_that_fits_is_enough_and_an_unreadable_one_says_nothing() -> None:
    assert not altered(program("x"), pe_digest(program("x")))
    assert not altered(program("x", certificate=b"stand-in".ljust(512, b"\0")), "00" * 32)
    other = signing.signed(program("another program"))
    at = struct.unpack_from("<I", MADE, 60)[0] + 24 + 112 + 4 * 8
    begin, length = struct.unpack_from("<II", MADE, at)
    theirs = other[struct.unpack_from("<I", other, at)[0] :]
    for signatures in (MADE[begin : begin + length] + theirs, theirs + MADE[begin : begin + length]):
        both = bytearray(MADE[:begin] + signatures)
        struct.pack_into("<I", both, at + 4, len(signatures))
        assert not altered(bytes(both), pe_digest(MADE))
        assert altered(bytes(both), "00" * 32)


def test_a_changed_program_on_a_volume_is_said_to_be_one_and_firmware_takes_no_key_for_it() -> None:
    changed = MADE[:HEAD] + bytes([MADE[HEAD] ^ 1]) + MADE[HEAD + 1 :]
    sound, spoilt = (boot_files([Seen("\\EFI\\a\\x.efi", len(one), lambda one=one: one)])[0] for one in (MADE, changed))
    assert (sound.altered, spoilt.altered) == (False, True)
    assert (refusal(Firmware(), sound), refusal(Firmware(), spoilt)) == ("", ALTERED)


def test_a_first_stage_refuses_a_menu_that_was_changed_and_mend_knows_it(job: Job) -> None:
    planned = read(job).plan.planned
    machine = replace(planned, firmware=replace(planned.firmware, secure_boot="on"))
    spoilt = machine
    for _, volume in machine.volumes():
        files = tuple(replace(one, signed=True, altered=True) if one.kind == "menu" else one for one in volume.boot_files)
        spoilt = spoilt.with_volume(volume.call, lambda one, files=files: replace(one, boot_files=files))  # type: ignore[misc]
    call = next(one.call for _, one in machine.volumes() if one.holds and one.holds.family == "linux")
    assert ALTERED in outcome(spoilt, call, STANDING[0]).why
    view = View(spoilt, call)
    assert any(one.shown and ALTERED in one.why for one in menu_unsigned(view))
    off = replace(spoilt, firmware=replace(spoilt.firmware, secure_boot="off"))
    assert ALTERED not in outcome(off, call, STANDING[0]).why


def issued() -> tuple[bytes, bytes]:
    """Two certificates, the second issued in the name of the first."""
    key = ec.generate_private_key(ec.SECP256R1())
    maker, shop = (
        x509.Name([x509.NameAttribute(x509.NameOID.COMMON_NAME, one)]) for one in ("Plover Works keys", "Heron loaders")
    )
    begins = datetime(2026, 1, 1, tzinfo=UTC)
    made = [
        x509.CertificateBuilder(maker, name, key.public_key(), number, begins, begins + timedelta(days=999)).sign(
            key, hashes.SHA256()
        )
        for number, name in ((1, maker), (2, shop))
    ]
    first, second = (one.public_bytes(Encoding.DER) for one in made)
    return first, second


def test_who_issued_a_certificate_is_told_from_whom_it_names() -> None:
    first, second = issued()
    assert certificate(second) == by_another_reader(second)
    assert certificate(second).name == "Heron loaders"
    assert certificate(second).issuer == certificate(first).subject != certificate(second).subject
    file = BootFile("x", "loader", 1, signed=True, signer="Heron loaders", marks=marks_of((certificate(second),)))
    owner = "6b1f5c3e-0c9a-4d7e-8f21-3a5b7c9d1e2f"
    trusting = Firmware(keys=keys_of({"db": build_lists([SignatureList(X509, (Signed(owner, first),))])}))
    assert vouched(trusting, file), "its maker's key vouches for it"
    assert refusal(replace(trusting, keys=(replace(trusting.keys[0], name="dbx"),)), file)


@given(st.integers(0, len(MADE) - 1), st.integers(0, 255), st.integers(0, len(MADE)))
def test_a_damaged_signature_gives_certificates_or_none(at: int, byte: int, end: int) -> None:
    spoilt = bytearray(MADE)
    spoilt[at] = byte
    for one in signers(bytes(spoilt[:end])):
        assert len(one.itself) == len(one.issuer) == 64


@given(st.binary(max_size=400))
def test_any_bytes_are_a_certificate_or_none(raw: bytes) -> None:
    assert signers(raw) == ()
    with pytest.raises(ValueError):  # noqa: PT011 - whatever its words
        certificate(raw)


def test_what_stand_ins_bear_is_no_signature_that_anybody_could_name() -> None:
    (file,) = boot_files([Seen("\\EFI\\a\\x.efi", 9000, lambda: program("x", certificate=b"stand-in".ljust(512, b"\0")))])
    assert (file.signed, file.signer, file.marks) == (True, "", ())
    (real,) = boot_files([Seen("\\EFI\\a\\x.efi", len(MADE), lambda: MADE)])
    assert real.signed
    assert real.signer == by_another_reader(OWN).name
    assert real.marks


TRUSTED, OTHER = "aa" * 32, "bb" * 32
FILE = BootFile("\\EFI\\a\\x.efi", "loader", 1, signed=True, digest="dd" * 32, signer="somebody", marks=(TRUSTED, OTHER))


@pytest.mark.parametrize(
    ("keys", "file", "why"),
    [
        ((), FILE, ""),
        ((), BootFile("x", "loader", 1, signed=False), UNSIGNED),
        ((KeyList("db", marks=(TRUSTED,)),), FILE, ""),
        (
            (KeyList("db", marks=("cc" * 32,)),),
            FILE,
            "it is signed by somebody, whom no certificate vouches for that the firmware trusts",
        ),
        ((KeyList("db", marks=("cc" * 32,), sums=(FILE.digest,)),), FILE, ""),
        ((KeyList("db", sums=("ee" * 32,)),), FILE, ""),
        ((KeyList("KEK", marks=(TRUSTED,)), KeyList("db", marks=("cc" * 32,))), FILE, "it is signed by somebody"),
        (
            (KeyList("db", marks=(TRUSTED,)), KeyList("dbx", marks=(OTHER,))),
            FILE,
            "revoked certificates has that of its signer, somebody",
        ),
        (
            (KeyList("db", marks=(TRUSTED,), sums=(FILE.digest,)), KeyList("dbx", sums=(FILE.digest,))),
            FILE,
            "revoked programs names it",
        ),
        ((KeyList("db", sums=("ff" * 32,)),), BootFile("x", "loader", 1, signed=False, digest="ff" * 32), ""),
        ((KeyList("db", marks=(TRUSTED,)),), BootFile("x", "loader", 1, signed=True), ""),
        ((KeyList("db", marks=(TRUSTED,)),), replace(FILE, altered=True), ALTERED),
        ((), replace(FILE, altered=True), ALTERED),
        ((KeyList("db", marks=(TRUSTED,), sums=("dd" * 32,)),), replace(FILE, altered=True), ""),
    ],
)
def test_revoked_first_then_a_trusted_signer_then_a_trusted_sum(keys: tuple[KeyList, ...], file: BootFile, why: str) -> None:
    said = refusal(Firmware(keys=keys), file)
    assert said == why if not why else why in said
    assert not (vouched(Firmware(keys=keys), file) and said.startswith("it "))


def test_a_captured_list_of_keys_vouches_for_what_they_signed() -> None:
    owner = "6b1f5c3e-0c9a-4d7e-8f21-3a5b7c9d1e2f"
    keys = keys_of({"db": build_lists([SignatureList(X509, (Signed(owner, OWN),))])})
    (file,) = boot_files([Seen("\\EFI\\a\\x.efi", len(MADE), lambda: MADE)])
    assert vouched(Firmware(keys=keys), file)
    assert keys[0].marks == (digest(OWN), by_another_reader(OWN).subject)
    junk = keys_of({"db": build_lists([SignatureList(X509, (Signed(owner, b"no certificate"),))])})
    assert not vouched(Firmware(keys=junk), file)
