"""What only a person can say of a machine, each one value in one list: the window and the command line ask the same. A volume's own facts: ``told``."""

from __future__ import annotations

from typing import Any

from inkshelf.core.value import Value


class Asked(Value, frozen=True):
    """One question. ``key``: the word on the command line; ``field``: of the firmware or the conditions; ``answers``: (word, title, value).

    ``why``: what hangs on it. ``seldom``: it concerns few machines, and is folded away until somebody asks for it.
    """

    key: str
    field: str
    title: str
    answers: tuple[tuple[str, str, Any], ...]
    why: str
    seldom: bool = False

    def values(self) -> dict[str, Any]:
        """Return what each word means."""
        return {word: value for word, _, value in self.answers}


YES_NO = (("yes", "yes", True), ("no", "no", False))
GENERATIONS = tuple((str(one), str(one), one) for one in range(1, 7))

ASKED = (
    Asked(
        "firmware",
        "mode",
        "Firmware starts as",
        (("uefi", "UEFI", "uefi"), ("legacy", "legacy", "legacy")),
        "decides how every system here starts",
    ),
    Asked(
        "secure-boot",
        "secure_boot",
        "Secure Boot",
        tuple((one, one, one) for one in ("on", "off", "absent", "hidden")),
        "refuses unsigned links",
    ),
    Asked("mains", "mains", "Mains connected", YES_NO, "a shrink must not be cut"),
    Asked(
        "backup",
        "backup",
        "Back-up",
        (("read-back", "read back", "read back"), ("made", "made", "made"), ("none", "none", "none")),
        "counts once files from it were opened",
    ),
    Asked(
        "encrypted",
        "encrypted",
        "Owner's volume encrypted",
        (("no", "no", False), ("yes", "yes", True)),
        "the recovery key may be asked",
    ),
    Asked("recovery-key", "recovery_key", "Recovery key at hand", YES_NO, "needed only where it is encrypted"),
    Asked("consent", "consent", "Consent in writing", YES_NO, "the owner signs the sheet"),
    Asked("fast-boot", "fast_boot", "Fast boot", YES_NO, "on, it leaves no time for a key, and skips sticks", seldom=True),
    Asked(
        "external-start",
        "external_start",
        "Start from outside allowed",
        YES_NO,
        "a stick, or a disk that travels, starts only then",
        seldom=True,
    ),
    Asked(
        "two-ports",
        "two_ports",
        "Two ports usable at once",
        YES_NO,
        "stick and target together; some makers bar one meanwhile",
        seldom=True,
    ),
    Asked(
        "update-pending",
        "update_pending",
        "Firmware update waiting",
        YES_NO,
        "it comes at the next restart, in the middle of the work",
        seldom=True,
    ),
    Asked(
        "least-generation",
        "least_generation",
        "Oldest first stage it starts",
        GENERATIONS,
        "older ones were revoked by an update",
        seldom=True,
    ),
    Asked(
        "firmware-password",
        "firmware_password",
        "Firmware password",
        (("none", "none", "none"), ("noted", "noted", "noted"), ("missing", "missing", "missing")),
        "nothing in the firmware is changed without it",
        seldom=True,
    ),
    Asked("licence", "licence", "Licence looked up", YES_NO, "on paper, in an account, or in the firmware", seldom=True),
    Asked(
        "cpu",
        "cpu_bits",
        "Processor",
        (("64", "64 bits", 64), ("32", "32 bits", 32)),
        "a wider system does not start",
        seldom=True,
    ),
    Asked(
        "known-paths-only",
        "known_paths_only",
        "Starts two paths only",
        YES_NO,
        "some boards start the NT loader's path and the fallback file, whatever an entry says",
        seldom=True,
    ),
    Asked(
        "no-fixed-fallback",
        "no_fixed_fallback",
        "No fallback on built-in disks",
        YES_NO,
        "some boards look for the fallback file on sticks only",
        seldom=True,
    ),
    Asked(
        "nt-first-again",
        "nt_first_again",
        "Puts the NT family first again",
        YES_NO,
        "some boards re-sort their list at every start",
        seldom=True,
    ),
    Asked(
        "type-insisted",
        "type_insisted",
        "Insists on the EFI system type",
        YES_NO,
        "some boards read no other FAT volume of a built-in disk",
        seldom=True,
    ),
    Asked("case-open", "case_open", "Case to be opened", YES_NO, "off, unplugged, static discharged first", seldom=True),
    Asked(
        "battery-swollen", "battery_swollen", "Battery swollen", YES_NO, "then nothing is done before it is out", seldom=True
    ),
)
"""Everything that is asked, in the order in which it is."""
