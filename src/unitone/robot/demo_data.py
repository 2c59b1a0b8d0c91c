"""The demo workshop as it ships: its jobs, taken into a logbook."""

from __future__ import annotations

import gzip
import json
from pathlib import Path
from typing import Any

from unitone.store.logbook import Logbook

DATA = Path(__file__).resolve().parent.parent / "data" / "demo" / "workshop.json.gz"


def load() -> list[dict[str, Any]]:
    """The demo jobs as they come with the program."""
    with gzip.open(DATA, "rt", encoding="utf-8") as file:
        jobs: list[dict[str, Any]] = json.load(file)
    return jobs


def fill(logbook: Logbook) -> None:
    """Put the demo workshop into a new logbook."""
    logbook.set_setting("workshop", WORKSHOP)
    logbook.import_jobs(load())


WORKSHOP = "the boathouse bench"
