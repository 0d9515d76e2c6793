"""What starts a stick that is not one image as it is: the loaders, and a menu that is made from what is there."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from inkshelf.core.boot.own_files import LOADER_BYTES
from inkshelf.core.disk.contents import BootFile
from inkshelf.core.media.material import Image, starts_from_file, stem_of
from inkshelf.core.steps.kinds import MakeMenu
from inkshelf.core.value import Value
from inkshelf.data import exact, table

FIRST = ("set timeout=20", "insmod part_gpt part_msdos fat exfat ntfs iso9660 udf loopback")


class Shown(Value, frozen=True):
    """An image of a stick with the file that it is there."""

    image: Image
    path: str


def menu(call: str, title: str, shown: Iterable[Shown], uuid: str) -> MakeMenu:
    """Return the step that puts loaders and a menu on a start-up volume. ``uuid``: of the volume that holds the images."""
    lines = (
        f"# {title}: made anew whenever an image comes or goes",
        *FIRST,
        *(line for one in shown for line in _entry(one, uuid)),
    )
    return MakeMenu(call, title, _loaders(), _beside("menu_config"), tuple(lines))


def chained(call: str, title: str, volumes: Iterable[tuple[str, str]]) -> MakeMenu:
    """Return the step that puts a menu on a start-up volume which hands over to other volumes. ``volumes``: (title, label) of each."""
    loader = exact("paths", "fallback_x64").replace("\\", "/")
    lines = [f"# {title}: each hands over to a volume of its own", *FIRST]
    for name, label in volumes:
        shown = _quoted(stem_of(name))
        lines += [f'menuentry "{shown}" {{', f"  search --no-floppy --set=root --label {label}", f"  chainloader {loader}", "}"]
    return MakeMenu(call, title, _loaders(), _beside("menu_config"), tuple(lines))


def bridge(call: str, image: Image) -> MakeMenu:
    """Return the step that puts a loader and its driver on a small volume, by which firmware reads the large one."""
    files = (
        BootFile(exact("paths", "fallback_x64"), "loader", LOADER_BYTES["first-stage"], False),
        BootFile(_beside("bridge_driver"), "loader", LOADER_BYTES["menu"], False),
    )
    return MakeMenu(call, f"bridge to {image.name}", files, "", ())


def _beside(key: str) -> str:
    folder = exact("paths", "fallback_x64").rsplit("\\", 1)[0]
    return f"{folder}\\{exact('paths', key)}"


def _loaders() -> tuple[BootFile, ...]:
    return (
        BootFile(exact("paths", "fallback_x64"), "loader", LOADER_BYTES["first-stage"], True),
        BootFile(_beside("menu_x64"), "menu", LOADER_BYTES["menu"], True),
    )


def _entry(shown: Shown, uuid: str) -> Iterator[str]:
    """One entry: the image is opened as a disc, its own kernel started with its family's option for that."""
    live, why = shown.image.live, starts_from_file(shown.image)
    title = _quoted(stem_of(shown.image.name))
    if why or live is None:
        yield f"# {title}: not started from here: {why}"
        return
    options = table("exact_strings")["live_families"][live.family]["start"].format(
        path=shown.path, uuid=uuid, label=live.label or shown.image.label
    )
    yield f'menuentry "{title}" {{'
    yield f'  set image="{shown.path}"'
    yield '  search --no-floppy --set=large --file "$image"'
    yield '  loopback loop "($large)$image"'
    yield f'  linux "(loop){_quoted(live.kernel)}" {_quoted(options)}'
    if live.initial:
        yield f'  initrd "(loop){_quoted(live.initial)}"'
    yield "}"


def _quoted(text: str) -> str:
    """Inside a menu's quotes nothing may end them, or mean something else."""
    return "".join(one if one.isalnum() or one in " ._+-/=:,()@" else "_" for one in text)
