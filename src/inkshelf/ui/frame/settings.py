"""What the program remembers between runs: one JSON file, each setting declared once."""

from pathlib import Path
from typing import Literal

import msgspec

from inkshelf.bounded import read_bounded
from inkshelf.core.errors import InkshelfError
from inkshelf.store.folders import NAME as NAME
from inkshelf.store.folders import config_path as config_path
from inkshelf.store.folders import data_folder as data_folder
from inkshelf.store.jobfile import LARGEST, write_atomically


class Settings(msgspec.Struct):
    """Theme, window place, what was open last, where files were chosen last, which rescue was offered last; the shop's logbook (a URL
    without a password), and who works here; when machines were promised for, by a job's identity, in seconds since the epoch."""

    theme: Literal["paper", "slate"] = "paper"
    geometry: str = ""
    job: str = ""
    chapter: str = "intake"
    folder: str = ""
    rescued: str = ""
    shop: str = ""
    who: str = ""
    promised: dict[str, int] = {}


def load(path: Path | None = None) -> Settings:
    """Return what was remembered; a file that cannot be read counts as nothing remembered."""
    try:
        return msgspec.json.decode(read_bounded(path or config_path(), LARGEST), type=Settings)
    except (OSError, ValueError):
        return Settings()


def save(settings: Settings, path: Path | None = None) -> bool:
    """Remember; tell whether it could be written."""
    try:
        write_atomically(path or config_path(), msgspec.json.encode(settings), make_folder=True)
    except InkshelfError:
        return False
    return True
