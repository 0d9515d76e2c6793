"""A real PostgreSQL server for a test, started from its package on a socket of its own; and a line to it that can be cut at any byte."""

from __future__ import annotations

import os
import random
import shutil
import socket
import subprocess
import threading
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

USER = "shop"


def programs() -> Path:
    """Return the folder of the server's programs, the newest version of the package."""
    return max(Path("/usr/lib/postgresql").glob("*/bin"), key=lambda one: int(one.parent.name))


def _as_somebody(*command: str) -> list[str]:
    """The server refuses to run as root: then it runs as the user that its package brings."""
    return ["setpriv", "--reuid=postgres", "--regid=postgres", "--init-groups", *command] if os.getuid() == 0 else list(command)


@contextmanager
def server(folder: Path) -> Iterator[str]:
    """Run a server, and yield the folder of its socket."""
    place = Path("/tmp") / f"inkshelf-server-{os.getpid()}-{folder.name}"  # noqa: S108 - a socket's path has to be short
    place.mkdir(mode=0o755)
    if os.getuid() == 0:
        shutil.chown(place, "postgres", "postgres")
    environment = {**os.environ, "LC_ALL": "C.UTF-8"}
    data = str(place / "data")
    made = [str(programs() / "initdb"), "-D", data, "-U", USER, "-A", "trust", "-E", "UTF8", "--no-sync"]
    subprocess.run(_as_somebody(*made), check=True, capture_output=True, env=environment, cwd="/")
    options = f"-k {place} -c listen_addresses= -c fsync=off -c max_connections=40"
    run = [str(programs() / "pg_ctl"), "-D", data, "-o", options, "-l", str(place / "log"), "-w", "start"]
    try:
        subprocess.run(_as_somebody(*run), check=True, capture_output=True, env=environment, cwd="/", timeout=120)
        yield str(place)
    finally:
        stop = [str(programs() / "pg_ctl"), "-D", data, "-m", "immediate", "-w", "stop"]
        subprocess.run(_as_somebody(*stop), check=False, capture_output=True, env=environment, cwd="/", timeout=120)
        shutil.rmtree(place, ignore_errors=True)


def fresh(place: str, name: str) -> str:
    """Make an empty database, and return its URL."""
    made = [str(programs() / "createdb"), "-h", place, "-U", USER, name]
    subprocess.run(made, check=True, capture_output=True)
    return f"postgresql://{USER}@/{name}?host={place}"


class Line:
    """A line to a server on a port of its own. ``cut()`` breaks what runs over it now; ``most``: it breaks by itself after some bytes at random."""

    def __init__(self, place: str, seed: int, most: int = 0) -> None:
        self.path, self.most = f"{place}/.s.PGSQL.5432", most
        self.draw = random.Random(seed)
        self.listening = socket.create_server(("127.0.0.1", 0))
        self.port = self.listening.getsockname()[1]
        self.up, self.cuts, self._open = True, 0, list[socket.socket]()
        threading.Thread(target=self._accept, daemon=True).start()

    def url(self, name: str) -> str:
        """Return the URL of a database over this line."""
        return f"postgresql://{USER}@127.0.0.1:{self.port}/{name}"

    def _accept(self) -> None:
        with suppress(OSError):
            while True:
                near, _ = self.listening.accept()
                if not self.up:
                    near.close()
                    continue
                far = socket.socket(socket.AF_UNIX)
                far.connect(self.path)
                self._open += [near, far]
                left = [self.draw.randrange(2_000, self.most)] if self.most else [1 << 60]
                for one, other in ((near, far), (far, near)):
                    threading.Thread(target=self._carry, args=(one, other, left), daemon=True).start()

    def _carry(self, one: socket.socket, other: socket.socket, left: list[int]) -> None:
        with suppress(OSError):
            while chunk := one.recv(4096):
                left[0] -= len(chunk)
                if left[0] < 0:
                    self.cuts += 1
                    break
                other.sendall(chunk)
        for each in (one, other):
            with suppress(OSError):
                each.shutdown(socket.SHUT_RDWR)
            each.close()

    def cut(self) -> None:
        """Break what runs over it, and let nothing through until ``mend``."""
        self.up = False
        for one in self._open:
            with suppress(OSError):
                one.shutdown(socket.SHUT_RDWR)
        self._open.clear()

    def mend(self) -> None:
        """Let it through again."""
        self.up = True

    def close(self) -> None:
        """Take it away."""
        self.cut()
        self.listening.close()
