"""A real browser without a window, driven over its own pipe (debugging protocol: one JSON message, then a zero)."""

from __future__ import annotations

import base64
import json
import os
import shutil
import subprocess
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

CHROMIUM = "chromium"
PHONE = {"width": 390, "height": 844, "deviceScaleFactor": 2, "mobile": True}


class Browser:
    """One page. ``run`` returns what a script comes to; what a page asks a person for is answered by ``answer``."""

    def __init__(self, write: int, read: int) -> None:
        self._out, self._in, self._number, self._session = os.fdopen(write, "wb"), os.fdopen(read, "rb"), 0, ""
        self.answer = ""
        target = self._ask("Target.createTarget", url="about:blank")["targetId"]
        self._session = self._ask("Target.attachToTarget", targetId=target, flatten=True)["sessionId"]
        for domain in ("Page", "Runtime"):
            self._ask(f"{domain}.enable")

    def _ask(self, method: str, **parameters: Any) -> dict[str, Any]:
        self._number += 1
        message = {"id": self._number, "method": method, "params": parameters}
        self._send(message | ({"sessionId": self._session} if self._session else {}))
        return self._until(lambda one: one.get("id") == self._number).get("result", {})

    def _send(self, message: dict[str, Any]) -> None:
        self._out.write(json.dumps(message).encode() + b"\0")
        self._out.flush()

    def _until(self, wanted: Any) -> dict[str, Any]:
        while True:
            raw = bytearray()
            while (byte := self._in.read(1)) not in {b"\0", b""}:
                raw += byte
            assert raw, "the browser is gone"
            one: dict[str, Any] = json.loads(raw)
            if one.get("method") == "Page.javascriptDialogOpening":
                said = {"accept": bool(self.answer), "promptText": self.answer}
                self._send({"id": 0, "method": "Page.handleJavaScriptDialog", "params": said, "sessionId": self._session})
            if wanted(one):
                assert "error" not in one, one
                return one

    def open(self, page: Path) -> None:
        self._ask("Page.navigate", url=page.as_uri())
        self._until(lambda one: one.get("method") == "Page.loadEventFired")

    def run(self, script: str) -> Any:
        told = self._ask("Runtime.evaluate", expression=script, returnByValue=True, awaitPromise=True)
        assert "exceptionDetails" not in told, told
        return told["result"].get("value")

    def press(self, selector: str) -> None:
        """A real click in the middle of what a selector finds."""
        self.run(f"document.querySelector({json.dumps(selector)}).scrollIntoView({{block: 'center'}})")
        box = self.run(
            f"(() => {{ const b = document.querySelector({json.dumps(selector)}).getBoundingClientRect();"
            " return [b.x + b.width / 2, b.y + b.height / 2]; })()"
        )
        for kind in ("mousePressed", "mouseReleased"):
            self._ask("Input.dispatchMouseEvent", type=kind, x=box[0], y=box[1], button="left", clickCount=1)

    def downloads_to(self, folder: Path) -> None:
        self._ask("Browser.setDownloadBehavior", behavior="allow", downloadPath=str(folder))

    def close(self) -> None:
        self._out.close()
        self._in.close()

    def as_phone(self) -> None:
        self._ask("Emulation.setDeviceMetricsOverride", **PHONE)

    def picture(self, path: Path) -> None:
        path.write_bytes(base64.b64decode(self._ask("Page.captureScreenshot")["data"]))


@contextmanager
def browser(folder: Path) -> Iterator[Browser]:
    """Start one with a profile of its own; it is gone afterwards."""
    program = shutil.which(CHROMIUM)
    assert program, f"{CHROMIUM} is not installed: bash tools/setup.sh"
    to_read, to_write = os.pipe()
    from_read, from_write = os.pipe()
    words = f"--headless --no-sandbox --disable-gpu --disable-dev-shm-usage --remote-debugging-pipe --user-data-dir={folder} about:blank"
    line = f"exec {program} {words} 3<&{to_read} 4>&{from_write}"
    passed = (to_read, from_write)
    running = subprocess.Popen(
        ["bash", "-c", line], pass_fds=passed, stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    )
    for one in passed:
        os.close(one)
    made = Browser(to_write, from_read)
    try:
        yield made
    finally:
        made.close()
        running.terminate()
        try:
            running.wait(20)
        except subprocess.TimeoutExpired:
            running.kill()
            running.wait()
