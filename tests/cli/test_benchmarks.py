"""Every benchmark still runs, in its smallest size: one that CI does not start is broken before anybody notices. What only takes times
is loaded, not run."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest

#: The smallest size of each.
TINY: dict[str, tuple[str, ...]] = {
    "accuracy": ("0.02", "0.01"), "adjusters": ("1",), "attribution": ("4",), "by_hand": ("1", "7", "fm-handheld"),
    "find_level": ("3",),
    "foreign": ("1", "6001", "dunlin"), "receive": ("5", "2", "1"),
    "recheck": ("2",), "sheets": (), "sweep": ("8",), "trace": ("4",), "vco": ("5",),
}  # fmt: skip
#: They time a window, a start, a list of ten thousand jobs; or take what other tests prove already, and long for it.
TIMED = (
    "by_camera",
    "events",
    "hostile",
    "installed",
    "killed",
    "live",
    "logbook",
    "needles",
    "practice",
    "practice_speed",
    "receiver_speed",
    "robot",
    "shared",
    "start",
    "variants",
    "window",
)


def test_none_is_forgotten(top: Path) -> None:
    assert {p.stem for p in (top / "benchmarks").glob("*.py")} == {*TINY, *TIMED}


@pytest.mark.window
@pytest.mark.parametrize("name", sorted(TINY))
def test_it_runs(name: str, top: Path, tmp_path: Path) -> None:
    arguments = TINY[name]
    environment = {
        **os.environ,
        "QT_QPA_PLATFORM": "offscreen",
        "PYTHONPATH": f"{top / 'src'}{os.pathsep}{top / 'tests'}",
        "TMPDIR": str(tmp_path),
    }
    done = subprocess.run([sys.executable, f"benchmarks/{name}.py", *arguments], cwd=top, env=environment, capture_output=True, text=True,
                          timeout=600, check=False)  # fmt: skip
    assert done.returncode == 0, done.stderr[-3000:]
    assert done.stdout.strip()


@pytest.mark.window
def test_those_that_take_times_can_be_loaded(top: Path) -> None:
    code = (
        "import runpy, sys\nfor name in sys.argv[1:]:\n    runpy.run_path(f'benchmarks/{name}.py', run_name='loaded')"
    )
    environment = {
        **os.environ,
        "QT_QPA_PLATFORM": "offscreen",
        "PYTHONPATH": os.pathsep.join(str(top / p) for p in ("src", "tests", "benchmarks")),
    }
    done = subprocess.run([sys.executable, "-c", code, *TIMED], cwd=top, env=environment, capture_output=True, text=True, timeout=120,
                          check=False)  # fmt: skip
    assert done.returncode == 0, done.stderr[-3000:]
