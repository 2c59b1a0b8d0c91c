"""Builds Unitone's own Python environment. Run by the launcher, with the standard library alone.

Usage: ``python setup_venv.py FOLDER LOCKFILE``. The packages are installed with
their hashes checked; a stamp (a copy of the lock) is written last, so that an
interrupted run is simply run again.
"""

from __future__ import annotations

import ctypes
import fcntl
import filecmp
import os
import shutil
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

#: Shared libraries that Qt loads from the system, and the Debian package of each.
QT_LIBRARIES = {
    "libEGL.so.1": "libegl1",
    "libGL.so.1": "libgl1",
    "libglib-2.0.so.0": "libglib2.0-0",
    "libfontconfig.so.1": "libfontconfig1",
    "libdbus-1.so.3": "libdbus-1-3",
    "libxkbcommon.so.0": "libxkbcommon0",
    "libxkbcommon-x11.so.0": "libxkbcommon-x11-0",
    "libxcb-cursor.so.0": "libxcb-cursor0",
    "libxcb-icccm.so.4": "libxcb-icccm4",
    "libxcb-image.so.0": "libxcb-image0",
    "libxcb-keysyms.so.1": "libxcb-keysyms1",
    "libxcb-randr.so.0": "libxcb-randr0",
    "libxcb-render-util.so.0": "libxcb-render-util0",
    "libxcb-shape.so.0": "libxcb-shape0",
    "libxcb-xinerama.so.0": "libxcb-xinerama0",
    "libpulse.so.0": "libpulse0",
}
#: Programs that only the tests use: a screen and a sound card that are not there, a circuit solver as a second opinion.
TEST_PROGRAMS = {"Xvfb": "xvfb", "pulseaudio": "pulseaudio", "pactl": "pulseaudio-utils", "ngspice": "ngspice"}

#: How often the package manager is asked before its work is left to the user.
_TRIES = 12


def say(text: str) -> None:
    """Progress goes to standard error, so that ``--json`` output stays clean."""
    print(f"unitone: {text}", file=sys.stderr, flush=True)


def missing_packages(for_tests: bool) -> list[str]:
    """Debian packages whose library cannot be loaded, and those of programs that the tests use."""
    missing = []
    for library, package in QT_LIBRARIES.items():
        try:
            ctypes.CDLL(library)
        except OSError:
            missing.append(package)
    if for_tests:
        missing += [package for program, package in TEST_PROGRAMS.items() if shutil.which(program) is None]
    return missing


def _apt(arguments: list[str]) -> bool:
    """Run apt-get, waiting while another program holds it, and trying again where it fails; whether it went through."""
    environment = {**os.environ, "DEBIAN_FRONTEND": "noninteractive"}
    command = ["apt-get", "-o", "DPkg::Lock::Timeout=120", "-o", "Acquire::Retries=3", *arguments]
    for attempt in range(_TRIES):
        done = subprocess.run(
            command, env=environment, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True, check=False
        )
        if done.returncode == 0:
            return True
        locked = "lock" in done.stderr.lower()
        if attempt == 0 and locked:
            say("the package manager is busy: waiting for it")
        if attempt + 1 < _TRIES:
            time.sleep(10 if locked else 3)
    print(done.stderr, file=sys.stderr, end="")
    return False


def install_system_packages(packages: list[str]) -> bool:
    """Install with apt when root; otherwise name the exact command. Whether they are there now."""
    names = " ".join(packages)
    if shutil.which("apt-get") and os.geteuid() == 0:
        say(f"installing system packages: {names}")
        _apt(["update", "-qq"])
        if _apt(["install", "-y", "--no-install-recommends", *packages]):
            return True
    say(
        f"the window and its tests need system packages that are missing. Install them with: sudo apt-get install -y --no-install-recommends {names}"
    )
    return False


def _install(python: Path, lock: Path) -> bool:
    """Install the locked packages, their hashes checked; whether they are there now. Bytecode is written as modules are first used."""
    say(f"installing the locked packages ({lock.name})")
    pip = [str(python), "-m", "pip", "install", "--quiet", "--disable-pip-version-check", "--no-deps", "--no-compile"]
    if subprocess.run([*pip, "--require-hashes", "-r", str(lock)], stdout=sys.stderr).returncode:
        say("the packages could not be installed. Check the network connection to PyPI and start again.")
        return False
    return True


def build(top: Path, lock: str) -> int:
    """Create ``.venv`` under ``top`` and install ``lock`` into it; returns an exit code."""
    venv = top / ".venv"
    python = venv / "bin" / "python"
    if not python.exists() or subprocess.run([python, "-m", "pip", "--version"], capture_output=True).returncode:
        say("first start: making the environment in .venv (a minute or two)")
        made = subprocess.run([sys.executable, "-m", "venv", "--clear", str(venv)], capture_output=True, text=True)
        if made.returncode:
            if shutil.which("apt-get") and os.geteuid() == 0:
                install_system_packages(["python3-venv"])
                made = subprocess.run(
                    [sys.executable, "-m", "venv", "--clear", str(venv)], capture_output=True, text=True
                )
            if made.returncode:
                say("Python cannot make a virtual environment. Install it with: sudo apt-get install python3-venv")
                return 3
    missing = missing_packages(lock == "requirements-dev.lock")
    with ThreadPoolExecutor(1) as beside:
        # Two package managers, two networks, two halves of a minute: at once.
        system = beside.submit(install_system_packages, missing) if missing else None
        if not _install(python, top / lock):
            return 3
        whole = system is None or system.result()
    site = subprocess.run(
        [str(python), "-c", "import sysconfig; print(sysconfig.get_path('purelib'))"],
        capture_output=True,
        text=True,
        check=True,
    ).stdout.strip()
    (Path(site) / "unitone-source.pth").write_text(f"{top / 'src'}\n", encoding="utf-8")
    # The development lock holds everything of the plain one, at the same versions. Without a system package this is asked again.
    for name in {"requirements.lock", lock} if whole else ():
        shutil.copyfile(top / name, venv / f"installed-{name}")
    return 0


def build_once(top: Path, lock: str) -> int:
    """``build``, one at a time: a second start waits for the first and finds its work done."""
    with open(top / ".setup.lock", "w", encoding="utf-8") as guard:
        fcntl.flock(guard, fcntl.LOCK_EX)
        stamp = top / ".venv" / f"installed-{lock}"
        if stamp.is_file() and filecmp.cmp(top / lock, stamp, shallow=False):
            return 0
        return build(top, lock)


if __name__ == "__main__":
    sys.exit(build_once(Path(sys.argv[1]).resolve(), sys.argv[2]))
