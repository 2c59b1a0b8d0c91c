"""The doctor: what it finds, that each thing that does not work has its cure, and that a sudden end is told at the next start."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import pytest

from unitone import doctor
from unitone.doctor import Check, examine, is_well
from unitone.trouble import CrashWatch, crashes

WHOLE = {
    "qt": "6.11", "platform": "xcb", "inputs": ["USB card"], "outputs": ["USB card"], "cameras": ["webcam"], "speech": ["speechd"], "errors": {}
}  # fmt: skip


def _by_id(checks: tuple[Check, ...]) -> dict[str, Check]:
    return {c.id: c for c in checks}


@pytest.fixture
def qt(monkeypatch: pytest.MonkeyPatch) -> dict[str, object]:
    """What the probe of Qt says, to be changed."""
    said: dict[str, object] = dict(WHOLE)
    monkeypatch.setattr(doctor, "_ask_qt", lambda: said)
    monkeypatch.setenv("QT_QPA_PLATFORM", "offscreen")
    return said


def test_what_works_is_named_and_what_does_not_has_its_cure(qt: dict[str, object], tmp_path: Path) -> None:
    found = _by_id(examine(tmp_path / "new"))
    assert is_well(tuple(found.values())) and not list(tmp_path.iterdir()), "nothing is written where no workshop is"
    assert found["inputs"].state == "works" and found["inputs"].found == "USB card" and not found["inputs"].cure
    qt.update(inputs=[], outputs=[], cameras=[], speech=[], errors={"speech": "no engine"})
    found = _by_id(examine(tmp_path))
    assert not list(tmp_path.iterdir())
    for name in ("inputs", "outputs", "camera", "speech"):
        assert found[name].state == "missing" and found[name].cure and not found[name].needed, name
    assert found["speech"].found == "no engine" and is_well(tuple(found.values())), "radios are repaired without them"
    qt["error"] = "could not load the Qt platform plugin xcb"
    found = _by_id(examine(tmp_path))
    assert found["window"].needed and "libxcb-cursor0" in found["window"].cure and not is_well(tuple(found.values()))
    for check in found.values():
        assert check.title and check.found and (check.cure or check.state == "works")


def test_a_folder_that_takes_nothing_and_a_full_disk_are_told(
    qt: dict[str, object], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "file").write_text("x")
    found = _by_id(examine(tmp_path / "file" / "below"))["logbook"]
    assert found.state == "missing" and found.needed and "cannot be made" in found.found, "a file is no folder"
    monkeypatch.setattr(doctor.shutil, "disk_usage", lambda _: type("U", (), {"free": 5_000_000})())
    full = _by_id(examine(tmp_path))["logbook"]
    assert full.state == "limited" and "5 MB" in full.found and "Make room" in full.cure


def test_packages_scans_and_rights(qt: dict[str, object], tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def gone(name: str) -> str:
        raise doctor.metadata.PackageNotFoundError(name)

    monkeypatch.setattr(doctor.metadata, "version", gone)
    monkeypatch.setattr(doctor.shutil, "which", lambda _: None)
    monkeypatch.setattr(doctor.os, "access", lambda *_: False)
    monkeypatch.setenv("USER", "nobody-here")
    found = _by_id(examine(tmp_path))
    assert found["packages"].state == "missing" and "numpy" in found["packages"].found
    assert "tesseract-ocr" in found["scans"].cure
    if found["serial"].state == "missing":
        assert "usermod -aG dialout nobody-here" in found["serial"].cure


DIES = """
import faulthandler, sys
from pathlib import Path
from unitone.trouble import CrashWatch
watch = CrashWatch(Path(sys.argv[1]))
assert watch.last_time() is None
watch.begin()
if sys.argv[2] == "well":
    watch.end()
else:
    faulthandler._sigsegv()
"""


def test_a_sudden_end_is_told_once_at_the_next_start(tmp_path: Path) -> None:
    def run(how: str) -> int:
        return subprocess.run(
            [sys.executable, "-c", DIES, str(tmp_path), how], capture_output=True, check=False, timeout=120
        ).returncode

    assert run("well") == 0 and CrashWatch(tmp_path).last_time() is None
    assert run("badly") != 0
    told = CrashWatch(tmp_path).last_time()
    assert told is not None and "suddenly" in told.words and "Segmentation fault" in told.details
    assert str(Path.home()) not in told.details and str(tmp_path) not in told.details
    assert CrashWatch(tmp_path).last_time() is None, "told once"
    assert len(list(tmp_path.glob("crash-*.txt"))) == 1 and not list(tmp_path.glob("running-*"))
    assert isinstance(crashes(), list)


@pytest.mark.window
def test_the_probe_of_qt_and_the_command(tmp_path: Path) -> None:
    done = subprocess.run(
        [sys.executable, "-m", "unitone", "--workspace", str(tmp_path / "w"), "doctor", "--json"],
        capture_output=True, text=True, timeout=180, check=False,
    )  # fmt: skip
    told = json.loads(done.stdout)
    ids = [c["id"] for c in told["checks"]]
    assert done.returncode == (0 if told["well"] else 1) and len(ids) == len(set(ids)) == 12
    assert next(c for c in told["checks"] if c["id"] == "window")["state"] == "works"
