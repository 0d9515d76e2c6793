"""All kinds of step. A step is a value with a pure ``apply(Machine) -> Machine``; a plan is a list of them.

A step that meets a state it cannot change, or would not change, raises ``StepError``. Sizes and places are bytes. A kind's module is
loaded when the kind is first asked for, by its word in a document or by its name here: most jobs hold a third of them, and the
window is ready sooner. A kind that is missing in the list below is refused where it is read, and by a test of this folder.
"""

from __future__ import annotations

from functools import cache
from importlib import import_module
from typing import TYPE_CHECKING, Any

from inkshelf.core.errors import StepError
from inkshelf.core.steps.base import StepBase

if TYPE_CHECKING:
    from inkshelf.core.steps.containers import FillContainer as FillContainer
    from inkshelf.core.steps.containers import FillGroup as FillGroup
    from inkshelf.core.steps.firmware import AddEntry as AddEntry
    from inkshelf.core.steps.firmware import SetOrder as SetOrder
    from inkshelf.core.steps.firmware import SetSecureBoot as SetSecureBoot
    from inkshelf.core.steps.in_files import ApplyEdition as ApplyEdition
    from inkshelf.core.steps.in_files import ForgetInBootData as ForgetInBootData
    from inkshelf.core.steps.in_files import MakeDiskFile as MakeDiskFile
    from inkshelf.core.steps.in_files import NameInBootData as NameInBootData
    from inkshelf.core.steps.in_files import RemoveDiskFile as RemoveDiskFile
    from inkshelf.core.steps.making import Format as Format
    from inkshelf.core.steps.making import Install as Install
    from inkshelf.core.steps.making import Regenerate as Regenerate
    from inkshelf.core.steps.making import WriteFile as WriteFile
    from inkshelf.core.steps.media import CopyFiles as CopyFiles
    from inkshelf.core.steps.media import Eject as Eject
    from inkshelf.core.steps.media import GetImage as GetImage
    from inkshelf.core.steps.media import KeepFile as KeepFile
    from inkshelf.core.steps.media import MakeMenu as MakeMenu
    from inkshelf.core.steps.media import PutImage as PutImage
    from inkshelf.core.steps.media import TakeOff as TakeOff
    from inkshelf.core.steps.media import TellApart as TellApart
    from inkshelf.core.steps.media import TryStart as TryStart
    from inkshelf.core.steps.media import WriteImage as WriteImage
    from inkshelf.core.steps.mending import EnterSystem as EnterSystem
    from inkshelf.core.steps.mending import ForgetNext as ForgetNext
    from inkshelf.core.steps.mending import LeaveSystem as LeaveSystem
    from inkshelf.core.steps.mending import LetMissing as LetMissing
    from inkshelf.core.steps.mending import PutKernel as PutKernel
    from inkshelf.core.steps.mending import RenameEntry as RenameEntry
    from inkshelf.core.steps.mending import SetSetting as SetSetting
    from inkshelf.core.steps.mending import SetTimeout as SetTimeout
    from inkshelf.core.steps.mending import SwitchEntry as SwitchEntry
    from inkshelf.core.steps.partitions import Create as Create
    from inkshelf.core.steps.partitions import Delete as Delete
    from inkshelf.core.steps.partitions import Retype as Retype
    from inkshelf.core.steps.people import Confirm as Confirm
    from inkshelf.core.steps.people import Prepare as Prepare
    from inkshelf.core.steps.people import Prove as Prove
    from inkshelf.core.steps.removing import RemoveEntry as RemoveEntry
    from inkshelf.core.steps.removing import RemoveFiles as RemoveFiles
    from inkshelf.core.steps.reshaping import Grow as Grow
    from inkshelf.core.steps.reshaping import Label as Label
    from inkshelf.core.steps.reshaping import MakeLogical as MakeLogical
    from inkshelf.core.steps.reshaping import Move as Move
    from inkshelf.core.steps.reshaping import Renew as Renew
    from inkshelf.core.steps.reshaping import Shrink as Shrink
    from inkshelf.core.steps.starting import Mount as Mount
    from inkshelf.core.steps.starting import PutLoader as PutLoader
    from inkshelf.core.steps.starting import SetMode as SetMode
    from inkshelf.core.steps.starting import Stage as Stage
    from inkshelf.core.steps.starting import WriteStartCode as WriteStartCode
    from inkshelf.core.steps.tables import ConvertTable as ConvertTable
    from inkshelf.core.steps.tables import Enclose as Enclose
    from inkshelf.core.steps.tables import NewTable as NewTable
    from inkshelf.core.steps.tables import RepairTable as RepairTable
    from inkshelf.core.steps.typed import TypeIn as TypeIn

PLACES = {
    "fill-container": "containers.FillContainer",
    "fill-group": "containers.FillGroup",
    "add-entry": "firmware.AddEntry",
    "set-order": "firmware.SetOrder",
    "secure-boot": "firmware.SetSecureBoot",
    "apply-edition": "in_files.ApplyEdition",
    "disk-file": "in_files.MakeDiskFile",
    "boot-data": "in_files.NameInBootData",
    "forget-boot-data": "in_files.ForgetInBootData",
    "remove-disk-file": "in_files.RemoveDiskFile",
    "format": "making.Format",
    "install": "making.Install",
    "regenerate": "making.Regenerate",
    "write-file": "making.WriteFile",
    "copy-files": "media.CopyFiles",
    "eject": "media.Eject",
    "get-image": "media.GetImage",
    "keep-file": "media.KeepFile",
    "make-menu": "media.MakeMenu",
    "put-image": "media.PutImage",
    "take-off": "media.TakeOff",
    "tell-apart": "media.TellApart",
    "try-start": "media.TryStart",
    "write-image": "media.WriteImage",
    "enter-system": "mending.EnterSystem",
    "forget-next": "mending.ForgetNext",
    "leave-system": "mending.LeaveSystem",
    "may-be-missing": "mending.LetMissing",
    "put-kernel": "mending.PutKernel",
    "rename-entry": "mending.RenameEntry",
    "firmware-setting": "mending.SetSetting",
    "firmware-timeout": "mending.SetTimeout",
    "switch-entry": "mending.SwitchEntry",
    "create": "partitions.Create",
    "delete": "partitions.Delete",
    "retype": "partitions.Retype",
    "confirm": "people.Confirm",
    "prepare": "people.Prepare",
    "prove": "people.Prove",
    "remove-entry": "removing.RemoveEntry",
    "remove-files": "removing.RemoveFiles",
    "grow": "reshaping.Grow",
    "label": "reshaping.Label",
    "logical-volume": "reshaping.MakeLogical",
    "move": "reshaping.Move",
    "renew": "reshaping.Renew",
    "shrink": "reshaping.Shrink",
    "mount": "starting.Mount",
    "put-loader": "starting.PutLoader",
    "firmware-mode": "starting.SetMode",
    "stage": "starting.Stage",
    "start-code": "starting.WriteStartCode",
    "convert-table": "tables.ConvertTable",
    "extended": "tables.Enclose",
    "new-table": "tables.NewTable",
    "repair-table": "tables.RepairTable",
    "type-in": "typed.TypeIn",
}
"""Each kind's word with its module and class."""
Step = StepBase
_BY_NAME = {place.partition(".")[2]: word for word, place in PLACES.items()}


def kind_of_step(word: str) -> type[StepBase]:
    """Return the kind of step that a word names; raises ``StepError`` where there is none."""
    if word not in PLACES:
        raise StepError(f"There is no step “{word}”.", "The file was edited by hand: restore the last good copy.")
    return _loaded(word)


def every_step() -> tuple[type[StepBase], ...]:
    """Return all kinds, by name."""
    return tuple(_loaded(_BY_NAME[name]) for name in sorted(_BY_NAME))


@cache
def _loaded(word: str) -> type[StepBase]:
    module, _, name = PLACES[word].partition(".")
    found: type[StepBase] = getattr(import_module(f"inkshelf.core.steps.{module}"), name)
    return found


def __getattr__(name: str) -> Any:
    """Return a kind by the name of its class, as ``from … import Create`` asks for it."""
    if name not in _BY_NAME:
        raise AttributeError(f"There is no step kind {name}.")
    return _loaded(_BY_NAME[name])
