"""Shared fixtures: one demo disk a run, jobs made from it, and a desk."""

from __future__ import annotations

import logging
import os
from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

import machines
from inkshelf.bench import demo
from inkshelf.bench.intake import take_in
from inkshelf.core.aims.beside import Beside
from inkshelf.core.machine.state import Conditions
from inkshelf.core.plan.job import Job, Source, with_aim
from inkshelf.core.size import GIB
from inkshelf.core.value import replace
from inkshelf.exchange import captures
from inkshelf.store.logbook.where import SHOP, WHO
from inkshelf.ui import theme
from inkshelf.ui.desk import Desk
from inkshelf.ui.frame.settings import Settings
from inkshelf.ui.frame.window import Window
from inkshelf.ui.start import application
from strategies import USUAL

# `make test` draws the same examples every time and asks nothing of the machine's speed; `make soak` draws others, and many more.
settings.register_profile("ci", deadline=None, suppress_health_check=list(HealthCheck), max_examples=USUAL, derandomize=True)
settings.register_profile("seeded", deadline=None, suppress_health_check=list(HealthCheck), max_examples=USUAL)
settings.register_profile("soak", deadline=None, suppress_health_check=list(HealthCheck), max_examples=1000)
settings.load_profile(os.environ.get("INKSHELF_TESTS", "ci"))


@pytest.fixture(scope="session", autouse=True)
def settings_of_its_own(tmp_path_factory: pytest.TempPathFactory) -> Iterator[None]:
    """What whoever runs the tests has set for the program does not count here."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("XDG_CONFIG_HOME", str(tmp_path_factory.mktemp("config")))
        patch.setenv("XDG_DATA_HOME", str(tmp_path_factory.mktemp("data")))
        for name in (SHOP, WHO):
            patch.delenv(name, raising=False)
        yield


@pytest.fixture(scope="session")
def demo_files(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, Path]:
    return demo.build(tmp_path_factory.mktemp("demo"))


@pytest.fixture(scope="session")
def found_job(demo_files: tuple[Path, Path]) -> Job:
    image, capture = demo_files
    captured = captures.read_lsblk(capture.read_text())
    return take_in(
        [image],
        [captured],
        [Source("lsblk", str(capture))],
        mode="uefi",
        secure_boot="on",
        ram_bytes=16 * GIB,
        conditions=Conditions(True, "read back", True, False, None),
        title="layout desk",
        owner="Lanternhouse Press",
        seed="test",
    )


@pytest.fixture
def job(found_job: Job) -> Job:
    return with_aim(found_job, Beside(size_bytes=140 * GIB, esp="own", home="apart"))


@pytest.fixture
def shared_job(found_job: Job) -> Job:
    return with_aim(found_job, Beside(size_bytes=100 * GIB))


@pytest.fixture(scope="session")
def one(tmp_path_factory: pytest.TempPathFactory) -> Job:
    """A machine with one disk, and no aim yet."""
    return machines.one_disk(tmp_path_factory.mktemp("one"))


@pytest.fixture(scope="session")
def two(tmp_path_factory: pytest.TempPathFactory) -> Job:
    """A machine with a second, empty disk, and no aim yet."""
    return machines.two_disks(tmp_path_factory.mktemp("two"))


@pytest.fixture(autouse=True)
def quiet(caplog: pytest.LogCaptureFixture) -> Iterator[None]:
    """A stray log line of ours fails the test."""
    yield
    assert [one for one in caplog.records if one.levelno >= logging.WARNING] == []


def without(job: Job, call: str) -> Job:
    """The job's machine without one volume."""
    disk = job.found.disks[0]
    return replace(
        job, found=job.found.with_disk(replace(disk, volumes=tuple(one for one in disk.volumes if one.call != call)))
    )


@pytest.fixture(scope="session")
def qapp() -> QApplication:
    app = application()
    theme.apply(app, "paper")
    return app


@pytest.fixture
def window(qtbot: QtBot, job: Job, tmp_path: Path) -> Window:
    made = Window(Desk(job, tmp_path / "job.json"), Settings(), tmp_path / "settings.json")
    made.bench_folder = tmp_path / "bench"
    qtbot.addWidget(made)
    made.resize(1280, 800)
    made.show()
    qtbot.waitExposed(made)
    made.desk.show("shelf")
    QApplication.processEvents()
    return made
