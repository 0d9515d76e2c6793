"""What a person sees on the screen of a machine that does not start what it should, and the looks that tell one cause from another."""

from inkshelf.core.value import Value


class Sight(Value, frozen=True):
    """One thing that is seen: ``key`` for commands, ``title`` for screens, ``about``: how it is told from what looks alike."""

    key: str
    title: str
    about: str


SIGHTS = (
    Sight("other", "It goes straight into another system", "No menu comes, or it is gone at once; the other system is well."),
    Sight("not-listed", "A menu comes, and the system is not in it", "The menu's other lines start what they say."),
    Sight(
        "prompt",
        "A menu's prompt waits for commands",
        "A line of text with a cursor, and the word rescue or the menu's own name.",
    ),
    Sight("no-device", "Nothing to start from", "The firmware says so, opens its settings or its shell, or tries the network."),
    Sight("refused", "A message says that something is refused", "It speaks of a signature, a policy or a violation."),
    Sight(
        "kernel-error", "The menu starts the system, and says that a file is not found", "It goes back to the menu at a key."
    ),
    Sight(
        "emergency",
        "The system begins to start, waits, and ends at a shell of its own",
        "It counts seconds for a disk, or asks for a check.",
    ),
    Sight(
        "system-screen", "The NT family's own screen says that it could not start", "Boot data, or a device that is not there."
    ),
    Sight("recovery-key", "A recovery key is asked for", "With it the system starts as ever."),
    Sight("one-line", "One line of text, or a blinking cursor, and nothing more", "The legacy way: no menu, no picture."),
    Sight("loop", "It starts again and again", "The same picture comes back, or an installer that is over comes again."),
    Sight("black", "The screen stays black", "Lights and fans say that it runs."),
)
BY_KEY = {one.key: one for one in SIGHTS}


class Seen(Value, frozen=True):
    """One answer to a look."""

    key: str
    title: str


class Look(Value, frozen=True):
    """One cheap look: ``how`` it is done, ``minutes`` that it takes; ``sights``: for which it makes sense (empty: for all); ``caution``: what it may set off."""

    key: str
    title: str
    how: str
    minutes: int
    answers: tuple[Seen, ...]
    sights: tuple[str, ...] = ()
    caution: str = ""


def _two(yes: str, yes_words: str, no: str, no_words: str) -> tuple[Seen, ...]:
    return (Seen(yes, yes_words), Seen(no, no_words))


STARTS = _two("starts", "it starts then", "same", "the same as before")
LOOKS = (
    Look(
        "changed",
        "What was done to the machine last",
        "Ask the owner: an update, another disk, a setting, an empty battery on the board.",
        1,
        (
            Seen("nt-update", "the NT family updated itself"),
            Seen("linux-update", "the Linux family updated itself"),
            Seen("firmware", "firmware updated or reset"),
            Seen("disks", "a disk in, out, copied or rearranged"),
            Seen("settings", "settings of the firmware changed"),
            Seen("nothing", "nothing that is known"),
        ),
    ),
    Look(
        "again",
        "Everything unplugged, restarted once more",
        "Pull sticks, cards and external disks that the system does not live on; restart, touch nothing.",
        2,
        STARTS,
    ),
    Look(
        "one-time",
        "The system chosen in the firmware's one-time menu",
        "Its key is shown for a second at the start; choose the system's own line.",
        2,
        (
            Seen("starts", "it starts from there"),
            Seen("back", "it is listed, and does not start"),
            Seen("not-listed", "it is not listed"),
        ),
    ),
    Look(
        "disk-listed",
        "Whether the firmware's settings list its disk",
        "Size, model and serial as on this sheet; with the case's cables seated.",
        2,
        _two("yes", "it is listed", "no", "it is not"),
    ),
    Look(
        "prompt-disks",
        "At the prompt: are the volumes of its disk listed",
        "The command ls names them; compare their number with the shelf.",
        1,
        _two("all", "all of them", "missing", "some are missing"),
        ("prompt",),
    ),
    Look(
        "waits-for",
        "What it waits for",
        "The last lines before the shell name it: a volume by its UUID, or a check that failed.",
        1,
        _two("volume", "a volume that is not there", "check", "a check"),
        ("emergency",),
    ),
    Look(
        "plain",
        "Started with plain graphics",
        "In the menu, at the system's line, its recovery entry, or the kernel's word for plain graphics.",
        3,
        STARTS,
        ("black", "loop"),
    ),
    Look(
        "mode",
        "Which way the firmware starts",
        "Its settings: UEFI, or legacy (also called compatibility, CSM).",
        2,
        _two("uefi", "UEFI", "legacy", "legacy, or both with legacy first"),
    ),
    Look(
        "secure-off",
        "Secure Boot off for one start",
        "Note what it was, switch it off, start, put it back.",
        5,
        STARTS,
        caution="An encrypted volume asks for its recovery key: have it at hand first.",
    ),
    Look(
        "folder",
        "From a live system: the system's folder on the EFI system partition",
        "Mount it, list its folders; the loader, the menu and its configuration are there or not.",
        8,
        (
            Seen("whole", "all of it"),
            Seen("parts", "some files are missing or empty"),
            Seen("none", "it is not there"),
            Seen("unreadable", "the volume cannot be mounted"),
        ),
    ),
    Look(
        "kernel",
        "From a live system: a kernel in the system's boot folder",
        "Mount its root, and its boot volume if it has one; list the kernels.",
        8,
        _two("yes", "there is one", "no", "there is none"),
    ),
    Look(
        "flag",
        "From a live system: which volume of the disk is marked active",
        "The list of the table shows a mark beside it.",
        6,
        (Seen("right", "the one it starts from"), Seen("none", "none"), Seen("other", "another, or several")),
        ("one-line", "no-device", "other", "loop"),
    ),
)
LOOK = {one.key: one for one in LOOKS}
