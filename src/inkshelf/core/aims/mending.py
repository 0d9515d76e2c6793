"""The aim "mend": a machine that no longer starts a system; what is seen, cheap looks, the cause, the smallest repair."""

from __future__ import annotations

from collections.abc import Iterator
from typing import ClassVar, Literal

from inkshelf.core.aims.base import AimBase, Answer, Need, Picture, Question
from inkshelf.core.aims.menus import configs_of
from inkshelf.core.aims.safety import assured, of_nt, protected, resumed, suspended
from inkshelf.core.boot.mishaps import STANDING
from inkshelf.core.boot.rehearse import outcome, systems
from inkshelf.core.errors import PlanError
from inkshelf.core.machine.roles import root_uuid
from inkshelf.core.machine.state import Machine, Volume
from inkshelf.core.mending.narrowing import Fitting, ailing, fitting, makes_sense, mended, next_looks
from inkshelf.core.mending.sights import BY_KEY, LOOK, LOOKS, SIGHTS, Look
from inkshelf.core.steps.fold import fold
from inkshelf.core.steps.identity import identified
from inkshelf.core.steps.kinds import Confirm, Prepare, Prove, PutLoader, Regenerate, Step, WriteStartCode
from inkshelf.core.texts import CallOrNone, KeyOrNone
from inkshelf.core.value import replace
from inkshelf.data import exact

PAPERS = {"backup", "recovery_key"}  # made sure of before anybody stands in the firmware's settings
NOT_YET = "not-yet"
ANY = "anything"
OFFERED = 3  # looks that are asked at a time: the next ones follow from their answers
NAMED = 2  # causes that are named beside an answer
LIKELIEST = "likeliest"


class Mend(AimBase, frozen=True, tag="mend"):
    """The start of ``system`` is put right. ``seen``: a sight; one field a look, "not-yet" where nobody looked; ``cause``: the one that is mended."""

    medium: ClassVar[Literal["", "installer", "live"]] = "live"
    made_of_needs: ClassVar[bool] = False
    title: ClassVar[str] = "Mend a machine that no longer starts"
    about: ClassVar[str] = (
        "From what is seen and what was captured to the cause; the smallest repair, rehearsed before it is done."
    )
    short: ClassVar[str] = "mend a start"
    picture: ClassVar[Picture] = (
        ((0, 0.06, "lost"), (0.08, 0.56, "ink"), (0.58, 1, "ink")),
        ((0, 0.06, "pencil"), (0.08, 0.56, "ink"), (0.58, 1, "ink")),
    )

    seen: KeyOrNone = ANY
    system: CallOrNone = ""
    changed: KeyOrNone = NOT_YET
    again: KeyOrNone = NOT_YET
    one_time: KeyOrNone = NOT_YET
    disk_listed: KeyOrNone = NOT_YET
    prompt_disks: KeyOrNone = NOT_YET
    waits_for: KeyOrNone = NOT_YET
    plain: KeyOrNone = NOT_YET
    mode: KeyOrNone = NOT_YET
    secure_off: KeyOrNone = NOT_YET
    folder: KeyOrNone = NOT_YET
    kernel: KeyOrNone = NOT_YET
    flag: KeyOrNone = NOT_YET
    cause: KeyOrNone = LIKELIEST

    @property
    def looked(self) -> tuple[tuple[str, str], ...]:
        """What was looked at, as (look, answer) pairs."""
        each = ((key, getattr(self, field_of(key))) for key in LOOK)
        return tuple((key, answer) for key, answer in each if answer != NOT_YET)

    def fits(self, found: Machine, seed: str = "", taken: tuple[str, ...] = ()) -> tuple[Fitting, ...]:
        """Return the causes that fit what is seen, captured and looked at, the likeliest first."""
        call = self.about_system(found)
        return fitting(found, call, self.sight, self.looked, seed, taken) if call else ()

    @property
    def sight(self) -> str:
        """What is seen, empty where that was not said."""
        return "" if self.seen == ANY else self.seen

    def about_system(self, found: Machine) -> str:
        """Return the system that is mended: the one that was named, else the one most in need; empty where there is none."""
        there = {one.call for one in systems(found)}
        return self.system if self.system in there else ailing(found)

    def sentence(self, found: Machine) -> str:
        """Name the system, what is seen, and the cause."""
        call = self.about_system(found)
        place = found.system(call) if call else None
        name = f"{place[1].holds.title} ({call})" if place and place[1].holds else "a system"
        seen = _within(BY_KEY[self.seen].title) if self.seen in BY_KEY else "it does not start"
        left = self.chosen(self.fits(found))
        return f"{name}: {seen}; {_within(left.cause.title) if left else 'no cause fits'}"

    def chosen(self, left: tuple[Fitting, ...]) -> Fitting | None:
        """Return the cause that is named, else the likeliest that is shown and whose repair starts the system, else the likeliest."""
        named = next((one for one in left if one.cause.key == self.cause), None)
        shown = next((one for one in left if one.case.shown and one.mends), None)
        return named or shown or (left[0] if left else None)

    def questions(self, found: Machine) -> tuple[Question, ...]:
        """Return what is seen and which system it is, the looks that tell most of what is left, and the causes that are left."""
        call = self.about_system(found)
        there = systems(found)
        known = tuple(Answer(f"{one.call} {one.holds.title}", one.call, "") for one in there if one.holds)
        seen = tuple(Answer(one.title, one.key, one.about) for one in SIGHTS)
        left = self.fits(found)
        not_said = Answer("not said", ANY, "Every cause that the capture allows.")
        return (
            Question("seen", "What is seen", (*seen, not_said), ANY, "the screen says most", stays=True),
            Question(
                "system",
                "Which system does not start",
                known,
                call,
                "the one most in need: that does not start, or by hand only",
                "volume",
                stays=True,
            ),
            *self._looks(found, left),
            self._cause(left),
        )

    def _looks(self, found: Machine, left: tuple[Fitting, ...]) -> Iterator[Question]:
        """First what was looked at, then the looks that tell most, then those that tell little now."""
        done = [LOOK[key] for key, _ in self.looked]
        best = [*next_looks(left, self.sight, self.looked)]
        rest = [one for one in LOOKS if one not in done and one not in best and makes_sense(one, self.sight)]
        for one in done:
            yield _asked(one, replace(self, **{field_of(one.key): NOT_YET}).fits(found), stays=True)
        for one in (*best, *rest):
            yield _asked(one, left, stays=one in best[:OFFERED])

    def _cause(self, left: tuple[Fitting, ...]) -> Question:
        """The causes that are left; the usual answer is the likeliest, which changes as looks come in."""
        first = self.chosen(left) if self.cause == LIKELIEST else (left[0] if left else None)
        each = tuple(Answer(one.cause.title, one.cause.key, _said(one)) for one in left)
        likeliest = Answer("the likeliest", LIKELIEST, first.cause.title if first else "None fits: look again.")
        why = first.case.why if first else "no cause fits what was said: one of the answers may be wrong"
        return Question("cause", f"Cause, {len(left)} left", (likeliest, *each), LIKELIEST, why, stays=True)

    def needs(self, found: Machine) -> tuple[Need, ...]:
        """No volume is wanted; what a repair makes it makes by itself."""
        return ()

    def steps(self, found: Machine, seed: str, taken: tuple[str, ...] = ()) -> tuple[Step, ...]:
        """Return the steps; raises ``PlanError`` where no cause fits, or its repair is none that a plan could hold."""
        call = self.about_system(found)
        if not call:
            raise PlanError("There is no system in this job that could start.", "Take its disk in, or say what a volume holds.")
        first = self.chosen(self.fits(found, seed, taken))
        if first is None:
            raise PlanError(
                "No cause fits what is seen and what was looked at.",
                "Look again at the last answer, or say “not said” to what is seen.",
            )
        if not first.case.steps:
            raise PlanError(f"{first.cause.title}: {first.case.why}.", first.case.by_hand or "Mend it by hand.")
        repair = mended(found, call, first, seed, taken)
        papers = tuple(one for one in repair if isinstance(one, Confirm) and one.subject in PAPERS)
        rest = tuple(one for one in repair if one not in papers)
        return identified((*papers, *_before(found, call, repair), *rest, *_behind(found, call, repair)), self.id)


def _listing(found: Machine, after: Machine, call: str) -> list[Step]:
    """A menu that was made from outside lists its own system: from inside it is made anew for those that it listed, or that started by themselves, before."""
    place = after.find(call)
    if place is None or place[1].holds is None or place[1].holds.family != "linux":
        return []
    esp, configs = configs_of(after, place[1])
    lines = [
        _line(one)
        for _, one in after.volumes()
        if one.holds and one.call != call and _came(found, one.call) and not _came(after, one.call)
    ]
    fuller = tuple(replace(one, targets=tuple(dict.fromkeys((*one.targets, *filter(None, lines))))) for one in configs)
    return [Prepare(call, "finder_on"), Regenerate(call, esp, fuller)] if fuller != configs else []


def _line(system: Volume) -> str:
    """What a menu calls a system by."""
    return exact("paths", "nt_loader") if of_nt(system) else root_uuid(system)


def _came(machine: Machine, call: str) -> bool:
    said = outcome(machine, call, STANDING[0])
    return said.starts and not said.by_hand


def field_of(look: str) -> str:
    """Return the field that holds the answer to a look."""
    return look.replace("-", "_")


def _asked(look: Look, left: tuple[Fitting, ...], *, stays: bool) -> Question:
    """A look as a question: what is done, and what each answer leaves."""
    how = f"{look.how} About {look.minutes} min." + (f" {look.caution}" if look.caution else "")
    answers = (
        *(Answer(one.title, one.key, _leaves(look, one.key, left)) for one in look.answers),
        Answer("not looked yet", NOT_YET, how),
    )
    return Question(look.key, look.title, answers, NOT_YET, "nobody has looked yet", field=field_of(look.key), stays=stays)


def _leaves(look: Look, answer: str, left: tuple[Fitting, ...]) -> str:
    fit = [_within(one.cause.title) for one in left if answer in one.cause.tells.get(look.key, (answer,))]
    if not fit:
        return "Leaves no cause."
    return f"Leaves {len(fit)} of {len(left)}: {'; '.join(fit[:NAMED])}{'; and more' if fit[NAMED:] else ''}."


def _within(title: str) -> str:
    """A title inside a sentence."""
    return title[:1].lower() + title[1:]


def _said(one: Fitting) -> str:
    how = "captured" if one.case.shown else "not ruled out"
    return f"{how}: {one.case.why}"


def _before(found: Machine, call: str, repair: tuple[Step, ...]) -> list[Step]:
    """What is made sure of first: nothing that is not needed for so small a work; a back-up where something is written inside or in a table."""
    deep = any(one.writes in {"table", "inside"} for one in repair)
    recovery = any(_in_recovery(found, one) for one in repair)
    live = any(one.actor != "person" or one.writes in {"table", "inside"} for one in repair if not _in_recovery(found, one))
    named = {one.subject for one in repair if isinstance(one, Confirm)} | (set() if deep else {"backup", "mains"})
    sure = [
        one for one in assured(found, "live" if live else "none") if not isinstance(one, Confirm) or one.subject not in named
    ]
    sure = [*([Confirm("recovery_stick")] if recovery else []), *sure]
    return [*sure, *(suspended(found) if _suspends_first(found, call, repair) else [])]


def _in_recovery(found: Machine, step: Step) -> bool:
    """Whether a step is done from the NT family's recovery."""
    if isinstance(step, WriteStartCode):
        return step.live and step.family == "nt"
    place = found.find(str(getattr(step, "call", "")))
    nt = place is not None and (of_nt(place[1]) or (place[1].filesystem is not None and place[1].filesystem.kind == "ntfs"))
    return nt and ((isinstance(step, PutLoader) and step.live) or (isinstance(step, Prepare) and step.what == "check_outside"))


def _suspends_first(found: Machine, call: str, repair: tuple[Step, ...]) -> bool:
    """Protection is suspended in the running system: not in one that does not start, and not where the repair does it."""
    mine = any(isinstance(one, Prepare) and one.what == "suspend_encryption" for one in repair)
    return not mine and call not in protected(found)


def _behind(found: Machine, call: str, repair: tuple[Step, ...]) -> list[Step]:
    """The mended system is looked at first, then the others that start; protection is taken up again."""
    after = fold(found, repair).planned
    others = [
        one.call for one in systems(after) if one.number and one.call != call and outcome(after, one.call, STANDING[0]).starts
    ]
    back = resumed(found) if _suspends_first(found, call, repair) else []
    return [
        Prove(call, "mended"),
        *_listing(found, after, call),
        *(Prove(one, "every old one") for one in others),
        *back,
        Confirm("tidy"),
    ]
