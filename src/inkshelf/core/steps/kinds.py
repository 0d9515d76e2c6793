"""All kinds of step. A step is a value with a pure ``apply(Machine) -> Machine``; a plan is a list of them.

A step that meets a state it cannot change, or would not change, raises ``StepError``. Sizes and places are bytes. Every class below
``StepBase`` in the modules that are imported here is a kind, in memory and in the job file; there is no other list.
"""

from inkshelf.core.errors import StepError
from inkshelf.core.steps.base import TRAITS, StepBase
from inkshelf.core.steps.containers import FillContainer as FillContainer
from inkshelf.core.steps.containers import FillGroup as FillGroup
from inkshelf.core.steps.firmware import AddEntry as AddEntry
from inkshelf.core.steps.firmware import SetOrder as SetOrder
from inkshelf.core.steps.firmware import SetSecureBoot as SetSecureBoot
from inkshelf.core.steps.in_files import ApplyEdition as ApplyEdition
from inkshelf.core.steps.in_files import MakeDiskFile as MakeDiskFile
from inkshelf.core.steps.in_files import NameInBootData as NameInBootData
from inkshelf.core.steps.making import Format as Format
from inkshelf.core.steps.making import Install as Install
from inkshelf.core.steps.making import Regenerate as Regenerate
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
from inkshelf.core.steps.mending import SetSetting as SetSetting
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


def _all() -> tuple[type[StepBase], ...]:
    """Every kind; one without its traits is refused when the program starts, not when somebody inks."""
    found = tuple(sorted(StepBase.__subclasses__(), key=lambda one: one.__name__))
    for one in found:
        lacking = [name for name in TRAITS if not hasattr(one, name)]
        if lacking:
            raise TypeError(f"The step kind {one.__name__} does not say its {', '.join(lacking)}.")
    return found


KINDS = _all()
Step = StepBase
_BY_WORD = {str(one.__struct_config__.tag): one for one in KINDS}


def kind_of_step(word: str) -> type[StepBase]:
    """Return the kind of step that a word names; raises ``StepError`` where there is none."""
    if word not in _BY_WORD:
        raise StepError(f"There is no step “{word}”.", "The file was edited by hand: restore the last good copy.")
    return _BY_WORD[word]
