"""The folders that a person's programs keep their own things in (XDG base directory specification)."""

from __future__ import annotations

from pathlib import Path

NAME = "inkshelf"


def config_path() -> Path:
    """Where the settings are kept."""
    from platformdirs import user_config_path  # late: commands that only look need no folder

    return user_config_path(NAME) / "settings.json"


def data_folder() -> Path:
    """Where jobs without a place of their own, the demo and benches are kept."""
    from platformdirs import user_data_path

    return user_data_path(NAME)
