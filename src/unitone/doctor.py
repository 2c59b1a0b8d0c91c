"""What works on this machine, and the cure for what does not: Python, packages, Qt, sound, camera, speech, scans, wires, the logbook.

Nothing is installed and nothing is written but one file in the logbook's folder, which is taken away again.
"""

from __future__ import annotations

import grp
import json
import os
import shutil
import subprocess
import sys
from collections.abc import Callable
from dataclasses import dataclass
from importlib import metadata
from pathlib import Path
from typing import Any, Literal

from unitone import __version__, files
from unitone.errors import UnitoneError
from unitone.trouble import crashes, troubles_kept
from unitone.words import tr

State = Literal["works", "limited", "missing"]
#: Fewer free bytes than this in the logbook's folder are too few.
_LEAST_BYTES = 200_000_000
#: So long Qt is waited for (s): a sound server that hangs hangs it, too.
_QT_S = 30.0
#: Without these nothing goes; the others bring one thing each.
_PACKAGES = (
    "PyQt6",
    "numpy",
    "scipy",
    "pyqtgraph",
    "pydantic",
    "sqlalchemy",
    "alembic",
    "psycopg",
    "typer",
    "reportlab",
    "msgspec",
)
_APT_QT = (
    "sudo apt-get install libegl1 libgl1 libxkbcommon-x11-0 libxcb-cursor0 libxcb-icccm4 libxcb-image0 libxcb-keysyms1 "
    "libxcb-randr0 libxcb-render-util0 libxcb-shape0 libxcb-xinerama0"
)


@dataclass(frozen=True)
class Check:
    """One thing: whether it works, what was found, and what to do where it does not. Without a ``needed`` one the program does not go."""

    id: str
    title: str
    state: State
    found: str
    cure: str = ""
    needed: bool = False


def examine(folder: Path, server: Callable[[], tuple[str, str]] | None = None) -> tuple[Check, ...]:
    """Every check, in the order in which they are told; ``folder`` is the workshop's, ``server`` asks that of a shared
    logbook for its name and for what is wrong with it (empty: nothing). It takes some seconds."""
    qt = _ask_qt()
    return (
        _python(),
        _packages(),
        _window(qt),
        *_sound(qt),
        _camera(qt),
        _speech(qt),
        _scans(),
        _serial(),
        _usb(),
        _logbook(folder),
        *((_server(*server()),) if server is not None else ()),
        _trouble(),
    )


def is_well(checks: tuple[Check, ...]) -> bool:
    """Does everything work that the program needs?"""
    return all(c.state != "missing" for c in checks if c.needed)


def _python() -> Check:
    now = ".".join(map(str, sys.version_info[:3]))
    return Check(
        "python", tr("Python"), "works", tr("{version}, Unitone {own}", version=now, own=__version__), needed=True
    )


def _packages() -> Check:
    there, missing = [], []
    for name in _PACKAGES:
        try:
            there.append(f"{name} {metadata.version(name)}")
        except metadata.PackageNotFoundError:
            missing.append(name)
    if missing:
        cure = tr("Start ./unitone once more with a network: it installs what is missing.")
        return Check("packages", tr("Packages"), "missing", tr("missing: {list}", list=", ".join(missing)), cure, True)
    few, rest = there[:3], len(there) - 3
    return Check(
        "packages", tr("Packages"), "works", tr("{list} and {n} more", list=", ".join(few), n=rest), needed=True
    )


def _ask_qt() -> dict[str, Any]:
    """What ``desktop.shell.qt_probe`` prints; under ``error`` why it printed nothing."""
    environment = dict(os.environ)
    if not any(environment.get(x) for x in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")):
        # Sound, camera and speech can be asked for without a screen.
        environment["QT_QPA_PLATFORM"] = "offscreen"
    command = [sys.executable, "-m", "unitone.desktop.shell.qt_probe"]
    try:
        done = subprocess.run(command, env=environment, capture_output=True, text=True, timeout=_QT_S, check=False)
    except subprocess.TimeoutExpired:
        return {"error": tr("no answer within {n} seconds", n=round(_QT_S))}
    try:
        found = json.loads(done.stdout.strip().rpartition("\n")[2])
        return found if isinstance(found, dict) else {"error": "?"}
    except json.JSONDecodeError:
        lines = [x for x in done.stderr.splitlines() if x.strip()]
        return {"error": lines[-1][:300] if lines else tr("ended with code {code}", code=done.returncode)}


def _window(qt: dict[str, Any]) -> Check:
    title = tr("Window")
    if "error" in qt:
        return Check("window", title, "missing", str(qt["error"]), _APT_QT, True)
    found = tr("Qt {version} on {platform}", version=qt["qt"], platform=qt["platform"])
    if not any(os.environ.get(x) for x in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")):
        return Check(
            "window", title, "limited", tr("{found}; no screen", found=found), tr("Start it in a desktop session. Commands need no screen.")
        )  # fmt: skip
    return Check("window", title, "works", found, needed=True)


def _of_qt(qt: dict[str, Any], name: str) -> tuple[list[str], str]:
    """(names, why there are none)."""
    names = [str(x) for x in qt.get(name) or []]
    return names, str(qt.get("error") or (qt.get("errors") or {}).get(name, ""))


def _sound(qt: dict[str, Any]) -> tuple[Check, Check]:
    made = []
    for name, title, what in (
        ("inputs", tr("Sound input"), tr("SINAD, distortion and hum by the sound card")),
        ("outputs", tr("Sound output"), tr("tones, the pitch of a reading, practice radios heard")),
    ):
        names, why = _of_qt(qt, name)
        if names:
            made.append(Check(name, title, "works", ", ".join(names)))
        else:
            cure = tr("Plug in a sound card, and let PulseAudio or PipeWire run. It brings: {what}.", what=what)
            made.append(Check(name, title, "missing", why or tr("none found"), cure))
    return made[0], made[1]


def _camera(qt: dict[str, Any]) -> Check:
    names, why = _of_qt(qt, "cameras")
    title = tr("Camera")
    locked = [str(p) for p in sorted(Path("/dev").glob("video*")) if not os.access(p, os.R_OK | os.W_OK)]
    if names:
        return Check("camera", title, "works", ", ".join(names))
    if locked:
        return Check("camera", title, "missing", tr("no right to use {list}", list=", ".join(locked)), _join("video"))
    return Check(
        "camera", title, "missing", why or tr("none found"), tr("Plug in a webcam to read needles by it. A picture file does, too.")
    )  # fmt: skip


def _speech(qt: dict[str, Any]) -> Check:
    names, why = _of_qt(qt, "speech")
    if names:
        return Check("speech", tr("Speech"), "works", ", ".join(names))
    cure = "sudo apt-get install speech-dispatcher speech-dispatcher-espeak-ng espeak-ng"
    return Check("speech", tr("Speech"), "missing", why or tr("none found"), cure)


def _scans() -> Check:
    title = tr("Text of scans")
    if shutil.which("tesseract") is None:
        return Check(
            "scans",
            title,
            "missing",
            tr("tesseract is not installed"),
            "sudo apt-get install tesseract-ocr tesseract-ocr-deu",
        )
    done = subprocess.run(["tesseract", "--list-langs"], capture_output=True, text=True, timeout=20, check=False)
    languages = [x for x in (done.stdout + done.stderr).split() if x in ("eng", "deu")]
    if "eng" not in languages:
        return Check(
            "scans", title, "limited", tr("tesseract without English"), "sudo apt-get install tesseract-ocr-eng"
        )
    return Check("scans", title, "works", "tesseract: " + ", ".join(sorted(set(languages))))


def _serial() -> Check:
    from serial.tools import list_ports

    ports = sorted(p.device for p in list_ports.comports())
    locked = [p for p in ports if not os.access(p, os.R_OK | os.W_OK)]
    title = tr("Serial lines")
    if locked:
        return Check("serial", title, "missing", tr("no right to use {list}", list=", ".join(locked)), _join("dialout"))
    if ports:
        return Check("serial", title, "works", ", ".join(ports))
    return Check(
        "serial",
        title,
        "limited",
        tr("none found"),
        tr("Plug in the adapter of an instrument that talks by a serial line."),
    )


def _usb() -> Check:
    import usb.backend.libusb1

    title = tr("Instruments by USB")
    if usb.backend.libusb1.get_backend() is None:
        return Check("usb", title, "missing", tr("libusb is not installed"), "sudo apt-get install libusb-1.0-0")
    there = sorted(str(p) for p in Path("/dev").glob("usbtmc*"))
    locked = [p for p in there if not os.access(p, os.R_OK | os.W_OK)]
    if locked:
        return Check("usb", title, "missing", tr("no right to use {list}", list=", ".join(locked)), _join("plugdev"))
    return Check("usb", title, "works", ", ".join(there) or tr("libusb is there; no instrument is plugged in"))


def _join(group: str) -> str:
    """How to get the rights of a group."""
    try:
        members = grp.getgrnam(group).gr_mem
    except KeyError:
        members = []
    name = os.environ.get("USER", "")
    if name and name in members:
        return tr("You are in the group {group}, but not since this login: log out and in again.", group=group)
    return tr("sudo usermod -aG {group} {name}, then log out and in again.", group=group, name=name or "$USER")


def _logbook(folder: Path) -> Check:
    title = tr("Logbook")
    there = folder
    while not there.exists() and there != there.parent:
        there = there.parent
    cure = tr("Give the folder back its rights, or choose another one with --workspace.")
    if folder.is_dir():
        try:
            files.write_whole(folder / ".doctor", b"")
            (folder / ".doctor").unlink()
        except (OSError, UnitoneError) as error:
            why = files.plain_reason(error) if isinstance(error, OSError) else str(error)
            return Check("logbook", title, "missing", tr("{path}: {why}", path=folder, why=why), cure, True)
    elif not there.is_dir() or not os.access(there, os.W_OK):
        return Check("logbook", title, "missing", tr("{path} cannot be made", path=folder), cure, True)
    free = shutil.disk_usage(there).free
    found = tr("{path}, {n} MB free", path=folder, n=free // 1_000_000)
    if free < _LEAST_BYTES:
        return Check("logbook", title, "limited", found, tr("Make room: a full disk takes no entries."), True)
    return Check("logbook", title, "works", found, needed=True)


def _server(name: str, why: str) -> Check:
    title = tr("Shared logbook")
    if why:
        cure = tr("Work goes on at the copy of this bench. Start the server, or look at the network.")
        return Check("server", title, "limited", why, cure)
    return Check("server", title, "works", name)


def _trouble() -> Check:
    kept, fallen = troubles_kept(), len(crashes())
    title = tr("Unforeseen errors")
    if not kept and not fallen:
        return Check("trouble", title, "works", tr("none kept"))
    from unitone.trouble import log_folder

    found = tr("{n} kept, {m} sudden ends", n=kept, m=fallen)
    return Check(
        "trouble", title, "limited", found, tr("They lie in {path}. They hold nothing of your jobs.", path=log_folder())
    )
