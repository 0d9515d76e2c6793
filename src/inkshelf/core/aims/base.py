"""What every kind of aim has: the person's answers, the questions they answer, the volumes it needs, its steps."""

from collections.abc import Mapping
from typing import ClassVar, Literal

from inkshelf.core.machine.state import Machine, Role
from inkshelf.core.steps.kinds import Step
from inkshelf.core.texts import Count, Key, KeyOrNone
from inkshelf.core.value import Value, replace
from inkshelf.data import shops_own

Piece = tuple[float, float, str]
"""From where to where on a disk, 0 to 1, and how it is drawn: ink, gap, pencil, lost, stick."""
Picture = tuple[tuple[Piece, ...], tuple[Piece, ...]]
"""A disk before and after."""
Slot = Literal["any", "better", "primary", "inside"]
AnswerKind = Literal["choice", "size", "disk", "volume", "volumes", "system", "systems", "number", "image", "images", "names"]


class Answer(Value, frozen=True):
    """One answer to a question: the word for it, its value, and what it costs."""

    title: str
    value: str
    cost: str


class Question(Value, frozen=True):
    """One question of an aim: its words, the answers; ``usual`` with the reason why, on this machine.

    ``kind`` says what an answer is: one of ``answers``; a size (or "comfortable"); a disk's letter; call numbers; profiles of systems; a number;
    image files, or what is told of them; names among ``answers``.
    ``field``: the field of the aim that holds the answer, ``key`` where it has the same name. ``stays``: it is asked although its answer is
    the usual one.
    """

    key: str
    title: str
    answers: tuple[Answer, ...]
    usual: str
    why: str
    kind: AnswerKind = "choice"
    field: str = ""
    stays: bool = False

    @property
    def of(self) -> str:
        """The field that holds the answer."""
        return self.field or self.key

    @property
    def usual_title(self) -> str:
        """The usual answer in words; of several systems, each by its title."""
        titles = {one.value: one.title for one in self.answers}
        if self.kind == "systems":
            return ", ".join(titles.get(one, one) for one in self.usual.split(","))
        return titles.get(self.usual, self.usual)


def _of_shop(question: Question) -> Question:
    """A shop that does things its own way has that as what is usual; where the machine does not allow it, the machine decides."""
    own = shops_own("schools", question.key)
    if not own or question.kind != "choice" or all(one.value != own["value"] for one in question.answers):
        return question
    return replace(question, usual=own["value"], why=own["reason"])


class Need(Value, frozen=True):
    """One volume that an aim wants. Sizes in bytes; ``grows``: it takes what remains. ``type_key``: a key of the partition types.

    ``fixed``: a size that a person set, which stays; ``filesystem`` and ``name`` are empty where there is none; ``reason``: why its
    floor and comfort are what they are.

    ``slot``: "primary" where an MBR's extended partition will not do, as what starts from it is looked for in the table itself; "better"
    where it does, but no boot entry leads there: firmware counts logical volumes in another way than the systems that make entries;
    "inside" where what comes later needs the extended partition, although slots are left for this one.
    ``behind``: the part that it stands right behind. ``piece``: needs of one word lie side by side; those of another may lie elsewhere.
    """

    part: str
    role: Role
    type_key: str
    filesystem: str
    label: str
    name: str
    floor: int
    comfort: int
    grows: bool = False
    fixed: int = 0
    attributes: int = 0
    reason: str = ""
    slot: Slot = "any"
    behind: str = ""
    piece: str = ""


def primary(needs: tuple[Need, ...]) -> bool:
    """Tell whether one of these volumes is no use inside an extended partition."""
    return any(one.slot == "primary" for one in needs)


def lock_key(need: Need) -> str:
    """Return what the size of a need is locked by: its part; a container is told from the root that lies in it."""
    return f"container{need.part.removeprefix('root')}" if need.role == "container" else need.part


def held(needs: tuple[Need, ...], sizes: tuple[tuple[str, int], ...]) -> tuple[Need, ...]:
    """Return the needs with the sizes that a person locked."""
    known = dict(sizes)
    return tuple(replace(one, fixed=known[lock_key(one)]) if lock_key(one) in known else one for one in needs)


class AimBase(Value, frozen=True, tag_field="kind", kw_only=True):
    """What every aim has.

    ``slow``: planning it takes longer than a frame. ``made_of_needs``: every partition that it makes is one of its needs.
    ``medium``: the stick that it is started from (empty: none). ``id``: steps are named
    after it, so that they keep their identity when another aim comes or goes.

    The steps of an aim make one partition for each of its needs, in their order: readers tell from that which need a volume is for.
    ``sizes``: what a person locked, in bytes, by the key of a need: it stays, and the others adapt.
    """

    id: KeyOrNone = "a1"
    sizes: tuple[tuple[Key, Count], ...] = ()

    title: ClassVar[str]
    about: ClassVar[str]
    short: ClassVar[str]
    picture: ClassVar[Picture]
    slow: ClassVar[bool] = False
    made_of_needs: ClassVar[bool] = True
    medium: ClassVar[Literal["", "installer", "live"]] = ""

    @property
    def kind(self) -> str:
        """The word for the kind, for example ``"beside"``."""
        return str(self.__struct_config__.tag)

    @classmethod
    def usual_on(cls, found: Machine, said: Mapping[str, str] | None = None) -> "AimBase":
        """Return the aim with what a person said, and else with the answers that are usual on this machine, in the order of the questions."""
        from inkshelf.core.aims.asking import answered

        aim: AimBase = cls()
        given = dict(said or {})
        for key in [*given, *(one.key for one in aim.asked(found) if one.key not in given)]:
            usual = next((one.usual for one in aim.asked(found) if one.key == key), "")
            answer = given.get(key, usual)
            aim = answered(aim, found, key, answer) if key in given or answer else aim
        return aim

    def makes_first(self) -> tuple[str, ...]:
        """Return the letters of the sticks that are made before other aims start from them: its steps come before theirs."""
        return ()

    def sentence(self, found: Machine) -> str:
        """Return the aim in one sentence, as it is on this machine."""
        return self.title

    def asked(self, found: Machine) -> tuple[Question, ...]:
        """Return what a person is asked, with a shop's own schools as what is usual where they are among the answers."""
        return tuple(_of_shop(one) for one in self.questions(found))

    def questions(self, found: Machine) -> tuple[Question, ...]:
        """Return what a person is asked, as this machine has it usual."""
        raise NotImplementedError(self.kind)

    def needs(self, found: Machine) -> tuple[Need, ...]:
        """Return the volumes that are wanted, in the order in which they are made."""
        raise NotImplementedError(self.kind)

    def steps(self, found: Machine, seed: str, taken: tuple[str, ...] = ()) -> tuple[Step, ...]:
        """Return the steps; raises ``PlanError`` where it cannot be. ``taken``: call numbers that are given away already."""
        raise NotImplementedError(self.kind)

    def proven(self, found: Machine, seed: str) -> bool:
        """Tell whether nothing better is possible than the steps that were just planned; asked only then, as what was worked out is known still."""
        return True
