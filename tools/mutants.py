"""Put every fault of ``faults.py`` into a copy of the program, one at a time, and run the tests that should find it.

python tools/mutants.py [WORD ...]: only faults whose file holds one of the words. Exit status 1 where more than 5 % survive.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from faults import FAULTS
from faults_logging import LOGGING
from faults_starting import STARTING
from faults_working import WORKING

ROOT = Path(__file__).parent.parent
LIMIT, SHARE = 3000, 0.05  # seconds for the tests of one fault; survivors that are borne


def survives(folder: Path, fault: tuple[str, str, str, str]) -> str:
    """Return an empty string where a test failed, else what happened."""
    name, old, new, tests = fault
    path = folder / "src" / "inkshelf" / name
    text = path.read_text()
    if text.count(old) != 1:
        return f"does not fit the code any more ({text.count(old)} places)"
    path.write_text(text.replace(old, new))
    try:
        files = [f"tests/test_{one}.py" for one in tests.split()]
        where = {
            **os.environ,
            "PYTHONPATH": str(folder / "src"),
            "QT_QPA_PLATFORM": "offscreen",
            "PYTHONDONTWRITEBYTECODE": "1",
        }
        command = [sys.executable, "-m", "pytest", "-x", "-q", "-p", "no:cacheprovider", *files]
        ran = subprocess.run(command, cwd=folder, env=where, capture_output=True, text=True, timeout=LIMIT, check=False)
    except subprocess.TimeoutExpired:
        return ""  # a test that never ends is noticed
    finally:
        path.write_text(text)
    return (
        ""
        if ran.returncode == 1
        else "no test failed"
        if ran.returncode == 0
        else f"the tests could not run ({ran.returncode}): {ran.stdout[-300:]} {ran.stderr[-300:]}"
    )


def main() -> int:
    words = sys.argv[1:]
    faults = [one for one in (*FAULTS, *STARTING, *WORKING, *LOGGING) if not words or any(word in one[0] for word in words)]
    with tempfile.TemporaryDirectory(prefix="inkshelf-mutants-") as name:
        folders = [Path(name) / str(at) for at in range(2)]
        for folder in folders:
            folder.mkdir()
            for part in ("src", "tests", "docs", "tools"):
                shutil.copytree(ROOT / part, folder / part, ignore=shutil.ignore_patterns("__pycache__"))
            shutil.copy(ROOT / "pyproject.toml", folder)
        left = 0
        with ThreadPoolExecutor(2) as pool:
            shares = [pool.submit(_each, folder, faults[at::2]) for at, folder in enumerate(folders)]
            left = sum(one.result() for one in shares)
    print(f"{len(faults)} faults, {left} not found by any test")
    return int(left > SHARE * len(faults))


def _each(folder: Path, faults: list[tuple[str, str, str, str]]) -> int:
    left = 0
    for fault in faults:
        said = survives(folder, fault)
        left += bool(said)
        print(f"{'SURVIVES' if said else 'found   '}  {fault[0]}: {' '.join(fault[1].split())[:70]}  {said}", flush=True)
    return left


if __name__ == "__main__":
    sys.exit(main())
