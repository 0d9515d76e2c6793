"""The other schools: swap in every way, the owner's files alone behind a passphrase, what chooses at the start, Secure Boot, who comes first."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from disks import answered
from inkshelf.bench.inker import ink
from inkshelf.bench.recipes import wanting
from inkshelf.core.aims.dividing import divider_takes
from inkshelf.core.aims.shares import swap_bytes, swap_file_bytes
from inkshelf.core.checks import findings
from inkshelf.core.errors import PlanError
from inkshelf.core.fit.room import givers
from inkshelf.core.machine.profiles import profile
from inkshelf.core.machine.state import Disk, FileSystem, SystemRoot, Table, Volume
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.candidates import figures
from inkshelf.core.sheet.meanwhile import MEANWHILE, WAITS
from inkshelf.core.sheet.sessions import sessions
from inkshelf.core.size import GB, GIB, MIB
from inkshelf.core.steps.kinds import (
    AddEntry,
    Confirm,
    Create,
    FillContainer,
    Format,
    Install,
    Prepare,
    Prove,
    Regenerate,
    SetOrder,
    SetSecureBoot,
    Shrink,
)
from inkshelf.core.value import replace
from inkshelf.exchange.render import markdown
from inkshelf.exchange.script import script

BEGINS = ("beside", "own-disk", "clean", "several")


def verdicts(job: Job) -> dict[str, str]:
    assert not job.plan_fault, job.plan_fault
    return {one.system: one.verdict for one in read(job).after if one.mishap == "none"}


def done(job: Job, kind: type) -> list:  # type: ignore[type-arg]
    return [one for one in job.steps if isinstance(one, kind)]


def on(job: Job, state: str) -> Job:
    found = replace(job.found, firmware=replace(job.found.firmware, secure_boot=state))
    return replace(job, found=found)


# -- swap --------------------------------------------------------------------------------------------------------------


@given(st.integers(1, 256))
def test_each_rule_of_swap_is_what_it_says(ram: int) -> None:
    sizes = {one: swap_bytes(one, ram * GIB) // GIB for one in ("none", "compressed", "file", "sqrt", "equal", "hibernate")}
    assert sizes["none"] == sizes["compressed"] == sizes["file"] == 0
    if ram <= 2:
        assert sizes["sqrt"] == sizes["equal"] == sizes["hibernate"] == 2 * ram
    else:
        assert sizes["equal"] == ram
        assert (sizes["sqrt"] - 1) ** 2 < ram
        assert sizes["sqrt"] ** 2 >= ram or sizes["sqrt"] == 8
        assert (sizes["hibernate"] - ram - 1) ** 2 < ram <= (sizes["hibernate"] - ram) ** 2
    assert swap_file_bytes("file", ram * GIB) == sizes["sqrt"] * GIB
    assert swap_file_bytes("sqrt", ram * GIB) == 0


@pytest.mark.parametrize("aim", BEGINS)
def test_a_swap_file_is_made_in_the_new_system_and_root_has_room_for_it(two: Job, aim: str) -> None:
    plain, job = (wanting(two, (aim, {"swap": swap, **asked(aim)})) for swap in ("none", "file"))
    steps = [one for one in done(job, Prepare) if one.what == "swap_file"]
    assert [one.size for one in steps] == [swap_bytes("sqrt", two.found.ram_bytes)] * len(done(job, Install))
    assert not [one for one in done(job, Create) if one.role == "swap"]
    kinds = [type(one) for one in job.steps]
    assert kinds.index(Install) < job.steps.index(steps[0])
    text = markdown(read(job))
    assert f"fallocate -l {steps[0].size // MIB}MiB /swapfile" in text
    assert "/swapfile none swap sw 0 0" in text
    free = [figures(read(one)).free[done(one, Install)[0].call] for one in (plain, job)]
    if aim == "own-disk":
        assert GIB // 2 < free[0] - free[1] <= steps[0].size, "what the finished system shows as free is without the file"
    floors = [sum(need.floor for need in one.aims[-1].needs(one.found)) for one in (plain, job)]
    assert floors[1] - floors[0] == sum(one.size for one in steps)


def asked(aim: str) -> dict[str, str]:
    return {"beside": {"esp": "own"}, "own-disk": {}, "clean": {"disk": "B"}, "several": {}}[aim]


def test_on_a_btrfs_the_file_lies_in_a_subvolume_of_its_own(two: Job) -> None:
    text = markdown(read(wanting(two, ("own-disk", {"swap": "file", "home": "subvolumes"}))))
    assert "btrfs filesystem mkswapfile" in text
    assert "fallocate" not in text


def test_a_container_of_the_root_alone_has_its_swap_in_a_file_that_is_told(two: Job) -> None:
    job = wanting(two, ("own-disk", {"encryption": "root", "home": "apart"}))
    (step,) = [one for one in done(job, Prepare) if one.what == "swap_file"]
    assert step.size == swap_bytes("sqrt", two.found.ram_bytes)


def test_compressed_memory_is_set_up_and_asks_for_no_memory_figure(two: Job) -> None:
    job = wanting(replace(two, found=replace(two.found, ram_bytes=None)), ("own-disk", {"swap": "compressed"}))
    assert [one.what for one in done(job, Prepare) if one.what.startswith("swap")] == ["swap_compressed"]
    assert "[zram0]" in markdown(read(job))
    assert "people.ram" not in {one.key for one in findings(read(job))}


@pytest.mark.parametrize(("swap", "wakes"), [("equal", False), ("hibernate", True)])
def test_only_a_swap_that_holds_the_memory_and_more_is_woken_from(two: Job, swap: str, *, wakes: bool) -> None:
    assert ("resume=UUID=" in markdown(read(wanting(two, ("own-disk", {"swap": swap}))))) == wakes


# -- the owner's files alone behind a passphrase -----------------------------------------------------------------------


@pytest.mark.parametrize("aim", BEGINS)
def test_home_alone_lies_in_a_container_and_is_opened_at_every_start(two: Job, aim: str) -> None:
    job = wanting(two, (aim, {"encryption": "home", "home": "apart", **asked(aim)}))
    assert set(verdicts(job).values()) <= {"starts", "starts by hand"}
    for install, fill in zip(done(job, Install), done(job, FillContainer), strict=True):
        (home,) = fill.holds
        assert home.name == "home"
        assert (f"UUID={home.uuid}", "/home") in install.mounts
        container = next(one for one in done(job, Format) if one.call == fill.call)
        assert [uuid for _, uuid in install.unlocks] == [container.uuid]
        assert install.boot == ""
        root = next(one for one in done(job, Format) if one.call == install.call)
        assert root.filesystem == "ext4"
    assert len(done(job, FillContainer)) == len(done(job, Install))
    free = figures(read(job)).free
    plain = figures(read(wanting(two, (aim, {"home": "apart", **asked(aim)})))).free
    new = done(job, Install)[0].call
    assert abs(free[new] - plain[new]) < GIB, "what is in the container is shown as free too"


@pytest.mark.parametrize("home", ["together", "subvolumes", "lvm"])
def test_a_home_that_is_no_volume_of_its_own_cannot_be_encrypted_alone(two: Job, home: str) -> None:
    assert "home of its own" in wanting(two, ("own-disk", {"encryption": "home", "home": home})).plan_fault


def test_such_a_system_is_inked_and_what_nobody_can_read_is_said(two: Job, tmp_path: Path) -> None:
    job = wanting(two, ("own-disk", {"encryption": "home", "home": "apart"}))
    report = ink(answered(job), tmp_path / "bench")
    assert [one for one in report.checks if not one.ok] == []
    call = done(job, FillContainer)[0].call
    assert any(call in one.what and "not" in one.detail for one in report.checks)


# -- what chooses at the start -----------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("menu", "old", "new", "looked"),
    [
        ("own", "starts", "starts", True),
        ("firmware", "starts by hand", "starts", False),
        ("old", "starts", "starts by hand", False),
    ],
)
@pytest.mark.parametrize("aim", ["beside", "own-disk", "no-stick"])
def test_what_chooses_at_the_start_is_what_was_asked_for(
    two: Job, aim: str, menu: str, old: str, new: str, *, looked: bool
) -> None:
    job = wanting(two, (aim, {"menu": menu}))
    (made,) = done(job, Install)
    assert verdicts(job) == {"S1": old, made.call: new}
    assert bool(done(job, Regenerate)) == looked
    number = next(one for one in done(job, AddEntry) if "nstaller" not in one.entry.title).entry.number
    order = read(job).plan.planned.firmware.order
    assert (order[0] == number) == (menu != "old")


def test_the_sheet_says_how_the_old_system_is_reached(two: Job) -> None:
    words = {menu: markdown(read(wanting(two, ("beside", {"menu": menu})))) for menu in ("own", "firmware", "old")}
    assert "(S1) from the menu" in words["own"]
    assert "(S1) from the firmware's one-time menu" in words["firmware"]
    assert "(S1) from" not in words["old"], "it comes by itself"
    assert "The installer puts its own entry first" in words["old"]


# -- Secure Boot -------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("aim", BEGINS)
@pytest.mark.parametrize(("secure", "states"), [("keep", []), ("work", ["off", "on"]), ("off", ["off"])])
def test_secure_boot_is_switched_before_anything_is_written_and_back_before_the_proof(
    two: Job, aim: str, secure: str, states: list[str]
) -> None:
    job = wanting(on(two, "on"), (aim, {"secure": secure, **asked(aim)}))
    switches = done(job, SetSecureBoot)
    assert [one.state for one in switches] == states
    assert read(job).plan.planned.firmware.secure_boot == ("off" if secure == "off" else "on")
    if switches:
        writes = [at for at, one in enumerate(job.steps) if one.writes in {"table", "inside"}]
        assert job.steps.index(switches[0]) < writes[0]
    if len(switches) > 1:
        proofs = [at for at, one in enumerate(job.steps) if isinstance(one, Prove) and one.when == "new"]
        assert job.steps.index(switches[1]) < proofs[0]
    assert not done(wanting(on(two, "off"), (aim, {"secure": "off", **asked(aim)})), SetSecureBoot), "it is off already"


@pytest.mark.parametrize("aim", [*BEGINS, "no-stick", "travelling"])
@pytest.mark.parametrize("state", [None, "hidden"])
@pytest.mark.parametrize("secure", ["work", "off"])
def test_a_switch_that_nobody_can_reach_is_not_passed_over(two: Job, aim: str, state: str | None, secure: str) -> None:
    job = on(two, state)  # type: ignore[arg-type]
    more = asked(aim) if aim in BEGINS else {}
    assert "Secure Boot is to be switched" in wanting(job, (aim, {**more, "secure": secure})).plan_fault
    assert not wanting(job, (aim, {**more, "secure": "keep"})).plan_fault


def test_a_loader_without_a_signature_makes_off_the_usual_answer(two: Job) -> None:
    asked_of = wanting(on(two, "on"), ("own-disk", {"system": "linux-desktop"}))
    assert asked_of.aims[-1].secure == "keep"
    questions = replace(asked_of.aims[-1], system="tv-box").questions(asked_of.found)
    usual = next(one for one in questions if one.key == "secure")
    assert usual.usual == "off"
    assert "without a signature" in usual.why


# -- which release, and who comes first --------------------------------------------------------------------------------


@pytest.mark.parametrize(("release", "subject"), [("long", "material"), ("newest", "material_newest")])
def test_the_release_that_was_chosen_is_the_one_that_is_fetched(two: Job, release: str, subject: str) -> None:
    job = wanting(two, ("beside", {"release": release}))
    assert [one.subject for one in done(job, Confirm) if one.subject.startswith("material")] == [subject]
    assert ("newest release" in markdown(read(job))) == (release == "newest")
    both = wanting(two, ("beside", {"release": release}), ("own-disk", {"release": release}))
    assert [one.subject for one in done(both, Confirm) if one.subject.startswith("material")] == [subject], "asked once"
    assert set(MEANWHILE) == set(WAITS) >= {subject}


@pytest.mark.parametrize("aim", ["clean", "several"])
def test_systems_come_as_they_are_named_and_the_start_is_put_right(two: Job, aim: str) -> None:
    said = {"systems": "linux-desktop,nt-desktop", "disk": "B"} if aim == "clean" else {"systems": "linux-desktop,nt-desktop"}
    usual = wanting(two, (aim, said))
    job = wanting(two, (aim, {**said, "order": "named"}))
    assert [one.family for one in done(usual, Install)] == ["nt", "linux"]
    assert [one.family for one in done(job, Install)] == ["linux", "nt"]
    linux = next(one.call for one in done(job, Install) if one.family == "linux")
    assert verdicts(job)[linux] == "starts"
    assert sorted(verdicts(job).values()) == sorted(verdicts(usual).values()), "the menu lists the one that came later, too"
    assert len(done(job, SetOrder)) > 1


def test_the_legacy_way_the_family_that_takes_the_first_sector_comes_first(two: Job) -> None:
    old = replace(two, found=replace(two.found, firmware=replace(two.found.firmware, mode="legacy", entries=(), order=())))
    said = {"systems": "linux-legacy,nt-old", "disk": "B", "table": "mbr"}
    assert "first" in wanting(old, ("clean", {**said, "order": "named"})).plan_fault
    assert not wanting(old, ("clean", said)).plan_fault


# -- who divides the disk ----------------------------------------------------------------------------------------------


def test_a_divider_is_simulated_with_the_numbers_that_its_screen_shows(one: Job, tmp_path: Path) -> None:
    job = wanting(one, ("beside", {"divides": "divider", "size": "80GiB"}))
    (shrink,) = done(job, Shrink)
    volume = one.found.find(shrink.call)[1]
    giver = next(two for two in givers(one.found.disks[0]) if two.volume.call == shrink.call)
    assert shrink.by == "linux-desktop"
    assert all(step.by == "linux-desktop" for step in [*done(job, Create), *done(job, Format)])
    assert len(done(job, Create)) == 1, "it makes one volume, and takes the EFI system partition that is there"
    text = markdown(read(job))
    assert f"`{(volume.size + giver.behind - shrink.to_bytes) / GB:.1f} GB`" in text, "it counts in decimal"
    assert f"`{giver.smallest / GB:.1f} GB`" in text, "where its handle stops"
    uuid = done(job, Format)[0].uuid
    assert uuid not in text, "identities are the installer's own"
    assert "mkfs" not in text
    assert "sfdisk" not in text
    summary = next(at for at, step in enumerate(job.steps) if step == Confirm("summary", id=step.id))
    assert summary < job.steps.index(shrink)
    report = ink(answered(job), tmp_path / "bench")
    assert [check for check in report.checks if not check.ok] == []


def test_a_gap_is_made_in_the_owners_system_and_filled_by_the_installer(one: Job) -> None:
    job = wanting(one, ("beside", {"divides": "gap", "system": "linux-rolling", "size": "90GiB"}))
    (shrink,) = done(job, Shrink)
    assert shrink.by == ""
    assert {step.by for step in done(job, Create)} == {"linux-rolling"}
    assert [step.filesystem for step in done(job, Format)] == ["btrfs"], "as its own layout has it"
    text = markdown(read(job))
    assert "type into the shrink box" in text
    assert "takes the free room" in text
    assert set(verdicts(job).values()) == {"starts"}
    keys = {question.key for question in job.aims[-1].questions(job.found)}
    assert not keys & {"home", "swap", "encryption", "esp"}, "what it lays out by itself is not asked"


@pytest.mark.parametrize(
    ("said", "why"),
    [
        ({"system": "linux-server", "divides": "gap"}, "not one of the answers"),
        ({"system": "nt-desktop", "divides": "divider"}, "not one of the answers"),
    ],
)
def test_a_way_that_an_installer_does_not_have_is_refused(one: Job, said: dict[str, str], why: str) -> None:
    with pytest.raises(PlanError, match=why):
        wanting(one, ("beside", said))


def test_a_way_is_lost_with_its_system_in_words(one: Job) -> None:
    job = wanting(one, ("beside", {"divides": "divider"}))
    other = replace(job.aims[-1], system="linux-server")
    with pytest.raises(PlanError, match="no such way"):
        other.steps(job.found, "x")


@given(st.integers(20, 460))
def test_a_divider_never_goes_below_its_floors(divided: Job, size: int) -> None:
    aim = replace(divided.aims[-1], size_bytes=size * GIB)
    giver = givers(divided.found.disks[0])[0]
    try:
        steps = aim.steps(divided.found, "x")
    except PlanError as error:
        least = profile("linux-desktop").floor
        assert size * GIB < least or size * GIB > giver.volume.size + giver.behind - giver.smallest, error.what
        return
    shrink = next((step for step in steps if isinstance(step, Shrink)), None)
    assert shrink is None or shrink.to_bytes >= giver.smallest


@pytest.fixture(scope="module")
def divided(one: Job) -> Job:
    return wanting(one, ("beside", {"divides": "divider", "size": "80GiB"}))


def test_a_script_leaves_to_the_installer_what_it_makes(one: Job) -> None:
    job = wanting(one, ("beside", {"divides": "gap", "size": "80GiB"}))
    with pytest.raises(PlanError, match="an installer"):
        script(read(job), "A")


def test_a_divider_takes_the_system_with_the_most_room_whatever_lies_beside_it() -> None:
    def volume(call: str, at: int, size: int, used: int, *, system: bool) -> Volume:
        held = FileSystem("ext4", size * GIB, used_bytes=used * GIB, smallest_bytes=used * GIB)
        holds = SystemRoot("linux", call) if system else None
        role = "system" if system else "data"
        return Volume(call, at // GIB, at, size * GIB, "", role, filesystem=held, holds=holds)

    volumes = (
        volume("S1", GIB, 60, 50, system=True),
        volume("S2", 61 * GIB, 80, 20, system=True),
        volume("D1", 141 * GIB, 200, 5, system=False),
    )
    table = Table("gpt", first_usable=34, last_usable=400 * GIB // 512)
    disk = Disk("A", 401 * GIB, table=table, volumes=volumes)
    assert divider_takes(disk).volume.call == "S2"
    assert divider_takes(replace(disk, volumes=volumes[2:])).volume.call == "D1", "where no system is, the room decides"


def test_a_gap_on_another_disk_is_used_before_anything_shrinks(two: Job) -> None:
    other = two.found.disk("B")
    table = Table("gpt", "5f3c1c5e-7a4e-4e0a-9a57-0c4d2f0e1a2b", first_usable=34, last_usable=other.size // 512 - 34)
    job = replace(two, found=two.found.with_disk(replace(other, table=table)))
    made = wanting(job, ("beside", {}))
    assert made.aims[-1].disk == "B"
    assert not done(made, Shrink)
    outside = replace(job, found=job.found.with_disk(replace(other, table=table, removable=True)))
    assert wanting(outside, ("beside", {})).aims[-1].disk == "A", "what can be unplugged is no place for it"
    small = replace(job, found=job.found.with_disk(replace(other, table=replace(table, last_usable=20 * GIB // 512))))
    assert wanting(small, ("beside", {})).aims[-1].disk == "A"


def test_what_an_installer_does_by_itself_asks_for_no_start_of_its_own(two: Job) -> None:
    reading = read(wanting(two, ("clean", {"systems": "linux-desktop,nt-desktop", "disk": "B", "order": "named"})))
    for step, session in zip(reading.job.steps, sessions(reading), strict=True):
        if isinstance(step, AddEntry | SetOrder) and step.by == "installer":
            assert not session.start or "installer's own" in session.start
