"""A picture of an emulated machine's screen, asked of the emulator itself (QEMU machine protocol: one JSON value a line)."""

from __future__ import annotations

import json
import socket
import time
from pathlib import Path
from typing import Any

from inkshelf.core.errors import BenchError

SOCKET, PICTURE = "monitor", "screen.png"
PATIENCE = 5.0  # seconds for one answer
LARGEST = 1 << 20  # bytes of an answer


def arguments(folder: Path) -> list[str]:
    """Return what the emulator is told so that its screen can be looked at, also when the machine has switched itself off."""
    return ["-device", "VGA", "-qmp", f"unix:{folder / SOCKET},server=on,wait=off", "-no-shutdown"]


class Screen:
    """The line to one emulator; ``PICTURE`` in its folder is the last picture."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._line: socket.socket | None = None
        self._rest = b""

    def off(self) -> bool:
        """Tell whether the machine has switched itself off; it stands still then, with its last picture."""
        said = self._ask("query-status")
        return bool(said and said.get("status") in {"shutdown", "guest-panicked"})

    def take(self) -> bytes:
        """Return the picture as PNG (empty: none could be had)."""
        target = self.folder / PICTURE
        self._ask("screendump", filename=str(target), format="png")
        raw = target.read_bytes() if target.exists() else b""
        return raw if raw.startswith(b"\x89PNG") else b""

    def close(self) -> None:
        """Let the emulator go."""
        if self._line is not None:
            self._line.close()

    def _ask(self, command: str, **arguments: str) -> dict[str, Any] | None:
        try:
            if self._line is None:
                self._open()
            assert self._line is not None  # noqa: S101 - just opened
            asked = {"execute": command, **({"arguments": arguments} if arguments else {})}
            self._line.sendall(json.dumps(asked).encode() + b"\n")
            return self._answer()
        except (OSError, ValueError):
            return None  # it ends, or has not begun: there is nothing to see

    def _open(self) -> None:
        made = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
        made.settimeout(PATIENCE)
        until = time.monotonic() + PATIENCE
        while True:
            try:
                made.connect(str(self.folder / SOCKET))
                break
            except OSError:
                if time.monotonic() > until:
                    made.close()
                    raise
                time.sleep(0.05)
        self._line = made
        self._read()  # its greeting
        made.sendall(b'{"execute": "qmp_capabilities"}\n')
        self._answer()

    def _answer(self) -> dict[str, Any]:
        """What an answer returns; events that come between are passed over."""
        while True:
            said = self._read()
            if "error" in said:
                raise BenchError(f"The emulator says: {said['error'].get('desc', 'no')}.", "Watch it without a picture.")
            if "return" in said:
                found = said["return"]
                return found if isinstance(found, dict) else {}

    def _read(self) -> dict[str, Any]:
        assert self._line is not None  # noqa: S101 - asked only when it is open
        while b"\n" not in self._rest:
            more = self._line.recv(65536)
            if not more or len(self._rest) > LARGEST:
                raise OSError("the line is closed")
            self._rest += more
        raw, self._rest = self._rest.split(b"\n", 1)
        said = json.loads(raw)
        if not isinstance(said, dict):
            raise OSError("no answer")
        return said
