"""What an installed Unitone takes: room on the disk with its environment, and its start beside that of the checkout.

PYTHONPATH=src python benchmarks/installed.py [PAIRS] [DEB]

Builds the Debian package (or takes the one that is named second), unpacks it, counts what lies there, and times the first
picture of the demo workshop there and here, in pairs.
"""

from __future__ import annotations

import json
import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from start import PAINTED

TOP = Path(__file__).resolve().parent.parent
_LIMIT_MB = 450


def size_mb(folder: Path) -> float:
    """What lies in a folder, in MB; a file of several names once."""
    seen: set[tuple[int, int]] = set()
    total = 0
    for path in folder.rglob("*"):
        if path.is_file() and not path.is_symlink():
            stat = path.stat()
            if (stat.st_dev, stat.st_ino) not in seen:
                seen.add((stat.st_dev, stat.st_ino))
                total += stat.st_size
    return total / 1e6


def unpack(place: Path, package: Path | None) -> Path:
    """The package's tree as it lies on the disk once it is installed; the folder that Python imports from."""
    if package is None:
        subprocess.run(
            [sys.executable, "packaging/build.py", "deb", str(place)], cwd=TOP, check=True, capture_output=True
        )
        package = next(place.glob("*.deb"))
    subprocess.run(["dpkg-deb", "-x", str(package), str(place / "root")], check=True)
    return place / "root" / "usr" / "lib" / "unitone"


def start_s(path: Path, demo: Path) -> float:
    """From a fresh process to the first picture of the demo workshop, with the program and its packages from ``path``."""
    # Bytecode is kept as the launcher keeps it.
    environment = {
        **os.environ,
        "QT_QPA_PLATFORM": "offscreen",
        "PYTHONPATH": str(path),
        "PYTHONPYCACHEPREFIX": str(demo.parent / "bytecode"),
    }
    environment.pop("PYTHONDONTWRITEBYTECODE", None)
    # A base interpreter sees no package but those of the path; here its own environment serves the checkout.
    python = [sys.executable] if path == TOP / "src" else [str(getattr(sys, "_base_executable", sys.executable)), "-s"]
    begun = time.perf_counter()
    subprocess.run([*python, "-c", PAINTED, str(demo)], env=environment, check=True, capture_output=True, cwd="/")
    return time.perf_counter() - begun


def main() -> None:
    pairs = int(sys.argv[1]) if len(sys.argv) > 1 else 5
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        there = unpack(place, Path(sys.argv[2]).absolute() if len(sys.argv) > 2 else None)
        room = size_mb(place / "root")
        times: dict[Path, list[float]] = {there: [], TOP / "src": []}
        for n in range(pairs + 1):
            for path, took in times.items():
                seconds = start_s(path, place / "demo")
                if n:
                    took.append(seconds)
    packaged, here = (statistics.median(t) for t in times.values())
    print(json.dumps({
        "installed_mb": round(room), "limit_mb": _LIMIT_MB, "start_s": round(packaged, 2),
        "start_of_the_checkout_s": round(here, 2), "ratio": round(packaged / here, 2),
    }))  # fmt: skip


if __name__ == "__main__":
    main()
