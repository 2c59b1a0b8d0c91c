"""Pipes, devices, link loops, folders, endless and giant files as input; pickles under another name: refused in a moment, with words."""

from __future__ import annotations

import os
import pickle
import resource
import subprocess
import sys
import time
from pathlib import Path

import pytest

from unitone.cli.commands import run
from unitone.errors import SignalError
from unitone.signals.response import read_response

#: Each command that reads a file which somebody names.
COMMANDS: dict[str, tuple[str, ...]] = {
    ".wav": ("measure", "sinad"), ".sigmf-meta": ("measure", "fm"), ".toml": ("sheet", "check"), ".unitone": ("sheet", "check"),
    ".csv": ("attribute", "ostrel-teal-6"), ".json": ("import",), ".zip": ("restore",), ".physics.toml": (),
}  # fmt: skip


def special(folder: Path, ending: str) -> dict[str, Path]:
    """Things that stand where a file is expected."""
    made = {n: folder / f"{n}{ending}" for n in ("pipe", "loop", "device", "folder", "giant", "none", "empty")}
    os.mkfifo(made["pipe"])
    made["loop"].symlink_to(made["loop"])
    made["device"].symlink_to("/dev/zero")
    made["folder"].mkdir()
    with made["giant"].open("wb") as file:
        file.truncate(3_000_000_000)
    made["empty"].touch()
    return made


@pytest.mark.parametrize("ending", [e for e, c in COMMANDS.items() if c])
def test_what_is_no_file_is_refused_at_once(tmp_path: Path, ending: str, capsys: pytest.CaptureFixture[str]) -> None:
    for name, path in special(tmp_path, ending).items():
        began, before = time.monotonic(), resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        code = run(["--workspace", str(tmp_path / "book"), *COMMANDS[ending], str(path)])
        said = capsys.readouterr()
        assert code in (1, 3), (name, said.err)
        assert str(path) in said.err and "Traceback" not in said.err and "inside Unitone" not in said.err, (
            name,
            said.err,
        )
        assert (
            time.monotonic() - began < 20 and resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 200_000
        ), name


def test_a_physics_file_that_is_none_is_named(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    from unitone.sheet.library import find

    (tmp_path / "x.toml").write_text(find("ostrel-tarn-40").read_text(encoding="utf-8"), encoding="utf-8")
    with (tmp_path / "x.physics.toml").open("wb") as file:
        file.truncate(3_000_000_000)
    assert run(["sheet", "check", str(tmp_path / "x.toml")]) == 1
    assert "x.physics.toml" in capsys.readouterr().err


class Evil:
    """A pickle that runs a command when it is read."""

    def __init__(self, mark: Path) -> None:
        self.mark = mark

    def __reduce__(self) -> tuple[object, tuple[str]]:
        return os.system, (f"touch '{self.mark}'",)


def test_a_response_file_runs_nothing(tmp_path: Path) -> None:
    mark = tmp_path / "it ran"
    for name in ("evil.s2p", "evil.s1p", "evil.csv"):
        (tmp_path / name).write_bytes(pickle.dumps(Evil(mark)))
        with pytest.raises(SignalError, match=name.replace(".", r"\.")):
            read_response(tmp_path / name)
    assert not mark.exists()


def test_nothing_that_ships_can_unpickle_or_evaluate(top: Path) -> None:
    """Libraries that unpickle what they read are not used on anybody's file; our own code neither unpickles nor evaluates."""
    source = "\n".join(p.read_text(encoding="utf-8") for p in (top / "src").rglob("*.py"))
    for word in (
        "import skrf",
        "from skrf",
        "import pickle",
        "np.load(",
        "joblib",
        "read_pickle",
        "yaml.load",
        "marshal.",
        " eval(",
        " exec(",
    ):
        assert word not in source, word


def test_a_writer_to_standard_output_s_device_is_refused(tmp_path: Path, top: Path) -> None:
    done = subprocess.run(
        [sys.executable, "-m", "unitone", "--workspace", str(tmp_path / "book"), "backup", "/dev/full"],
        capture_output=True, text=True, timeout=120, check=False, env={**os.environ, "PYTHONPATH": str(top / "src")},
    )  # fmt: skip
    assert done.returncode == 3 and "Traceback" not in done.stderr and Path("/dev/full").is_char_device()
