"""What every proof of the robot technician shares: the simulated radio that is asked for, and many of them beside each other."""

from __future__ import annotations

import contextlib
import ctypes
import os
import signal
from collections.abc import Callable, Sequence
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import TypeVar

from unitone.errors import SheetError
from unitone.sheet.format.read import read_sheet
from unitone.sheet.library import find, physics_path
from unitone.sheet.model.sheet import Sheet
from unitone.simulator.physics import PhysicsFile, read_physics

_Asked = TypeVar("_Asked")
_Made = TypeVar("_Made")


def simulated(sheet_name: str) -> tuple[Path, Sheet, PhysicsFile]:
    """Path, sheet and physics of a simulated radio. Raises SheetError where there is no physics file, or either does not hold."""
    path = find(sheet_name)
    if not physics_path(path).is_file():
        raise SheetError(
            [f"{path}:1: file: no {physics_path(path).name} beside it, so this sheet has no simulated radio."]
        )
    sheet = read_sheet(path)
    return path, sheet, read_physics(physics_path(path), sheet)


#: Linux: the signal that a process gets when the one that started it ends (prctl(2)).
_PR_SET_PDEATHSIG = 1


def _end_with_parent(parent: int) -> None:
    """A worker whose parent is killed would go on for hours with nobody to hear of it."""
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGTERM)
    if os.getppid() != parent:
        os._exit(1)


def many(run: Callable[[_Asked], _Made], asked: Sequence[_Asked], workers: int) -> list[_Made]:
    """``run`` for each, in ``workers`` processes, in the order asked."""
    if workers <= 1 or len(asked) < 2:
        return [run(a) for a in asked]
    with ProcessPoolExecutor(workers, initializer=_end_with_parent, initargs=(os.getpid(),)) as pool:
        return list(pool.map(run, asked))
