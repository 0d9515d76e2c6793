"""The command line: the same core without a window. Every command is also what the window does."""

from __future__ import annotations

import json
import os
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Annotated, Any

import typer

from inkshelf import __version__
from inkshelf.cli_change import change
from inkshelf.cli_new import new
from inkshelf.cli_shared import FACTS, JobPath, JsonFlag, choice, print_json, read_job
from inkshelf.core.errors import InkshelfError, JobError
from inkshelf.core.plan.reading import Reading
from inkshelf.ending import STATUS_STOP, bad, status

app = typer.Typer(
    add_completion=False,
    no_args_is_help=False,
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
    invoke_without_command=True,
    help="Plan, rehearse and record disk layouts that several operating systems share. Without a command it opens the window.",
)


def run(arguments: list[str]) -> int:
    """Run one command and return the exit status: 0 done, 1 a finding of severity stop, 2 bad input."""
    return status(lambda: _run(arguments))


def _run(arguments: list[str]) -> int:
    try:
        return int(typer.main.get_command(app).main(arguments, prog_name="inkshelf", standalone_mode=False) or 0)
    except typer.Exit as leaving:
        return int(leaving.exit_code)
    except typer.Abort:
        return bad("Stopped.")
    except (InkshelfError, OSError):
        raise
    except Exception as error:
        if hasattr(error, "format_message"):
            return bad(f"{error.format_message()} See inkshelf --help.")
        raise


@app.callback()
def top(
    context: typer.Context,
    demo: Annotated[bool, typer.Option("--demo", help="Open the window with the demo job.")] = False,
    version: Annotated[bool, typer.Option("--version", help="Print the version.")] = False,
    pictures: Annotated[
        Path | None, typer.Option("--pictures", help="With --demo: leave pictures of the main views in this folder and close.")
    ] = None,
    job: Annotated[Path | None, typer.Option("--open", help="Open the window with this job file.")] = None,
) -> None:
    """Open the window where no command was given."""
    if version:
        print(f"inkshelf {__version__}")
        raise typer.Exit(0)
    if context.invoked_subcommand is None:
        from inkshelf.ui.start import open_window

        raise typer.Exit(open_window(demo=demo, pictures=pictures, job=job))


@app.command()
def inspect(
    image: Annotated[Path, typer.Argument(metavar="IMAGE", help="A raw disk image.")], as_json: JsonFlag = False
) -> None:
    """Say what a disk image holds."""
    from inkshelf.bench.intake import take_in
    from inkshelf.core.checks import findings
    from inkshelf.core.plan.reading import read
    from inkshelf.exchange import shapes

    job = take_in([image], seed="inspect")
    found = tuple(
        one
        for one in findings(read(job))
        if one.key.startswith(("disk.", "fs.", "room.")) and not one.key.startswith("disk.identity")
    )
    if as_json:
        print_json({"disk": shapes.disk(job.found.disks[0]), "findings": [shapes.finding(one) for one in found]})
        return
    from inkshelf.exchange.plain import disk_lines, finding_lines

    print("\n".join([*disk_lines(job.found.disks[0]), *finding_lines(found)]))


app.command()(new)


@app.command()
def aim(
    job: JobPath,
    kind: Annotated[str, typer.Argument(metavar="AIM", help="beside")],
    system: Annotated[str, typer.Option("--system", help="linux-desktop")] = "linux-desktop",
    size: Annotated[
        str | None,
        typer.Option("--size", help="Room for all new volumes, for example 120GiB; leave out for as much as is comfortable."),
    ] = None,
    esp: Annotated[str, typer.Option("--esp", help="shared or own")] = "shared",
    swap: Annotated[str, typer.Option("--swap", help="none, sqrt or hibernate")] = "sqrt",
    home: Annotated[str, typer.Option("--home", help="apart or together")] = "together",
    disk: Annotated[str, typer.Option("--disk", help="The disk's letter.")] = "A",
) -> None:
    """Say what the customer wants; the plan follows."""
    from inkshelf.core.plan.aim import Aim, profile
    from inkshelf.core.plan.job import with_aim
    from inkshelf.core.size import parse_size
    from inkshelf.store import jobfile

    choice("AIM", kind, {"beside": "beside"})
    profile(system)
    wanted = None if size is None or size.lower() == "comfortable" else parse_size(size)
    chosen = Aim(
        system,
        wanted,
        choice("--esp", esp, {"shared": "shared", "own": "own"}),
        choice("--swap", swap, {one: one for one in ("none", "sqrt", "hibernate")}),
        choice("--home", home, {"apart": "apart", "together": "together"}),
        disk.upper(),
    )
    planned = with_aim(jobfile.load(job), chosen)
    jobfile.save(planned, job)
    if planned.plan_fault:
        print(planned.plan_fault)
        raise typer.Exit(STATUS_STOP)
    print(f"{job}: {len(planned.steps)} steps planned. Next: inkshelf plan {job}")


@app.command()
def plan(job: JobPath, as_json: JsonFlag = False) -> None:
    """Show the plan: shelves, numbers to type, findings, ledger."""
    from inkshelf.exchange import shapes

    reading, found = read_job(job)
    if as_json:
        print_json(shapes.plan(reading, found))
    else:
        from inkshelf.exchange.plain import plan_lines

        print("\n".join(plan_lines(reading, found)))
    _stop_status(found)


def _stop_status(found: Any) -> None:
    if any(one.severity == "stop" for one in found):
        raise typer.Exit(STATUS_STOP)


@app.command()
def ink(
    job: JobPath,
    bench: Annotated[Path, typer.Option("--bench", metavar="DIR", help="An empty folder, or one that was a bench before.")],
    as_json: JsonFlag = False,
    cut_after: Annotated[
        int | None, typer.Option("--cut-after", metavar="K", help="Test aid: die hard after write K, as in a power cut.")
    ] = None,
) -> None:
    """Carry the plan out on a bench copy of the image and read everything back."""
    from inkshelf.bench import cut
    from inkshelf.bench.inker import ink as work
    from inkshelf.store import jobfile

    cut.arm(cut_after)
    _report(work(jobfile.load(job), bench, None if as_json else _teller()), as_json=as_json)


@app.command()
def resume(
    bench: Annotated[Path, typer.Option("--bench", metavar="DIR", help="The bench folder where inking was cut or cancelled.")],
    as_json: JsonFlag = False,
    back: Annotated[bool, typer.Option("--back", help="Go back instead: give the bench copy up.")] = False,
) -> None:
    """Go on, forward, where inking was cut or cancelled; or back, giving the bench copy up."""
    from inkshelf.bench.inker import back as go_back
    from inkshelf.bench.inker import resume as work
    from inkshelf.bench.journal import NAME, Journal

    if back:
        said = go_back(bench)
        print(json.dumps({"bench": str(bench), "went": "back", "what": said}) if as_json else said)
        return
    if not as_json and (bench / NAME).exists():
        print("going on, forward" if Journal(bench).unfinished() else "all was done; reading it back again", file=sys.stderr)
    _report(work(bench, None if as_json else _teller()), as_json=as_json)


def _report(report: Any, *, as_json: bool) -> None:
    if as_json:
        print_json(
            {
                "bench": report.bench,
                "images": report.images,
                "verified": report.verified,
                "checks": [{"what": one.what, "ok": one.ok, "detail": one.detail} for one in report.checks],
                "copied_bytes": report.copied_bytes,
                "written_bytes": report.written_bytes,
            }
        )
    else:
        for one in report.checks:
            print(f"{'ok  ' if one.ok else 'DIFFERS'} {one.what}: {one.detail}")
        print(f"{'All as predicted' if report.verified else 'NOT as predicted'}; {report.images[0]}")
    if not report.verified:
        raise typer.Exit(STATUS_STOP)


def _teller() -> Callable[[Any], None]:
    said: list[str] = []

    def tell(progress: Any) -> None:
        count = f"{progress.step}/{progress.steps} " if progress.step <= progress.steps else ""
        line = count + progress.words
        if [line] != said[-1:]:
            said.append(line)
            print(line, file=sys.stderr)

    return tell


@app.command()
def rehearse(job: JobPath, as_json: JsonFlag = False) -> None:
    """Say which systems start after the plan, whatever happens."""
    from inkshelf.exchange import shapes

    reading, _ = read_job(job)
    if as_json:
        print_json({"outcomes": [shapes.outcome(one) for one in reading.after]})
        return
    for one in reading.after:
        verdict = ("starts by hand" if one.by_hand else "starts") if one.starts else "does not start"
        print(f"{one.system:4} {one.mishap:18} {verdict:15} {' > '.join(one.path) if one.path else one.why}")


@app.command()
def sheet(
    job: JobPath,
    output: Annotated[Path, typer.Option("-o", "--output", metavar="FILE")],
    form: Annotated[str, typer.Option("--format", help="html, md or pdf")] = "html",
) -> None:
    """Write the run sheet."""
    from inkshelf.exchange import render
    from inkshelf.store.jobfile import write_atomically

    written: dict[str, Callable[[Reading], bytes]] = {
        "html": lambda one: render.html(one).encode(),
        "md": lambda one: render.markdown(one).encode(),
        "pdf": _pdf,
    }
    writer = choice("--format", form, written)
    reading, _ = read_job(job)
    if not reading.job.steps:
        raise JobError(
            reading.job.plan_fault or "There is no plan yet.", f"Say the aim first: inkshelf aim {job} beside --size 120GiB"
        )
    write_atomically(output, writer(reading))
    print(f"{output}: {len(reading.job.steps)} steps")


def _pdf(reading: Reading) -> bytes:
    """The sheet as it is printed; drawn without a display, even where there is one."""
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    from inkshelf.ui.sheetview.printing import pdf
    from inkshelf.ui.start import application

    drawing = application()
    written = pdf(reading)
    del drawing  # the fonts are its own: it had to live until here
    return written


@app.command()
def script(job: JobPath, output: Annotated[Path, typer.Option("-o", "--output", metavar="FILE")]) -> None:
    """Write the partition steps as a shell script that a person reads first."""
    from inkshelf.exchange import render
    from inkshelf.store.jobfile import write_atomically

    reading, _ = read_job(job)
    write_atomically(output, render.script(reading).encode())
    print(f"{output}: read it before you run it")


@app.command()
def ledger(job: JobPath, as_json: JsonFlag = False) -> None:
    """Say where every kept byte is after each step."""
    from inkshelf.core.size import both
    from inkshelf.core.steps.ledger import positions
    from inkshelf.exchange import shapes

    reading, _ = read_job(job)
    found = positions(reading.plan, reading.job.steps)
    if as_json:
        print_json({"ledger": shapes.totals(reading.ledger), "positions": [shapes.position(one) for one in found]})
        return
    for one in found:
        print(f"step {one.step:3}  {one.call:4} disk {one.disk}  from byte {one.start:>16}  {both(one.size)}")
    total = reading.ledger
    print(
        f"kept {total.kept_bytes}, moved {total.moved_bytes}, erased {total.erased_bytes}, new {total.new_bytes} bytes; lost {', '.join(total.lost) or 'nothing'}"
    )


app.command()(change)


@app.command()
def know(
    job: JobPath,
    fact: Annotated[
        str, typer.Argument(help="backup, mains, consent, encrypted, recovery-key, secure-boot, firmware, ram, or used:S1")
    ],
    value: Annotated[str, typer.Argument()],
) -> None:
    """Record a fact about the machine that was not known before."""
    from inkshelf.core.checks import know as record
    from inkshelf.core.size import parse_size
    from inkshelf.store import jobfile

    old = jobfile.load(job)
    if fact.lower().startswith("used:"):
        changed = record(old, f"used:{fact[5:].upper()}", parse_size(value))
    elif fact == "ram":
        changed = record(old, "ram_bytes", parse_size(value))
    else:
        field, values = choice("FACT", fact, FACTS)
        changed = record(old, field, choice(fact, value, values))
    jobfile.save(changed, job)
    print(f"{job}: {fact} is {value}")
