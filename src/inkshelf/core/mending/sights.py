"""What a person sees on the screen of a machine that does not start what it should, and the looks that tell one cause from another."""

from inkshelf.core.value import Value


class Sight(Value, frozen=True):
    """One thing that is seen: ``key`` for commands, ``title`` for screens, ``about``: how it is told from what looks alike."""

    key: str
    title: str
    about: str


SIGHTS = (
    Sight("other", "Straight into another system", "No menu comes, or it is gone at once; the other system is well."),
    Sight("not-listed", "A menu without the system", "The menu's other lines start what they say."),
    Sight("prompt", "A menu's prompt waits", "A line of text with a cursor, and the word rescue or the menu's own name."),
    Sight("no-device", "Nothing to start from", "The firmware says so, opens its settings or its shell, or tries the network."),
    Sight("refused", "Something is refused", "A message speaks of a signature, a policy or a violation."),
    Sight(
        "kernel-error",
        "The menu: file not found",
        "The menu is well, its line leads to a file that is not there; it goes back at a key.",
    ),
    Sight(
        "emergency",
        "It waits, then a shell",
        "The system begins to start, counts seconds for a disk or asks for a check, and ends at a shell of its own.",
    ),
    Sight(
        "system-screen",
        "The NT family's own screen",
        "It says that it could not start: boot data, or a device that is not there.",
    ),
    Sight("recovery-key", "A recovery key is asked for", "With it the system starts as ever."),
    Sight("one-line", "One line, or a cursor", "The legacy way: no menu, no picture."),
    Sight("loop", "Again and again", "The same picture comes back, or an installer that is over comes again."),
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
        "What was done last",
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
        "Unplugged and restarted",
        "Pull sticks, cards and external disks that the system does not live on; restart, touch nothing.",
        2,
        STARTS,
    ),
    Look(
        "one-time",
        "Chosen in the one-time menu",
        "In the firmware's menu, whose key is shown for a second at the start: choose the system's own line.",
        2,
        (
            Seen("starts", "it starts from there"),
            Seen("back", "it is listed, and does not start"),
            Seen("not-listed", "it is not listed"),
        ),
    ),
    Look(
        "disk-listed",
        "Its disk in the settings",
        "The firmware's settings list it with size, model and serial; cables seated.",
        2,
        _two("yes", "it is listed", "no", "it is not"),
    ),
    Look(
        "prompt-disks",
        "Its volumes at the prompt",
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
        "Way of starting",
        "Its settings: UEFI, or legacy (also called compatibility, CSM).",
        2,
        _two("uefi", "UEFI", "legacy", "legacy, or both with legacy first"),
    ),
    Look(
        "secure-off",
        "Secure Boot off, once",
        "Note what it was, switch Secure Boot off, start, put it back.",
        5,
        STARTS,
        caution="An encrypted volume asks for its recovery key: have it at hand first.",
    ),
    Look(
        "folder",
        "Its folder, from a live system",
        "Mount the EFI system partition, list its folders: loader, menu and configuration are there or not.",
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
        "Its kernel, from a live system",
        "Mount its root, and its boot volume if it has one; list the kernels.",
        8,
        _two("yes", "there is one", "no", "there is none"),
    ),
    Look(
        "flag",
        "Active mark, from a live system",
        "The list of the table shows a mark beside the volume that starts.",
        6,
        (Seen("right", "the one it starts from"), Seen("none", "none"), Seen("other", "another, or several")),
        ("one-line", "no-device", "other", "loop"),
    ),
)
LOOK = {one.key: one for one in LOOKS}
