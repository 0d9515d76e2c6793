"""The folders that a person's programs keep their own things in (XDG base directory specification)."""

from __future__ import annotations

from pathlib import Path

NAME = "inkshelf"


def config_path() -> Path:
    """Where the settings are kept."""
    from xdg_base_dirs import xdg_config_home  # late: commands that only look need no folder

    return xdg_config_home() / NAME / "settings.json"


def data_folder() -> Path:
    """Where jobs without a place of their own, the demo and benches are kept."""
    from xdg_base_dirs import xdg_data_home

    return xdg_data_home() / NAME
