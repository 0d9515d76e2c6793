"""A system in a file: the file, the edition that goes into it, its name in the boot data. Typed in the first system's own shell."""

from __future__ import annotations

from inkshelf.core.machine.profiles import profile
from inkshelf.core.machine.state import Volume
from inkshelf.core.sheet.scene import Scene
from inkshelf.core.sheet.telling.base import Words, told
from inkshelf.core.size import MIB, binary, both, grouped
from inkshelf.core.steps.kinds import ApplyEdition, ForgetInBootData, MakeDiskFile, NameInBootData, RemoveDiskFile
from inkshelf.data import exact


@told.register
def _make(step: MakeDiskFile, scene: Scene) -> Words:
    growing = step.form == "growing"
    lines = [
        exact("nt", "disk_file").format(path=step.path, mib=step.size // MIB, form="expandable" if growing else "fixed"),
        exact("nt", "select_file").format(path=step.path),
        exact("nt", "attach_file"),
        exact("nt", "convert_table").format(table=step.table),
        exact("nt", "one_volume"),
        exact("nt", "format_in_file").format(label=step.label),
        exact("nt", "letter_in_file"),
    ]
    return Words(
        "Partitions",
        f"Make the file {step.path} in {step.call}, a disk of its own",
        (
            ("number in the box, which takes MiB", str(step.size // MIB)),
            ("exactly", f"{grouped(step.size)} B = {both(step.size)}"),
            ("kind", f"{step.form}; table inside: {step.table.upper()}"),
            ("as administrator", exact("nt", "disk_shell")),
            *((("in it, line by line", one) if not at else ("", one)) for at, one in enumerate(lines)),
        ),
        "Its list of volumes shows V, with this label and size."
        + ("" if growing else " A fixed file of this size takes some minutes."),
        "In the box beside the number a unit is chosen: MB there means MiB. Never the drive letter of a real volume.",
        back=f"detach the file in the same shell, then delete {step.path}: nothing else was changed",
        minutes=4 if growing else 8,
    )


@told.register
def _apply(step: ApplyEdition, scene: Scene) -> Words:
    index = str(step.index) if step.index else "N"
    chosen = (
        ("edition", f"{step.index}: {step.edition}")
        if step.index
        else ("edition", "not read yet: the list below has the numbers; write the one that is wanted here")
    )
    return Words(
        "Install",
        f"Put an edition of the install image into the file of {step.call}",
        (
            ("as administrator: list the editions", exact("nt", "list_editions")),
            chosen,
            ("apply it; D: is the image, V: the file's volume", exact("nt", "apply_edition").format(index=index)),
        ),
        "A percentage that runs to 100 and a word of success; V: then holds the folders of a system.",
        "The number differs from image to image: never one from memory.",
        risk=f"What is in the file is not whole; {step.host} is as before.",
        back="format V: again",
        minutes=float(profile(step.profile).minutes) if step.profile else 30.0,
    )


@told.register
def _name(step: NameInBootData, scene: Scene) -> Words:
    return Words(
        "Entries",
        f"Name {step.call} in the boot data, as “{step.title}”",
        (
            ("as administrator: a copy of it first", exact("nt", "keep_boot_data").format(call=step.call)),
            ("then", exact("nt", "boot_files_in_file")),
            ("what it lists", exact("nt", "list_boot_data")),
            ("its title; {ID} is what the list says", exact("nt", "title_in_boot_data").format(title=step.title)),
            ("the old one stays what starts by itself", exact("nt", "default_stays")),
        ),
        "The list shows two systems, one of them with the path of the file.",
        "The old system's own entry is not touched; the start files beside the list are written anew from the image. Delete nothing from the list.",
        back_lines=(exact("nt", "own_boot_files"), exact("nt", "boot_data_back").format(call=step.call)),
        minutes=4,
    )


@told.register
def _forget(step: ForgetInBootData, scene: Scene) -> Words:
    place = scene.before.find(step.call)
    device = _device(place[1]) if place else _path(step.call, scene)
    return Words(
        "Entries",
        f"Take {step.call} out of the boot data",
        (
            ("as administrator: a copy of it first", exact("nt", "keep_boot_data").format(call=step.call)),
            ("what it lists", exact("nt", "list_boot_data")),
            ("the one whose device is the volume" if place else "the one whose device is the file", device),
            ("delete that one; {ID} is what the list says", exact("nt", "entry_off")),
            ("what begins by itself: the one that runs", exact("nt", "default_stays")),
            ("list it again", exact("nt", "list_boot_data")),
        ),
        f"The list shows one system less, none of them with {'that volume' if place else 'the path of the file'}; the system that stays is what starts by itself.",
        "Do this in the system that stays: its own line says partition=C:, and is never deleted."
        if place
        else "Its own lines name a file, never the letter of a volume alone: what names one is another system.",
        back_lines=(exact("nt", "boot_data_back").format(call=step.call),),
        minutes=3,
    )


@told.register
def _delete(step: RemoveDiskFile, scene: Scene) -> Words:
    place = next((file for _, one in scene.before.volumes() for file in one.disk_files if file.call == step.call), None)
    return Words(
        "Partitions",
        f"Delete the file {step.path} in {step.host}, with the system in it",
        (
            ("of", both(place.stored_bytes) if place else "size not known"),
            ("as administrator; its own drive letter in the place of C", exact("nt", "delete_file").format(path=step.path)),
        ),
        "The folder no longer lists it, and the volume has that much more room. It does not go where the file is attached: detach it first.",
        "Everything in it is gone: the owner's files in that system, too.",
        minutes=2,
    )


def _device(volume: Volume) -> str:
    """A volume as a list of boot data shows it: by the letter that it has there, which only its label and size tell."""
    label = volume.filesystem.label if volume.filesystem else ""
    return f"partition=X:, X the letter of the volume {f'“{label}”' if label else 'without a label'}, {binary(volume.size)} ({volume.call})"


def _path(call: str, scene: Scene) -> str:
    return next((file.path for _, one in scene.before.volumes() for file in one.disk_files if file.call == call), "the file")
