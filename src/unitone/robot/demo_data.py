"""The demo workshop as it ships: its jobs, taken into a logbook."""

from __future__ import annotations

import gzip
import io
import json
from pathlib import Path
from typing import Any

from unitone.report.head import Head
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
    logbook.set_setting(
        "head", Head("The Boathouse Bench", "radio repairs · Lower Slip, Ferry Island", _mark()).to_data()
    )
    logbook.import_jobs(load())


def _mark() -> bytes:
    """The demo workshop's mark: a boathouse door, drawn here."""
    from PIL import Image, ImageDraw

    picture = Image.new("RGBA", (128, 128), (0, 0, 0, 0))
    draw = ImageDraw.Draw(picture)
    sand = (246, 227, 203, 255)
    draw.rounded_rectangle((0, 0, 127, 127), 18, fill=(29, 43, 51, 255))
    draw.arc((36, 22, 92, 98), 180, 360, fill=sand, width=9)
    for box in ((36, 58, 45, 106), (83, 58, 92, 106), (36, 78, 92, 86)):
        draw.rectangle(box, fill=sand)
    out = io.BytesIO()
    picture.save(out, "PNG", optimize=True)
    return out.getvalue()


WORKSHOP = "the boathouse bench"
