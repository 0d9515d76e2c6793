"""What is made inside a container: an encrypted one, by whoever types its passphrase; a volume group."""

from __future__ import annotations

import shlex

from inkshelf.core.disk.kinds import KINDS, Make
from inkshelf.core.machine.state import Inside
from inkshelf.core.sheet.scene import Scene
from inkshelf.core.sheet.telling.base import Words, told
from inkshelf.core.size import both, grouped
from inkshelf.core.steps.kinds import FillContainer, FillGroup
from inkshelf.core.steps.making import SUBVOLUMES


@told.register
def _fill(step: FillContainer, scene: Scene) -> Words:
    place = scene.at(step.call)
    system = place[1].filesystem if place else None
    mapped = system.label if system and system.label else step.call
    opened = f"/dev/mapper/{shlex.quote(mapped)}"
    lines = [f"cryptsetup open {scene.part(step.call)} {shlex.quote(mapped)}  # asks for the passphrase"]
    group = shlex.quote(step.group)
    if step.group:
        lines += [f"pvcreate {opened}", f"vgcreate {group} {opened}", *_logical_lines(group, step.holds)]
    for one in step.holds:
        lines += _file_system_lines(one, f"/dev/{group}/{shlex.quote(one.name)}" if step.group else opened)
    lines.append(f"cryptsetup luksHeaderBackup {scene.part(step.call)} --header-backup-file header-{step.call}.luks")
    return Words(
        "Partitions",
        f"Unlock {step.call} and make what it holds: {', '.join(one.name for one in step.holds)}",
        _figures(step.holds),
        f"lsblk shows {mapped} below the partition, with these names and sizes. Leave it unlocked for the installer.",
        "A passphrase that the start's own keyboard types too: no sign that lies elsewhere on another layout.",
        back=f"format {step.call} again: nothing is in it yet",
        back_lines=(*((f"vgchange -an {group}",) if step.group else ()), f"cryptsetup close {shlex.quote(mapped)}"),
        commands=tuple(lines),
        minutes=6,
    )


@told.register
def _fill_group(step: FillGroup, scene: Scene) -> Words:
    place = scene.at(step.call)
    name = place[1].filesystem.label if place and place[1].filesystem else "group"
    group = shlex.quote(name)
    made = [f"/dev/{group}/{shlex.quote(one.name)}" for one in step.holds]
    return Words(
        "Partitions",
        f"Make {', '.join(one.name for one in step.holds)} in the volume group of {step.call}",
        (("group", name), *_figures(step.holds)),
        f"lvs lists them in {name}, with these sizes; lsblk shows them below the partition.",
        "Room that is left in the group later on goes to any of them, while it is in use.",
        back_lines=tuple(f"lvremove -y {one}" for one in made),
        commands=(
            *_logical_lines(group, step.holds),
            *(line for one, node in zip(step.holds, made, strict=True) for line in _file_system_lines(one, node)),
        ),
        scripted=True,
        minutes=3,
    )


def _logical_lines(group: str, holds: tuple[Inside, ...]) -> tuple[str, ...]:
    return tuple(f"lvcreate -y -n {shlex.quote(one.name)} -L {one.size_bytes}b {group}" for one in holds)


def _file_system_lines(one: Inside, node: str) -> tuple[str, ...]:
    kind = KINDS.get(one.kind)
    if kind is None or kind.make_lines is None:
        return ()
    return kind.make_lines(
        Make(node, one.label, shlex.quote(one.uuid), 0, one.size_bytes, 512, SUBVOLUMES if one.kind == "btrfs" else ())
    )


def _figures(holds: tuple[Inside, ...]) -> tuple[tuple[str, str], ...]:
    shown = "; ".join(f"{one.name} {both(one.size_bytes)}, UUID {one.uuid}" for one in holds)
    return (("inside", shown), ("bytes", ", ".join(f"{one.name} {grouped(one.size_bytes)}" for one in holds)))
