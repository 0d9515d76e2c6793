"""The figures the program must reach, measured side by side in one run. Printed, never asserted: the machine is shared.

python -m figures [edit] [fit] [ways] [start] [window] [inspect] [commands] [ink] [move] [hash] [many] [tables] [images] [packing] [sticks] [logbook]
"""

from __future__ import annotations

import os
import resource
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from inkshelf.bench import demo, tools
from inkshelf.core.checks import findings
from inkshelf.core.plan.job import Job, Override, with_aim
from inkshelf.core.plan.reading import read
from inkshelf.core.size import GIB, binary
from inkshelf.core.value import replace

from . import disks, fitting, logbook, media, starting, tables
from .images import large_disk
from .report import line


def measure_edit(folder: Path) -> None:
    """Everything after one edit: plan, fold, ledger, rehearsal, findings, layout of the shelf."""
    from inkshelf.core.sheet.reckon import reckon
    from inkshelf.ui.demo import demo_job
    from inkshelf.ui.shelf.layout import lay_out

    job = demo_job(folder)
    took = []
    for turn in range(300):
        begun = time.perf_counter()
        changed = with_aim(job, replace(job.aim, size_bytes=(60 + turn % 150) * GIB))
        reading = read(changed)
        findings(reading)
        reckon(reading, "")
        lay_out(reading, "A", 0, 724)
        took.append((time.perf_counter() - begun) * 1000)
    took.sort()
    median, high = statistics.median(took), took[int(len(took) * 0.95)]
    line("one edit of the demo job, median", f"{median:.1f} ms", "under 16 ms", good=median < 16)
    line("one edit of the demo job, p95", f"{high:.1f} ms", "under 33 ms", good=high < 33)


EMPTY = """
import time
from PyQt6.QtWidgets import QApplication, QMainWindow
app = QApplication([]); window = QMainWindow(); window.resize(1280, 800); window.show()
app.processEvents(); print(time.time())
"""
TEXT = """
import gc, time
from pathlib import Path
import msgspec
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPainter
from PyQt6.QtWidgets import QApplication, QMainWindow, QWidget
from inkshelf.data import FOLDER
gc.disable()
class Words(QWidget):
    def paintEvent(self, event):
        painter = QPainter(self)
        painter.setPen(QColor("#1f2a3a"))
        for place, name in enumerate(("Vollkorn", "Inter", "JetBrains Mono"), 1):
            painter.setFont(QFont(name, 13))
            painter.drawText(QPointF(20, 30 * place), "S1 gives 140 GiB from its end")
app = QApplication([])
for path in sorted((FOLDER / "fonts").glob("*.[ot]tf")):
    QFontDatabase.addApplicationFont(str(path))
window = QMainWindow(); window.setCentralWidget(Words()); window.resize(1280, 800); window.show()
app.processEvents(); print(time.time())
"""
FULL = """
import sys, time
from PyQt6.QtWidgets import QApplication
def drawn():
    QApplication.processEvents(); print(time.time())
    return 0
QApplication.exec = staticmethod(drawn)
from inkshelf.__main__ import main
sys.argv = ["inkshelf"]
main()
"""


def measure_window(folder: Path) -> None:
    """From the start of the process until the window is drawn and waits for input, against an empty PyQt6 window; turn and turn about.

    The whole program runs, as when it is opened by hand on the shelf that was open last; only its wait for input is cut short.
    Beside it a window with three lines of text and nothing of ours but the faces: what the tool kit and the library of the
    model take before any planning begins.
    """
    from inkshelf.store import jobfile
    from inkshelf.ui.demo import demo_job
    from inkshelf.ui.frame import settings

    path = folder / "bench.job.json"
    jobfile.save(demo_job(folder), path)
    settings.save(settings.Settings(job=str(path), chapter="shelf"), folder / "config" / settings.NAME / "settings.json")
    times: dict[str, list[float]] = {EMPTY: [], TEXT: [], FULL: []}
    ordinary = {
        key: value for key, value in os.environ.items() if key != "PYTHONDONTWRITEBYTECODE"
    }  # as installed: modules are compiled once
    ordinary |= {"XDG_CONFIG_HOME": str(folder / "config"), "XDG_DATA_HOME": str(folder / "data")}
    for _ in range(15):
        for code, had in times.items():
            begun = time.time()
            said = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True, env=ordinary)
            had.append(float(said.stdout.split()[-1]) - begun)
    empty, text, full = (statistics.median(had) for had in times.values())
    ratio = statistics.median(one / other for one, other in zip(times[FULL], times[TEXT], strict=True))
    line(
        "window of three lines of text, and the model's library",
        f"{text * 1000:.0f} / {empty * 1000:.0f} ms = {text / empty:.2f}",
        "for comparison",
        good=True,
    )
    line(
        "window with the demo job against that one",
        f"{full * 1000:.0f} / {text * 1000:.0f} ms = {ratio:.2f}",
        "at most 1.9 times",
        good=ratio <= 1.9,
    )


INSPECT = """
import sys, time
from pathlib import Path
from inkshelf.bench.image import ImageFile, inspect
inspect(Path(sys.argv[1]))
took = []
for _ in range(9):
    begun = time.perf_counter(); inspect(Path(sys.argv[1])); took.append(time.perf_counter() - begun)
with ImageFile(Path(sys.argv[1])) as source:
    from inkshelf.core.machine.read import read_disk
    read_disk(source); read = source.bytes_read
peak = next(one.split()[1] for one in open("/proc/self/status") if one.startswith("VmHWM"))  # the usage counters begin at the parent's
print(sorted(took)[4], peak, read)
"""


def measure_inspect(folder: Path) -> None:
    """Reading a 2 TB sparse image with six volumes."""
    path = folder / "large.img"
    large_disk(path)
    said = subprocess.run([sys.executable, "-c", INSPECT, str(path)], capture_output=True, text=True, check=True).stdout.split()
    took, memory, read = float(said[0]) * 1000, int(said[1]) * 1024, int(said[2])
    stored = path.stat().st_blocks * 512
    line("inspect of a 2 TB image with six volumes", f"{took:.1f} ms", "under 60 ms", good=took < 60)
    line("memory of the process that inspects it", binary(memory), "under 150 MB", good=memory < 150e6)
    line("bytes read, of those that are not holes", f"{binary(read)} of {binary(stored)}", "no holes", good=read <= stored)
    path.unlink()


def measure_commands(folder: Path) -> None:
    """Processor time of commands that look, beside that of the interpreter alone; modules are compiled once, as installed."""
    from inkshelf.ui.demo import demo_job

    image = demo_job(folder).sources[0].path
    program = str(Path(sys.executable).with_name("inkshelf"))
    ordinary = {key: value for key, value in os.environ.items() if key != "PYTHONDONTWRITEBYTECODE"}
    calls = {"python": ["-c", "pass"], "--version": [program, "--version"], "inspect": [program, "inspect", image]}
    took: dict[str, list[float]] = {name: [] for name in calls}
    for _ in range(9):
        for name, words in calls.items():
            before = resource.getrusage(resource.RUSAGE_CHILDREN)
            subprocess.run([sys.executable, *words], stdout=subprocess.DEVNULL, check=True, env=ordinary)
            after = resource.getrusage(resource.RUSAGE_CHILDREN)
            took[name].append(after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime)
    alone = statistics.median(took.pop("python"))
    for name, had in took.items():
        spent = statistics.median(had)
        line(f"processor time of {name}", f"{spent:.3f} s, {alone:.3f} s of them Python", "under 0.15 s", good=spent < 0.15)


def differing_bytes(one: Path, other: Path) -> int:
    """Bytes, in blocks of 4 KiB, in which two images differ."""
    from inkshelf.bench.sparse import data_ranges

    fds = [os.open(path, os.O_RDONLY) for path in (one, other)]
    blocks: set[int] = set()
    for fd in fds:
        for low, high in data_ranges(fd, 0, os.fstat(fd).st_size):
            blocks.update(range(low // 4096, -(-high // 4096)))
    differ = sum(os.pread(fds[0], 4096, at * 4096) != os.pread(fds[1], 4096, at * 4096) for at in blocks)
    for fd in fds:
        os.close(fd)
    return differ * 4096


def bare_tools(folder: Path, image: Path, volume: Path) -> None:
    """The same work with nothing but the utilities: copy, shrink, format, install, check."""
    from inkshelf.bench import installers
    from inkshelf.core.steps.kinds import Format, Install, Shrink
    from inkshelf.ui.demo import demo_job

    job = demo_job(folder)
    work = folder / "bare"
    work.mkdir(exist_ok=True)
    subprocess.run(["cp", "--sparse=always", image, work / "disk.img"], check=True)
    subprocess.run(["cp", "--sparse=always", volume, work / "S1"], check=True)
    shrink = next(step for step in job.steps if isinstance(step, Shrink))
    tools.run("ntfsresize", "--force", "--force", "--no-progress-bar", "--size", str(shrink.to_bytes), work / "S1", feed="y\n")
    sizes = {step.call: step.size for step in job.steps if hasattr(step, "size") and hasattr(step, "guid")}
    for step in job.steps:
        if isinstance(step, Format):
            path = work / step.call
            with path.open("wb") as out:
                out.truncate(sizes[step.call])
            command = {
                "fat32": ("mkfs.fat", "-F", "32", "-s", "1"),
                "ext4": ("mkfs.ext4", "-F", "-q", "-E", "lazy_itable_init=1,lazy_journal_init=1"),
                "swap": ("mkswap",),
            }[step.filesystem]
            tools.run(*command, path)
        elif isinstance(step, Install):
            installers.put_root(work / step.call, step)
            installers.put_startup(work / step.esp, step)
    tools.run("ntfsresize", "--check", "--force", "--force", work / "S1")
    for call, command in (("B2", ("fsck.fat", "-n")), ("S2", ("e2fsck", "-f", "-n")), ("D1", ("e2fsck", "-f", "-n"))):
        tools.run(command[0], *command[1:], work / call, accept=(0, 1))


def timed(work: Callable[[], object]) -> tuple[float, object]:
    begun = time.perf_counter()
    made = work()
    return time.perf_counter() - begun, made


def _answered(job: Job) -> Job:
    """The job with its stops answered for, as somebody does who inks it."""
    stops = [one.key for one in findings(read(job)) if one.severity == "stop"]
    return replace(job, overrides=(*job.overrides, *(Override(key, "to measure") for key in stops)))


def measure_ink(folder: Path) -> None:
    """Inking the demo job: bytes against those that must change, time against the bare utilities."""
    from inkshelf.bench.inker import Report, ink
    from inkshelf.bench.sparse import copy_data
    from inkshelf.ui.demo import demo_job

    job = _answered(demo_job(folder))
    image = Path(job.sources[0].path)
    start, size = demo.places()["S1"]
    volume = folder / "S1.volume"
    with image.open("rb") as source, volume.open("wb") as out:
        out.truncate(size)
        copy_data(source.fileno(), out.fileno(), start, size, 0)
    pairs = []
    for turn in range(3):
        bare, _ = timed(lambda: bare_tools(folder, image, volume))
        ours, report = timed(lambda name=f"bench-{turn}": ink(job, folder / name))
        pairs.append((ours, bare))
    assert isinstance(report, Report)
    must = differing_bytes(image, Path(report.images[0]))
    ratio = report.written_bytes / must
    line(
        "bytes written into the image against those that must change",
        f"{report.written_bytes} / {must} = {ratio:.3f}",
        "at most 1.05",
        good=ratio <= 1.05,
    )
    print(
        f"         (beside them: {binary(report.copied_bytes)} copied from the source, {binary(report.scratch_bytes)} handed over in scratch files)"
    )
    ours, bare = (statistics.median(one) for one in zip(*pairs, strict=True))
    line(
        "inking against the bare utilities",
        f"{ours:.2f} / {bare:.2f} s = {ours / bare:.2f}",
        "within 2 times",
        good=ours <= 2 * bare,
    )
    line("read back as predicted", str(report.verified), "True", good=report.verified)


MEASURES = {
    "edit": measure_edit,
    "fit": fitting.measure_fit,
    "ways": fitting.measure_ways,
    "start": starting.measure_start,
    "window": measure_window,
    "inspect": measure_inspect,
    "commands": measure_commands,
    "ink": measure_ink,
    "move": disks.measure_move,
    "hash": disks.measure_hash,
    "many": disks.measure_many,
    "tables": tables.measure_tables,
    "images": media.measure_images,
    "packing": media.measure_packing,
    "sticks": media.measure_sticks,
    "logbook": logbook.measure_logbook,
}

if __name__ == "__main__":
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    with tempfile.TemporaryDirectory(prefix="inkshelf-bench-") as name:
        for key in sys.argv[1:] or MEASURES:
            MEASURES[key](Path(name))
