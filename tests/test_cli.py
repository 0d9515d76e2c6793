"""The command line: the first job from end to end, and clear words for bad input."""

from __future__ import annotations

import gc
import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

from inkshelf import __version__
from inkshelf.__main__ import main
from inkshelf.cli import run

VOLUME_KEYS = {
    "call",
    "number",
    "start_byte",
    "size_bytes",
    "type_id",
    "type_name",
    "name",
    "guid",
    "filesystem",
    "label",
    "uuid",
    "used_bytes",
    "flags",
}
DISK_KEYS = {"size_bytes", "logical_sector_bytes", "table", "volumes", "free"}


def out(capsys: pytest.CaptureFixture[str], *arguments: object) -> tuple[int, str, str]:
    status = run([str(one) for one in arguments])
    said = capsys.readouterr()
    return status, said.out, said.err


def good(capsys: pytest.CaptureFixture[str], *arguments: object) -> str:
    status, said, error = out(capsys, *arguments)
    assert status == 0, error
    return said


@pytest.fixture
def job_file(demo_files: tuple[Path, Path], tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> Path:
    path = tmp_path / "job.json"
    good(
        capsys,
        "new",
        "-o",
        path,
        "--firmware",
        "uefi",
        "--secure-boot",
        "on",
        "--ram",
        "16GiB",
        "--disk",
        demo_files[0],
        "--lsblk",
        demo_files[1],
    )
    good(
        capsys,
        "aim",
        path,
        "beside",
        "--system",
        "linux-desktop",
        "--size",
        "120GiB",
        "--esp",
        "own",
        "--swap",
        "sqrt",
        "--home",
        "apart",
    )
    return path


def test_a_disk_is_inspected(demo_files: tuple[Path, Path], capsys: pytest.CaptureFixture[str]) -> None:
    document = json.loads(good(capsys, "inspect", demo_files[0], "--json"))
    assert document["disk"].keys() >= DISK_KEYS
    assert all(one.keys() >= VOLUME_KEYS for one in document["disk"]["volumes"])
    assert [one["call"] for one in document["disk"]["volumes"]] == ["B1", "N1", "S1", "R1"]
    assert document["disk"]["volumes"][3]["flags"] == ["required", "no letter"]
    assert document["disk"]["free"][0]["size_bytes"] > 0
    assert isinstance(document["findings"], list)
    assert "S1" in good(capsys, "inspect", demo_files[0])


def test_the_first_job_from_end_to_end(job_file: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    plan = json.loads(good(capsys, "plan", job_file, "--json"))
    assert {"found", "planned", "steps", "findings", "ledger", "shrink"} <= plan.keys()
    assert plan["planned"]["disks"][0].keys() >= DISK_KEYS
    assert plan["ledger"]["lost"] == []
    assert plan["ledger"]["new_bytes"] == 120 << 30
    assert plan["shrink"][0]["type_mib"] == 122880
    report = json.loads(good(capsys, "ink", job_file, "--bench", tmp_path / "bench", "--json"))
    assert report["verified"] is True
    assert all(one["ok"] and one["what"] and one["detail"] for one in report["checks"])
    inked = json.loads(good(capsys, "inspect", report["images"][0], "--json"))["disk"]
    planned = plan["planned"]["disks"][0]
    for key in ("number", "start_byte", "size_bytes", "type_id", "guid", "label", "uuid", "filesystem", "flags"):
        assert [one[key] for one in inked["volumes"]] == [one[key] for one in planned["volumes"]], key
    outcomes = json.loads(good(capsys, "rehearse", job_file, "--json"))["outcomes"]
    assert {
        (one["system"], one["starts"]) for one in outcomes if one["mishap"] in {"none", "secure-boot-on", "secure-boot-off"}
    } == {("S1", True), ("S2", True)}
    for form in ("html", "md"):
        good(capsys, "sheet", job_file, "--format", form, "-o", tmp_path / f"sheet.{form}")
        assert "122880" in (tmp_path / f"sheet.{form}").read_text()
    good(capsys, "script", job_file, "-o", tmp_path / "script.sh")
    assert "WN08-8831-C" in (tmp_path / "script.sh").read_text()


def test_plain_output_says_the_same(job_file: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    text = good(capsys, "plan", job_file)
    assert "type 122880" in text
    assert "point of no return" in text
    assert "S2   none" in good(capsys, "rehearse", job_file)
    assert "All as predicted" in good(capsys, "ink", job_file, "--bench", tmp_path / "bench")


def test_facts_are_recorded_and_a_stop_sets_the_status(job_file: Path, capsys: pytest.CaptureFixture[str]) -> None:
    good(capsys, "know", job_file, "backup", "none")
    status, said, _ = out(capsys, "plan", job_file, "--json")
    assert status == 1
    assert any(one["severity"] == "stop" for one in json.loads(said)["findings"])
    for fact, value in (
        ("backup", "read-back"),
        ("mains", "yes"),
        ("encrypted", "no"),
        ("ram", "8GiB"),
        ("secure-boot", "off"),
        ("firmware", "uefi"),
        ("consent", "yes"),
        ("recovery-key", "yes"),
    ):
        good(capsys, "know", job_file, fact, value)
    assert json.loads(good(capsys, "plan", job_file, "--json"))["found"]["ram_bytes"] == 8 << 30


def test_captured_text_alone_makes_a_job(
    demo_files: tuple[Path, Path], tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    path = tmp_path / "text.json"
    good(capsys, "new", "-o", path, "--firmware", "uefi", "--lsblk", demo_files[1])
    assert out(capsys, "aim", path, "beside", "--size", "100GiB")[0] == 1
    good(capsys, "know", path, "used:S1", "188GiB")
    assert out(capsys, "plan", path)[0] == 0
    assert out(capsys, "ink", path, "--bench", tmp_path / "bench")[0] == 2


def test_more_than_there_is_is_printed_and_stops(job_file: Path, capsys: pytest.CaptureFixture[str]) -> None:
    status, said, _ = out(capsys, "aim", job_file, "beside", "--size", "2TiB")
    assert (status, "The largest piece" in said) == (1, True)
    status, said, _ = out(capsys, "plan", job_file, "--json")
    assert status == 1
    assert json.loads(said)["steps"] == []
    assert out(capsys, "sheet", job_file, "-o", "never.html")[0] == 2


@pytest.mark.parametrize("size", ["-5 GB", "12 parsecs", "1e99 TB", "0", "80000", ""])
def test_sizes_without_sense(job_file: Path, capsys: pytest.CaptureFixture[str], size: str) -> None:
    before = job_file.read_bytes()
    status, said, error = out(capsys, "aim", job_file, "beside", "--size", size)
    assert (status, said, error.count("\n")) == (2, "", 1)
    assert job_file.read_bytes() == before


def bad_inputs(folder: Path, image: Path, job: Path) -> list[tuple[str, ...]]:
    (folder / "text.img").write_text("hello")
    (folder / "empty.img").write_bytes(b"")
    with image.open("rb") as source:
        (folder / "cut.img").write_bytes(source.read(5_000_000))
    (folder / "noise.img").write_bytes(bytes(range(1, 255)) * 9000)
    (folder / "other.json").write_text('{"a": 1}')
    (folder / "later.json").write_text(job.read_text().replace('"version": 4', '"version": 7'))
    (folder / "bench").mkdir()
    (folder / "bench" / "mine.txt").write_text("mine")
    inspected = [("inspect", str(folder / name)) for name in ("text.img", "empty.img", "cut.img", "noise.img", "gone.img", ".")]
    jobs = [
        (command, str(folder / name))
        for command in ("plan", "rehearse")
        for name in ("other.json", "later.json", "gone.json", "text.img")
    ]
    new = ("new", "-o", str(folder / "n.json"), "--firmware")
    return [
        *inspected,
        *jobs,
        ("inspect", "/dev/null"),
        ("inspect",),
        ("frobnicate",),
        (*new, "bios", "--disk", str(image)),
        (*new, "uefi"),
        (*new, "uefi", "--lsblk", str(folder / "other.json")),
        (*new, "uefi", "--disk", str(image), "--ram", "lots"),
        (*new, "uefi", "--disk", str(image), "--secure-boot", "maybe"),
        ("aim", str(job), "sideways"),
        ("aim", str(job), "beside", "--system", "x"),
        ("aim", str(job), "beside", "--esp", "both"),
        ("aim", str(job), "beside", "--disk", "Q", "--size", "1parsec"),
        ("ink", str(job), "--bench", str(folder / "bench")),
        ("ink", str(job), "--bench", str(image)),
        ("sheet", str(job), "--format", "doc", "-o", "x"),
        ("sheet", str(job), "-o", str(folder / "no" / "such" / "folder")),
        ("know", str(job), "mood", "good"),
        ("know", str(job), "used:X1", "1GiB"),
    ]


def test_every_bad_input_gets_one_line_and_no_traceback(
    job_file: Path, demo_files: tuple[Path, Path], tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    for arguments in bad_inputs(tmp_path, demo_files[0], job_file):
        status, said, error = out(capsys, *arguments)
        assert status == 2, arguments
        assert said == "", arguments
        assert error.count("\n") == 1, (arguments, error)
        assert "Traceback" not in error
    assert (tmp_path / "bench" / "mine.txt").read_text() == "mine"


def test_the_program_says_its_version() -> None:
    said = subprocess.run([sys.executable, "-m", "inkshelf", "--version"], capture_output=True, text=True, check=True)
    assert said.stdout.strip() == f"inkshelf {__version__}"


BLOCK = """
import sys
class Block:
    def find_spec(self, name, path=None, target=None):
        if name.split(".")[0] == "PyQt6":
            raise ImportError("Qt is blocked")
sys.meta_path.insert(0, Block())
import importlib, pkgutil
for package in ("inkshelf.core", "inkshelf.bench", "inkshelf.store", "inkshelf.exchange", "inkshelf.data"):
    module = importlib.import_module(package)
    for one in pkgutil.walk_packages(module.__path__, package + "."):
        importlib.import_module(one.name)
import inkshelf.cli, inkshelf.ui.shelf.layout
print(len([name for name in sys.modules if name.startswith("inkshelf.core")]))
"""


def test_the_core_and_the_command_line_need_no_qt() -> None:
    said = subprocess.run([sys.executable, "-c", BLOCK], capture_output=True, text=True, check=False)
    assert said.returncode == 0, said.stderr
    assert int(said.stdout) > 30


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (("label", "R1", "OLD", "PLATES"), "label makes nothing of “PLATES”. A label of several words"),
        (("label", "R1"), "Say which label."),
        (("format", "S1"), "Say which file system."),
        (("undo",), "There is no step by hand to take back."),
        (("move", "R1", "--size", "1GiB"), "move takes no --size. It takes --after, --at."),
        (("resize", "S1", "--size", "300GiB", "--fs", "ext4"), "resize takes no --fs. It takes --size."),
        (("delete", "R1", "--label", "X"), "delete takes no --label. It takes no options."),
        (("flag", "R1", "hidden", "off", "please"), "flag makes nothing of “please”."),
    ],
)
def test_a_change_refuses_what_it_would_pass_over(
    job_file: Path, capsys: pytest.CaptureFixture[str], words: tuple[str, ...], said: str
) -> None:
    before = job_file.read_bytes()
    status, _, error = out(capsys, "change", job_file, *words)
    assert (status, error.startswith(said), error.count("\n")) == (2, True, 1), error
    assert job_file.read_bytes() == before


def test_a_label_is_given_by_word_or_option_and_taken_off(job_file: Path, capsys: pytest.CaptureFixture[str]) -> None:
    for words in (("PLATES",), ("--label", "SPARE"), ("",)):
        good(capsys, "change", job_file, "label", "R1", *words)
    plan = good(capsys, "plan", job_file)
    lines = [line.strip().split("  ")[-1] for line in plan.splitlines() if "abel" in line]
    assert lines == ["Label R1 “PLATES”", "Label R1 “SPARE”", "Take the label off R1"]


def test_a_change_says_its_step_and_what_it_gives_up(job_file: Path, capsys: pytest.CaptureFixture[str]) -> None:
    kept = good(capsys, "change", job_file, "label", "R1", "PLATES").splitlines()
    assert [one[3:] for one in kept[1:]] == ["  Label R1 “PLATES”"]
    lines = good(capsys, "change", job_file, "format", "S1", "--fs", "ext4").splitlines()
    assert lines[1].endswith("  Format S1 as ext4")
    assert "serial WN08" in lines[2]
    assert "NTFS “SYSTEM”" in lines[3]
    assert "undo" in lines[4]
    again = good(capsys, "change", job_file, "format", "S1", "--fs", "xfs")
    assert "gives up" not in again, "said once"
    assert "taken back: 34  Format S1 as XFS" in good(capsys, "change", job_file, "undo")


def test_a_file_is_written_by_hand_and_read_on_the_sheet(job_file: Path, capsys: pytest.CaptureFixture[str]) -> None:
    said = good(capsys, "change", job_file, "write", "B1", "/notes.txt", "one 'line'", "two")
    assert "Write /notes.txt into B1" in said
    good(capsys, "sheet", job_file, "-o", job_file.with_suffix(".md"))
    assert "printf '%s\\n' 'one '\"'\"'line'\"'\"'' two" in job_file.with_suffix(".md").read_text()
    good(capsys, "sheet", job_file, "-o", job_file.with_suffix(".paper"))
    assert job_file.with_suffix(".paper").read_text().startswith("<!doctype html>"), "what a name does not say"
    for words in (("/notes.txt",), ("../up", "x"), ("/a", "x\ny"), ("/a", "x", "--size", "1GiB")):
        status, _, error = out(capsys, "change", job_file, "write", "B1", *words)
        assert (status, error.count("\n")) == (2, 1), error


def test_going_on_where_nothing_was_begun_says_only_that(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    for bench in (tmp_path, tmp_path / "nowhere"):
        status, _, error = out(capsys, "resume", "--bench", bench)
        assert (status, error.count("\n"), "all was done" in error) == (2, 1, False), error


OPENED_BY_HAND = """
import gc, sys
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication
def look():
    windows = [one for one in QApplication.topLevelWidgets() if one.isVisible()]
    print(len(windows), windows[0].desk.job.found.disks[0].model != "", gc.isenabled(), "typing_extensions" in sys.modules)
    QApplication.closeAllWindows()
real = QApplication.exec
QApplication.exec = staticmethod(lambda: (QTimer.singleShot(50, look), real())[1])
sys.argv = ["inkshelf", *sys.argv[1:]]
from inkshelf.__main__ import main
sys.exit(main())
"""


def test_the_program_opened_by_hand_is_one_window_that_collects_its_garbage(tmp_path: Path) -> None:
    """The whole program in a process of its own: the way to the window leaves the command line's library out."""
    places = {"XDG_CONFIG_HOME": str(tmp_path / "config"), "XDG_DATA_HOME": str(tmp_path / "data")}
    said = subprocess.run(
        [sys.executable, "-c", OPENED_BY_HAND, "--demo"],
        capture_output=True,
        text=True,
        env={**os.environ, **places, "QT_QPA_PLATFORM": "offscreen", "QT_STYLE_OVERRIDE": "windows"},
        timeout=120,
        check=False,
    )
    assert (said.returncode, said.stdout.split()) == (0, ["1", "True", "True", "False"]), said.stderr


def test_a_window_that_cannot_open_says_why_in_one_line(
    capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    def full(**_: object) -> int:
        raise OSError(28, "No space left on device", "/home/ada/demo")

    monkeypatch.setattr("inkshelf.ui.start.open_window", full)
    monkeypatch.setattr(sys, "argv", ["inkshelf"])
    try:
        assert main() == 2
    finally:
        gc.enable()
    error = capsys.readouterr().err
    assert error == "/home/ada/demo: No space left on device. Check the place and your rights.\n"
