"""The words of every kind of step; importing this package registers them."""

from inkshelf.core.sheet.telling import (
    containers,
    firmware,
    in_files,
    installing,
    media,
    mending,
    partitions,
    people,
    preparing,
    starting,
    typed,
    volumes,
)
from inkshelf.core.sheet.telling.base import Words, told, words

__all__ = [
    "Words",
    "containers",
    "firmware",
    "in_files",
    "installing",
    "media",
    "mending",
    "partitions",
    "people",
    "preparing",
    "starting",
    "told",
    "typed",
    "volumes",
    "words",
]
