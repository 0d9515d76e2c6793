"""What is inside a volume, as far as planning and starting need it: file system, what a container holds, start-up files, an installed system.

``None`` means "not known". Sizes are bytes.
"""

from typing import Literal

from inkshelf.core.texts import CallOrNone, Count, Key, KeyOrNone, Line
from inkshelf.core.value import Value

Family = Literal["nt", "linux", "apfs"]
FileKind = Literal[
    "nt-loader", "nt-boot-data", "first-stage", "menu", "menu-config", "entry-menu", "entry", "entry-config", "loader"
]


class Inside(Value, frozen=True):
    """Something that a container holds: a logical volume, with what is in it. ``kind`` is empty where that is not known.

    ``used_bytes``: what its file system has in use (``None``: not known).
    """

    name: Line
    size_bytes: Count
    kind: KeyOrNone = ""
    label: Line = ""
    uuid: Line = ""
    used_bytes: Count | None = None


class FileSystem(Value, frozen=True):
    """What is known of the file system inside a volume.

    ``used_bytes`` counts allocated clusters; ``pinned_bytes`` is the end, from the volume's start, of what its own
    system cannot move; ``smallest_bytes`` the smallest size a shrink can reach and ``smallest_why`` the reason.
    ``used_map`` holds the used bytes in each of its equal slices, from the start (empty: not known). ``inside``: what a
    container holds. ``hidden_sectors``: how many sectors lie before the volume, as its own boot sector says (``None``: it does not).
    ``keeps_size``: why its own utility does not give it another size (empty: it does).
    ``group_bytes`` and ``group_table_bytes``: what a block group of ext spans, and what its inode table takes;
    ``group_reserved``: blocks that are kept behind each copy of its group table, for growing. ``clashes``: paths whose names differ
    from another one beside them by capitals only (the first few). ``slots``: of a LUKS container, how each key slot makes its key of a passphrase.
    """

    kind: Key
    size_bytes: Count
    label: Line = ""
    uuid: Line = ""
    used_bytes: Count | None = None
    smallest_bytes: Count | None = None
    smallest_why: Line = ""
    pinned_bytes: Count | None = None
    dirty: bool | None = None
    hibernated: bool | None = None
    cluster_bytes: Count = 0
    clusters: Count = 0
    sector_bytes: Count = 512
    used_map: tuple[Count, ...] = ()
    inside: tuple[Inside, ...] = ()
    hidden_sectors: Count | None = None
    keeps_size: Line = ""
    group_bytes: Count = 0
    group_table_bytes: Count = 0
    group_reserved: Count = 0
    clashes: tuple[Line, ...] = ()
    slots: tuple[Key, ...] = ()


Unfit = Literal["", "ia32", "aa64", "no program"]


class BootFile(Value, frozen=True):
    """A file on a start-up volume that starting depends on.

    ``targets``: what it leads to (file-system UUIDs or loader paths for a menu; for NT boot data partition GUIDs, on an MBR ``signature@first
    byte``, paths of disk files). ``signed``: it carries a signature.
    ``hands_over``: file systems, by UUID, whose own configuration goes on where this one ends. ``unfit``: what it is, where it is no program
    for an ordinary processor (x86-64): firmware there loads it, and refuses to run it. ``generation``: of a first stage or a menu, as it says
    itself; a list of revoked loaders names the oldest that still starts. Of a menu's configuration or boot data: ``begins``, the target of what it
    starts by itself where that is not the first one (``?``: it is kept elsewhere, or leads nowhere that is known); ``stays``: it waits
    for a person without a limit. ``digest``: of a program, the sum that firmware knows it by, in hexadecimal (empty: it was not read).
    ``altered``: it is another than its signature was made of, so that firmware does not take that for one.
    ``signer``: the name on the first certificate that its signature brings; ``marks``: what lists of certificates are searched for, sums in
    hexadecimal of every certificate and of its issuer's name (empty: not read, or none could be). ``sort``: of an entry file, its sort
    key, machine and version (empty: it says none of them); ``program``: what it begins, by its path on its own volume (empty: it names
    none); ``lacks``: that program is not there, so that its menu passes the entry over.
    """

    path: Line
    kind: FileKind
    size_bytes: Count = 0
    signed: bool | None = None
    targets: tuple[Line, ...] = ()
    hands_over: tuple[Line, ...] = ()
    unfit: Unfit = ""
    generation: Count | None = None
    begins: Line = ""
    stays: bool = False
    digest: Line = ""
    altered: bool = False
    signer: Line = ""
    marks: tuple[Line, ...] = ()
    sort: tuple[Line, ...] = ()
    program: Line = ""
    lacks: bool = False


class SystemRoot(Value, frozen=True):
    """An installed operating system, kept with the volume that it lives on. ``kernels``: how many its boot folder holds (``None``: not known).

    ``waits``: the places of its mount table that its start waits for.
    """

    family: Family
    title: Line
    kernel_signed: bool | None = None
    mounts: tuple[tuple[Line, Line], ...] = ()
    assumed: bool = False
    kernels: Count | None = None
    waits: tuple[Line, ...] = ()


def waits_for(where: str, options: str = "defaults") -> bool:
    """Tell whether a start waits for what is mounted at a place: it does, unless its line says that it may be missing. Root is there anyway."""
    return where.startswith("/") and where != "/" and not {"nofail", "noauto"} & set(options.split(","))


class DiskFile(Value, frozen=True):
    """A file that is a whole disk, on a volume that can hold a system in it: ``size_bytes`` of the disk inside, ``stored_bytes`` of the file.

    ``path``: from the volume's root, with backslashes. ``table``: of the disk inside (``none``: not read). ``fault``: why nobody looked
    into it.
    """

    call: CallOrNone
    path: Line
    form: Literal["fixed", "growing"]
    size_bytes: Count
    stored_bytes: Count
    identity: Line = ""
    table: Literal["gpt", "mbr", "none"] = "none"
    holds: SystemRoot | None = None
    planned: bool = False
    fault: Line = ""
