"""Commands that make a job and say more of it: take a machine in, record facts, say the aim, answer for a stop."""

from __future__ import annotations

from argparse import ArgumentParser, Namespace
from pathlib import Path
from typing import TYPE_CHECKING

from inkshelf.cli.shared import Command, choice, facts, load, nearest, path, said, save, takes_job, word
from inkshelf.core.errors import InkshelfError
from inkshelf.core.value import replace

if TYPE_CHECKING:
    from inkshelf.core.plan.job import Job, Source
    from inkshelf.exchange.anytext import Gathered


def _takes_new(parser: ArgumentParser) -> None:
    parser.add_argument("-o", "--output", metavar="JOB.json", type=path, required=True, help="the job file to write")
    parser.add_argument("--firmware", type=word, help="uefi or legacy; a capture of the kit says it itself")
    parser.add_argument("--secure-boot", type=word, help="on, off, absent or hidden")
    parser.add_argument("--ram", type=word, help="memory, for example 16GiB")
    takes_readings(parser)
    parser.add_argument(
        "--stick", type=word, metavar="NAME", action="append", default=[], help="a simulated stick; again for more"
    )
    parser.add_argument("--sticks", type=path, metavar="FOLDER", help="where the simulated sticks are")
    parser.add_argument("--lsblk", type=path, metavar="FILE", help="what lsblk --json --bytes --output-all printed")
    parser.add_argument(
        "--sfdisk", type=path, metavar="FILE", action="append", default=[], help="what sfdisk --json printed; again for more"
    )
    parser.add_argument("--backup", type=word, help="none, made or read-back")
    parser.add_argument("--mains", type=word, help="yes or no")
    parser.add_argument("--encrypted", type=word, help="yes or no: the owner's system volume")
    parser.add_argument("--title", type=word, default="", help="what the job is called")
    parser.add_argument("--owner", type=word, default="", help="whose machine it is")


def takes_readings(parser: ArgumentParser) -> None:
    """Add images and captured texts."""
    parser.add_argument(
        "--disk", type=path, metavar="IMAGE", action="append", default=[], help="a raw disk image; again for more"
    )
    parser.add_argument(
        "--capture",
        type=path,
        metavar="FILE",
        action="append",
        default=[],
        help="what lsblk, sfdisk, blkid or efibootmgr printed, or a folder of boot variables as the kernel shows them; again for more",
    )


def _new(words: Namespace) -> int:
    from inkshelf.bench.intake import take_in, with_listings
    from inkshelf.core.machine.state import Conditions
    from inkshelf.core.size import parse_size

    told, sources = captured([*([words.lsblk] if words.lsblk else []), *words.sfdisk, *words.capture])
    mode = words.firmware or (told.facts.mode if told.facts else None)
    if mode is None:
        raise InkshelfError("How the firmware starts is not said.", "Add --firmware uefi or --firmware legacy.")
    _refuse_legacy(mode.lower(), told)
    job = take_in(
        words.disk,
        [told.disks] if told.disks else [],
        sources,
        mode=said("firmware", mode),
        secure_boot=said("secure-boot", words.secure_boot),
        ram_bytes=parse_size(words.ram) if words.ram else None,
        conditions=Conditions(
            said("mains", words.mains), said("backup", words.backup), encrypted=said("encrypted", words.encrypted)
        ),
        title=words.title or (told.facts.maker if told.facts else "") or words.output.stem,
        owner=words.owner,
        alone=bool(words.stick),
    )
    for name in words.stick:
        from inkshelf.cli.sticks import folder_of, taken

        job = taken(job, folder_of(words.sticks), name)
    if told.firmware is not None or told.listed:
        job = with_listings(job, (), (), told.firmware, told.listed)
    job = _with_facts(job, told)
    save(job, words.output)
    volumes = sum(len(one.volumes) for one in job.found.disks)
    print(
        f"{words.output}: {len(job.found.disks)} disk(s), {volumes} volumes. Next: inkshelf aim {words.output} beside --system linux-desktop --size 120GiB"
    )
    from inkshelf.cli.logging import known_again

    known_again(job)
    _say_contradictions(job)
    return 0


def _with_facts(job: Job, told: Gathered) -> Job:
    """What a capture of the kit says of the machine; what it could not say, and what it contradicts, is printed."""
    if told.facts is None:
        return job
    from inkshelf.bench.intake import with_facts

    job, differ = with_facts(job, told.facts)
    for one in differ:
        print(f"CONTRADICTION: {one}")
    for one in told.missing:
        print(f"not captured: {one}")
    return job


def _refuse_legacy(firmware: str, told: Gathered) -> None:
    if told.firmware is not None and firmware == "legacy":
        raise InkshelfError(
            "Boot variables were captured, and the firmware is said to be legacy.",
            "A machine that has them started as UEFI: say --firmware uefi.",
        )


def captured(paths: list[Path]) -> tuple[Gathered, list[Source]]:
    """Return what captured texts, and folders of boot variables, tell together, and where they came from."""
    from inkshelf.core.plan.job import Source
    from inkshelf.exchange.anytext import gather
    from inkshelf.exchange.captures import read_text
    from inkshelf.exchange.rawvars import read_folder

    folders, files = [one for one in paths if one.is_dir()], [one for one in paths if not one.is_dir()]
    told = gather(read_text(one) for one in files)
    sources = [Source(kind, str(one.resolve())) for kind, one in zip(told.kinds, files, strict=True)]  # type: ignore[arg-type]
    for folder in folders:  # the variables themselves say more than a listing of them
        told = replace(told, firmware=read_folder(folder))
        sources.append(Source("efivars", str(folder.resolve())))
    return told, sources


def _say_contradictions(job: Job) -> None:
    for one in job.contradictions:
        print(f"CONTRADICTION, disk {one.disk}: {one.what}")


def _takes_take(parser: ArgumentParser) -> None:
    takes_job(parser)
    takes_readings(parser)


def _take(words: Namespace) -> int:
    from inkshelf.bench.intake import with_images, with_listings

    if not words.disk and not words.capture:
        raise InkshelfError("Nothing was named to take in.", "Name a disk image with --disk, or captured text with --capture.")
    job = load(words.job)
    told, sources = captured(words.capture)
    _refuse_legacy(job.found.firmware.mode or "", told)
    if words.disk:
        job = with_images(job, words.disk)
    if words.capture:
        job = with_listings(job, told.disks, sources, told.firmware, told.listed)
    job = _with_facts(job, told)
    save(job, words.job)
    disks = ", ".join(f"{one.id} {one.identity()}" for one in job.found.disks)
    print(f"{words.job}: {disks}")
    _say_contradictions(job)
    return 0


def _takes_kit(parser: ArgumentParser) -> None:
    parser.add_argument("-o", "--output", metavar="DIR", type=path, required=True, help="the folder to write the scripts into")


def _kit(words: Namespace) -> int:
    from inkshelf.exchange.kit import save_scripts

    for one in save_scripts(words.output):
        print(one)
    print("Read them first; each only reads, and leaves one file: inkshelf new --capture FILE -o JOB.json")
    return 0


def _takes_know(parser: ArgumentParser) -> None:
    takes_job(parser)
    from inkshelf.core.machine.told import FACTS as SAID

    parser.add_argument(
        "fact",
        type=word,
        help=f"{', '.join(facts())}, ram, board; of a volume: {', '.join(f'{one}:S1' for one in SAID)}; of a disk: failing:A, unplugged:M",
    )
    parser.add_argument("value", type=word, help="what is so; of a volume also -, which takes back what was said")


def _know(words: Namespace) -> int:
    from inkshelf.core.checks import know
    from inkshelf.core.machine.told import FACTS as SAID
    from inkshelf.core.size import parse_size

    old = load(words.job)
    if ":" in words.fact:
        fact, call = words.fact.split(":", 1)
        near = choice("FACT", fact, {one: one for one in (*SAID, "failing", "unplugged")})
        changed = know(old, f"{near}:{call.upper()}", None if words.value == "-" else words.value)
    elif words.fact == "board":
        changed = know(old, "board", "" if words.value == "-" else words.value)
    elif words.fact == "ram":
        changed = know(old, "ram_bytes", parse_size(words.value))
    else:
        field, values = choice("FACT", words.fact, {**facts(), "board": ("board", {}), "ram": ("ram_bytes", {})})
        changed = know(old, field, choice(words.fact, words.value, values))
    save(changed, words.job)
    print(f"{words.job}: {words.fact} " + ("is taken back" if words.value == "-" else f"is {words.value}"))
    return 0


def _takes_answer(parser: ArgumentParser) -> None:
    takes_job(parser)
    parser.add_argument("finding", metavar="FINDING", type=word, help="the key of a stop, as plan --json has it, or its title")
    parser.add_argument(
        "--because", metavar="REASON", type=word, required=True, help="who answers for it, and why; it stands on the sheet"
    )


def _answer(words: Namespace) -> int:
    from inkshelf.core.checks import answer, findings
    from inkshelf.core.plan.reading import read

    job = load(words.job)
    stops = [one for one in findings(read(job)) if one.severity == "stop"]
    named = {one.key: one for one in stops} | {one.title: one for one in stops}
    found = named.get(words.finding)
    if found is None:
        near = nearest(words.finding, list(named))
        known = ", ".join(one.key for one in stops) or "none"
        raise InkshelfError(
            f"“{words.finding}” is not a stop of this plan.", f"Did you mean {near}?" if near else f"The stops are: {known}."
        )
    changed = answer(job, found, words.because)
    save(changed, words.job)
    print(f"{words.job}: “{found.title}” is answered for in writing; it stands on the sheet")
    return 0


COMMANDS = (
    Command("new", "Take a machine in and write a new job file.", _takes_new, _new),
    Command(
        "take",
        "Take more in: a disk image, captured text. What is known stays, and what contradicts is said.",
        _takes_take,
        _take,
    ),
    Command(
        "kit", "Write the scripts that capture a machine: one for each family; a person reads them first.", _takes_kit, _kit
    ),
    Command("know", "Record a fact about the machine that was not known before.", _takes_know, _know),
    Command("answer", "Answer for a stop in writing: inking goes on in spite of it.", _takes_answer, _answer),
)
