"""How a stick is made: told apart, written or filled, read back, ejected. It is done on whatever machine it is plugged in."""

from __future__ import annotations

import shlex

from inkshelf.core.machine.state import Disk
from inkshelf.core.media.material import Image
from inkshelf.core.media.times import Passes, passes, span
from inkshelf.core.sheet.scene import Scene
from inkshelf.core.sheet.telling.base import Words, told
from inkshelf.core.sheet.telling.starting import MOUNT, UNMOUNT
from inkshelf.core.size import MIB, binary, both, grouped
from inkshelf.core.steps.kinds import (
    CopyFiles,
    Eject,
    GetImage,
    KeepFile,
    MakeMenu,
    PutImage,
    TakeOff,
    TellApart,
    TryStart,
    WriteImage,
)
from inkshelf.data import exact, table

NOT_HERE = "/path/to/{name}"
NOT_KEPT = "kernel and first image (those of the image start every time), settings of the firmware"
UNPACKED = 'tar --extract --no-same-owner --file=- --directory="$MOUNTED"'
OPENED = '"$HOME/opened"'


def _file(image: Image) -> str:
    """The image's file as it is typed."""
    return shlex.quote(image.path or NOT_HERE.format(name=image.name.replace("/", "_")))


def _about(image: Image) -> tuple[tuple[str, str], ...]:
    """What a person holds an image against before it is used."""
    sums = {
        "agrees": "agrees with its published sum",
        "differs": "DIFFERS from its published sum",
        "": "not compared yet: do it now",
    }
    return (
        ("image", f"{image.name}, {grouped(image.size)} B = {both(image.size)}" + ("" if image.path else "; not here yet")),
        ("its sum", sums[image.checked]),
    )


def _timed(taken: Passes) -> tuple[str, str]:
    how = "at its measured speed" if taken.measured else "at an ordinary stick's speed: the first 256 MiB tell its own"
    return "time", f"{span(taken.write)} to write and flush, {span(taken.check)} to check, {how}"


def _stick(scene: Scene, letter: str) -> Disk:
    return next((one for one in scene.before.disks if one.id == letter), Disk(letter, 0))


@told.register
def _get_image(step: GetImage, scene: Scene) -> Words:
    image = step.image
    starts = [f"UEFI, {one.width}{', signed' if one.signed else ', NOT signed'}" for one in image.loaders]
    starts += ["the legacy way"] if image.legacy else []
    packed = image.packing.packing if image.packing else ""
    unpack = (("unpack it first", f"it is compressed ({packed}); keep the unpacked copy"),) if packed else ()
    return Words(
        "Material",
        f"Get {image.name} from its maker's own site, and compare its sum",
        (
            *_about(image),
            ("address", "typed, not from an advert: look-alike sites exist"),
            ("edition", "long-term or newest, for this processor, in the owner's language: noted for the owner"),
            ("label", image.label or "none"),
            ("starts", "; ".join(dict.fromkeys(starts)) or "nothing that is known yet"),
            *((("largest file", f"{image.largest[0]}, {both(image.largest[1])}"),) if image.largest else ()),
            *unpack,
            *_at_the_host(step),
        ),
        "The sum of the file as it lies here is the one that the maker publishes, all of it.",
        "An image without a published sum is not to be trusted: ask its maker's own site for one.",
        commands=(f"sha256sum {_file(image)}",),
        minutes=6 + image.size / float(table("defaults")["rates"]["internal_ssd"]) / 60,
    )


def _at_the_host(step: GetImage) -> tuple[tuple[str, str], ...]:
    """What the machine needs that makes the stick, where it unpacks an installer first."""
    if not step.unpacked:
        return ()
    whole = step.image.size + step.unpacked
    return (
        ("the host needs", f"{both(whole)} free: the download, and its unpacked copy beside it"),
        ("the host is", "of the same family as the installer: no other makes it"),
        ("name it", f"{step.image.name}: with its version, so that two are not taken for one another"),
    )


@told.register
def _tell_apart(step: TellApart, scene: Scene) -> Words:
    disk = _stick(scene, step.disk)
    port = {"usb2": "USB 2", "usb3": "USB 3"}.get(disk.stick.port if disk.stick else "", "not known")
    holds = ", ".join(scene.who(one.call) for one in disk.volumes) or "nothing that is known"
    return Words(
        "Medium",
        f"Find stick {step.disk}, and make sure of it by more than its size",
        (
            ("size", f"{grouped(disk.size)} B = {both(disk.size)}"),
            ("model", disk.model or "not known"),
            ("serial", disk.serial or "not known: it cannot be told from another one of its kind"),
            ("port", port),
            ("on it now", holds),
        ),
        "Listed with the stick out, then with it in: one line is new, with this size, model and serial. Listed again just before it is written.",
        "Every other removable is unplugged, memory cards too. What is on this stick is lost.",
        commands=(exact("media", "listing"),),
        minutes=float(table("defaults")["medium"]["fixed_minutes"]),
    )


@told.register
def _write_image(step: WriteImage, scene: Scene) -> Words:
    disk, image = _stick(scene, step.disk), step.image
    node, taken = scene.node(disk, None), passes(disk, image.size)
    return Words(
        "Medium",
        f"Write {image.name} to stick {step.disk}, byte by byte",
        (*_about(image), ("onto", disk.identity()), _timed(taken)),
        "The comparison prints nothing: every byte reads back as it is in the image.",
        f"Everything on stick {step.disk} is gone with the first byte. Wait until the flush is over: the last bytes take the longest.",
        "cut in the middle: the stick starts nothing; write it again",
        back="nothing brings back what was on the stick: copy it away before",
        commands=(
            f"dd if={_file(image)} of={node} bs=4M conv=fsync,notrunc status=progress",
            f"dd if=/dev/zero of={node} bs=512 seek={disk.size // 512 - MIB // 512} count={MIB // 512} conv=fsync,notrunc",
            f"cmp --bytes={image.size} {_file(image)} {node}",
        ),
        minutes=1 + taken.minutes,
    )


@told.register
def _copy_files(step: CopyFiles, scene: Scene) -> Words:
    place, image = scene.at(step.call), step.image
    disk = place[0] if place else Disk("M", 0)
    held = [one for one in image.tops if step.tops is None or one.name in step.tops]
    count = sum(one.payload for one in held)
    taken = passes(disk, count)
    what = (
        "its files" if step.tops is None else f"these folders: {', '.join(one or 'the files in its root' for one in step.tops)}"
    )
    changed = (("changes are kept", "the menus on the stick say so"), ("not kept", NOT_KEPT)) if step.keeps else ()
    split = (
        (("split", f"{image.over[0][0]} into parts of at most {binary(step.part)}, which its installer joins by itself"),)
        if step.part and image.over
        else ()
    )
    return Words(
        "Medium",
        f"Copy the files of {image.name} onto {step.call}",
        (
            *_about(image),
            ("copied", f"{what}; {sum(one.files for one in held)} files, {both(count)}"),
            ("onto", scene.who(step.call)),
            *split,
            *changed,
            _timed(taken),
        ),
        "Both lists of hashes are the same, line by line"
        + (", but for what was split or changed." if split or changed else "."),
        "A copy that fails at one file starts, and fails in the middle of the work: compare before you go on.",
        "cut in the middle: format the volume again and begin anew",
        back=f"format {step.call} again",
        commands=tuple(_copying(step, scene)),
        minutes=2 + taken.minutes,
    )


def _copying(step: CopyFiles, scene: Scene) -> list[str]:
    """The image is opened, what is wanted of it is picked, copied, and listed by its hashes on both sides."""
    image, picked = step.image, _picked(step)
    lines = [
        f"mkdir -p {OPENED} && {exact('media', 'opened').format(image=_file(image), folder=OPENED)}",
        MOUNT.format(part=scene.part(step.call)),
        f"(cd {OPENED} && {_picked(step, folders=True)} | tar --create --null --files-from=- --file=-) | {UNPACKED} && sync",
    ]
    if step.part and image.over:
        payload = image.over[0][0]
        part = payload.rsplit(".", 1)[0] + exact("media", "part_ending")
        made = exact("media", "split_payload").format(
            payload=OPENED + shlex.quote(payload), part='"$MOUNTED"' + shlex.quote(part), mib=step.part // MIB
        )
        folder = '"$MOUNTED"' + shlex.quote(payload.rsplit("/", 1)[0] or "/")
        lines.append(f"mkdir -p {folder} && {made} && sync")
    hashed = "xargs -0 sha256sum | sort"
    lines += [
        f'(cd {OPENED} && {picked} | {hashed} > "$HOME/there")',
        f'(cd "$MOUNTED" && {picked} | {hashed} > "$HOME/here")',
        'diff "$HOME/there" "$HOME/here"; wc -l "$HOME/here"',
        f"{UNMOUNT}; umount {OPENED}",
    ]
    return lines


def _picked(step: CopyFiles, *, folders: bool = False) -> str:
    """What lists the wanted files, and empty ``folders`` too, each ended by a zero byte: names may hold whatever they like."""
    named = " ".join(shlex.quote(f"./{one}") for one in step.tops or () if one)
    what = r"\( -type f -o -type d -empty \)" if folders else "-type f"
    finds = [f"find {named} {what} -print0"] if named else []
    if step.tops is None:
        finds = [f"find . {what} -print0"]
    elif "" in step.tops:
        finds.append(f"find . -maxdepth 1 {what} -print0")
    elif folders and all(one.name for one in step.image.tops):
        finds.append("find . -mindepth 1 -maxdepth 1 -type d -empty -print0")  # nothing says where they belong: in every part
    listed = finds[0] if len(finds) == 1 else f"{{ {'; '.join(finds)}; }}"
    without = "".join(f" | grep -zvxF {shlex.quote(f'.{path}')}" for path, _ in step.image.over) if step.part else ""
    return listed + without


@told.register
def _put_image(step: PutImage, scene: Scene) -> Words:
    place, image = scene.at(step.call), step.image
    taken = passes(place[0] if place else Disk("M", 0), image.size)
    target = '"$MOUNTED"' + shlex.quote(step.path)
    return Words(
        "Medium",
        f"Put {image.name} onto {step.call}, as a file beside the others",
        (*_about(image), ("as", step.path), ("onto", scene.who(step.call)), _timed(taken)),
        "The comparison prints nothing: the file on the stick is the image.",
        "Nothing on the stick is erased.",
        "cut in the middle: take the file off again and copy it anew",
        back=f"take {step.path} off {step.call}",
        commands=(
            MOUNT.format(part=scene.part(step.call)),
            f"cp {_file(image)} {target} && sync",
            f"cmp {_file(image)} {target}",
            UNMOUNT,
        ),
        minutes=1 + taken.minutes,
    )


@told.register
def _take_off(step: TakeOff, scene: Scene) -> Words:
    place = scene.at(step.call)
    size = next((one.size for one in place[1].images if one.path.lower() == step.path.lower()), 0) if place else 0
    return Words(
        "Medium",
        f"Take {step.path.lstrip('/')} off {step.call}",
        (("gives back", both(size)), ("on", scene.who(step.call))),
        "It is not listed any more; every other image is.",
        "The file is gone from the stick: keep the image itself until the new one has started once.",
        back="put the image on again",
        commands=(MOUNT.format(part=scene.part(step.call)), f'rm "$MOUNTED"{shlex.quote(step.path)} && sync', UNMOUNT),
        minutes=2,
    )


@told.register
def _make_menu(step: MakeMenu, scene: Scene) -> Words:
    folder = '"$MOUNTED"'
    if not step.path:
        return Words(
            "Medium",
            f"Put the loader and the driver of the bridge on {step.call}",
            (("onto", scene.who(step.call)), ("files", ", ".join(one.path for one in step.files))),
            "Started, it hands over to the large volume of the same stick.",
            "Neither bears a signature: a machine with Secure Boot on refuses them with a black screen or a message.",
            back=f"format {step.call} again",
            minutes=3,
        )
    return Words(
        "Medium",
        f"Put loaders and the menu on {step.call}",
        (
            ("onto", scene.who(step.call)),
            ("files", ", ".join(one.path for one in step.files)),
            ("entries", str(sum(one.startswith("menuentry ") for one in step.lines))),
        ),
        "The menu lists every image that starts this way, by its title.",
        "Made anew whenever an image is added or taken off: an entry without its image ends at an error.",
        back=f"the menu that was there before is written over: copy it beside you first ({step.path})",
        commands=(MOUNT.format(part=scene.part(step.call)), exact("media", "menu_loader").format(folder=folder), UNMOUNT),
        paste=step.lines,
        into=step.path.replace("\\", "/"),
        minutes=5,
    )


@told.register
def _eject(step: Eject, scene: Scene) -> Words:
    disk = _stick(scene, step.disk)
    place = scene.at(step.call) if step.call else None
    number = place[1].number if place else 1
    return Words(
        "Medium",
        f"Eject stick {step.disk}, and know it again in the firmware",
        (
            ("labels now", ", ".join(scene.who(one.call) for one in disk.volumes) or "none"),
            ("firmware shows it as", exact("media", "shown_as").format(model=disk.model or "its model", number=number)),
            *((("start this one", scene.who(step.call)),) if len(disk.volumes) > 1 and place else ()),
            *((("at every start, behind the kernel's line", step.option), ("not kept", NOT_KEPT)) if step.option else ()),
        ),
        "The light is out, and the system says that it may be taken off. On the machine the entry is there once it is plugged in.",
        "Pulled before the flush is over, the last files are not there.",
        commands=(f"sync && eject {scene.node(disk, None)}",),
        minutes=2,
    )


@told.register
def _keep_file(step: KeepFile, scene: Scene) -> Words:
    target = '"$MOUNTED"' + shlex.quote(step.path)
    lines = [
        MOUNT.format(part=scene.part(step.call)),
        f"dd if=/dev/zero of={target} bs=1M count={step.size // MIB} status=progress",
        f"mkfs.ext4 -F -q -U {step.uuid} -L {shlex.quote(step.label)} {target}",
    ]
    if step.inside_path:
        lines.append(f"mkdir -p {OPENED} && mount -o loop {target} {OPENED}")
        lines.append(f"printf '%s\\n' {shlex.quote(step.line)} > {OPENED}{shlex.quote(step.inside_path)} && umount {OPENED}")
    place = scene.at(step.call)
    taken = passes(place[0] if place else Disk("M", 0), step.size)
    return Words(
        "Medium",
        f"Make the file on {step.call} in which changes are kept",
        (
            ("as", step.path),
            ("size", f"{grouped(step.size)} B = {both(step.size)}"),
            ("label inside", step.label),
            ("not kept", NOT_KEPT),
        ),
        "Something written in the live system is still there after it was started anew.",
        "When it is full, the live system stops in the middle of whatever it does: look at the room that is left now and then.",
        back=f"take {step.path} off {step.call}: what was kept in it is gone",
        commands=(*lines, f"sync && {UNMOUNT}"),
        minutes=2 + taken.minutes,
    )


@told.register
def _try_start(step: TryStart, scene: Scene) -> Words:
    disk = _stick(scene, step.disk)
    place = scene.at(step.call) if step.call else None
    number = place[1].number if place else 1
    return Words(
        "Proof",
        f"Start {step.title or f'stick {step.disk}'} once, up to its first screen",
        (
            ("in the firmware's own menu", exact("media", "shown_as").format(model=disk.model or "its model", number=number)),
            *((("volume", scene.who(step.call)),) if place else ()),
        ),
        "Its first screen is there. Nothing is installed, and it is switched off again.",
        "A black screen with Secure Boot on: a link bears no signature. A blinking mark: the machine starts the other way.",
        minutes=4,
    )
