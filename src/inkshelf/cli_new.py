"""The command ``new``: take a machine in and write a new job file."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from inkshelf.cli_shared import said
from inkshelf.core.errors import InkshelfError
from inkshelf.core.plan.job import Job, Source
from inkshelf.core.value import replace

OutputOption = Annotated[Path, typer.Option("-o", "--output", metavar="JOB.json", help="The job file to write.")]
FirmwareOption = Annotated[str, typer.Option("--firmware", help="uefi or legacy.")]
SecureBootOption = Annotated[str | None, typer.Option("--secure-boot", help="on, off, absent or hidden.")]
RamOption = Annotated[str | None, typer.Option("--ram", help="Memory, for example 16GiB.")]
DiskOption = Annotated[list[Path] | None, typer.Option("--disk", help="A raw disk image; may be given several times.")]
LsblkOption = Annotated[Path | None, typer.Option("--lsblk", help="What lsblk --json --bytes --output-all printed.")]
SfdiskOption = Annotated[
    list[Path] | None, typer.Option("--sfdisk", help="What sfdisk --json printed; may be given several times.")
]
CaptureOption = Annotated[list[Path] | None, typer.Option("--capture", help="Any of these texts, and blkid's or efibootmgr's.")]
BackupOption = Annotated[str | None, typer.Option("--backup", help="none, made or read-back.")]
MainsOption = Annotated[str | None, typer.Option("--mains", help="yes or no.")]
EncryptedOption = Annotated[str | None, typer.Option("--encrypted", help="yes or no: the owner's system volume.")]
TitleOption = Annotated[str, typer.Option("--title", help="What the job is called.")]
OwnerOption = Annotated[str, typer.Option("--owner", help="Whose machine it is.")]


def new(
    output: OutputOption,
    firmware: FirmwareOption,
    secure_boot: SecureBootOption = None,
    ram: RamOption = None,
    disk: DiskOption = None,
    lsblk: LsblkOption = None,
    sfdisk: SfdiskOption = None,
    capture: CaptureOption = None,
    backup: BackupOption = None,
    mains: MainsOption = None,
    encrypted: EncryptedOption = None,
    title: TitleOption = "",
    owner: OwnerOption = "",
) -> None:
    """Take a machine in and write a new job file."""
    from inkshelf.bench.intake import take_in
    from inkshelf.core.machine.state import Conditions
    from inkshelf.core.size import parse_size
    from inkshelf.store import jobfile

    told, sources = _captured(lsblk, sfdisk or [], capture or [])
    job = take_in(
        disk or [],
        [told.disks] if told.disks else [],
        sources,
        mode=said("firmware", firmware),
        secure_boot=said("secure-boot", secure_boot),
        ram_bytes=parse_size(ram) if ram else None,
        conditions=Conditions(said("mains", mains), said("backup", backup), encrypted=said("encrypted", encrypted)),
        title=title or output.stem,
        owner=owner,
    )
    job = _with_variables(job, told, firmware)
    jobfile.save(job, output)
    volumes = sum(len(one.volumes) for one in job.found.disks)
    print(
        f"{output}: {len(job.found.disks)} disk(s), {volumes} volumes. Next: inkshelf aim {output} beside --system linux-desktop --size 120GiB"
    )


def _with_variables(job: Job, told: Any, firmware: str) -> Job:
    """Return the job with captured boot variables; they contradict a legacy machine."""
    if told.firmware is None:
        return job
    from inkshelf.exchange.bootvars import with_boot_variables

    if firmware.lower() == "legacy":
        raise InkshelfError(
            "Boot variables were captured, and --firmware says legacy.",
            "A machine that has them started as UEFI: say --firmware uefi.",
        )
    return replace(job, found=with_boot_variables(job.found, told.firmware))


def _captured(lsblk: Path | None, sfdisk: list[Path], others: list[Path]) -> tuple[Any, list[Source]]:
    """Return what captured texts tell together, and where they came from."""
    from inkshelf.exchange.anytext import gather
    from inkshelf.exchange.captures import read_text

    paths = [*([lsblk] if lsblk else []), *sfdisk, *others]
    told = gather(read_text(path) for path in paths)
    return told, [Source(kind, str(path.resolve())) for kind, path in zip(told.kinds, paths, strict=True)]
