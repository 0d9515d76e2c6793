"""What is made inside an encrypted container, by whoever types its passphrase."""

from __future__ import annotations

import shlex

from inkshelf.core.disk.kinds import KINDS, Make
from inkshelf.core.sheet.scene import Scene
from inkshelf.core.sheet.telling.base import Words, told
from inkshelf.core.size import both, grouped
from inkshelf.core.steps.kinds import FillContainer


@told.register
def _fill(step: FillContainer, scene: Scene) -> Words:
    place = scene.at(step.call)
    system = place[1].filesystem if place else None
    mapped = system.label if system and system.label else step.call
    opened = f"/dev/mapper/{shlex.quote(mapped)}"
    lines = [f"cryptsetup open {scene.part(step.call)} {shlex.quote(mapped)}  # asks for the passphrase"]
    group = shlex.quote(step.group)
    if step.group:
        lines += [f"pvcreate {opened}", f"vgcreate {group} {opened}"]
        lines += [f"lvcreate -n {shlex.quote(one.name)} -L {one.size_bytes}b {group}" for one in step.holds]
    for one in step.holds:
        node = f"/dev/{group}/{shlex.quote(one.name)}" if step.group else opened
        kind = KINDS.get(one.kind)
        if kind and kind.make_lines:
            lines += kind.make_lines(Make(node, one.label, shlex.quote(one.uuid), 0, one.size_bytes, 512))
    lines.append(f"cryptsetup luksHeaderBackup {scene.part(step.call)} --header-backup-file header-{step.call}.luks")
    shown = "; ".join(f"{one.name} {both(one.size_bytes)}, UUID {one.uuid}" for one in step.holds)
    return Words(
        "Partitions",
        f"Unlock {step.call} and make what it holds: {', '.join(one.name for one in step.holds)}",
        (("inside", shown), ("bytes", ", ".join(f"{one.name} {grouped(one.size_bytes)}" for one in step.holds))),
        f"lsblk shows {mapped} below the partition, with these names and sizes. Leave it unlocked for the installer.",
        "A passphrase that the start's own keyboard types too: no sign that lies elsewhere on another layout.",
        back=f"format {step.call} again: nothing is in it yet",
        back_lines=(*((f"vgchange -an {group}",) if step.group else ()), f"cryptsetup close {shlex.quote(mapped)}"),
        commands=tuple(lines),
        minutes=6,
    )
