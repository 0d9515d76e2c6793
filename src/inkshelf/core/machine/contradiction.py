"""Where what was taken in twice does not agree."""

from inkshelf.core.texts import Letter, Line
from inkshelf.core.value import Value


class Contradiction(Value, frozen=True):
    """Two readings of one disk that cannot both be true."""

    disk: Letter
    what: Line
