"""The demo workshop: a shared repair bench in a converted boathouse on a river island. All of it is invented.

Its jobs were worked by the robot technician on stand-ins and are kept as data
(``data/demo/workshop.json.gz``); ``python -m unitone.robot.demo`` makes them anew.
"""

from __future__ import annotations

import gzip
import json
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

from unitone.job.tape import Card
from unitone.robot.technician import align
from unitone.session.session import Session, open_job
from unitone.store.logbook import Logbook

DATA = Path(__file__).resolve().parent.parent / "data" / "demo" / "workshop.json.gz"
SHEET = "ostrel-tarn-40"
WORKSHOP = "the boathouse bench"

#: number, serial, owner, complaint, accessories, seed, opened, how far it has come
_JOBS: tuple[tuple[int, str, str, str, tuple[str, ...], int, str, str], ...] = (
    (140, "40-0877", "the island ferry", "spare set for the ferry, full check wanted", ("microphone", "bracket"), 7, "2026-10-29T09:10", "finish"),
    (141, "40-1011", "market stall 12", "low power, others hear it faintly", ("microphone",), 6, "2026-11-03T13:40", "finish"),
    (142, "40-0932", "the ferry kiosk", "distorted, everybody says he shouts", ("microphone", "power lead"), 3, "2026-11-06T10:05", "finish"),
    (143, "40-1204", "allotment society", "off frequency, heard on the next channel", ("power lead",), 2, "2026-11-10T15:20", "wait"),
    (144, "40-1090", "the lock keeper", "meter stands low whatever comes", ("microphone", "power lead", "bracket"), 4, "2026-11-12T09:30", "finish"),
    (145, "40-0755", "market stall 3", "jumble sale, never tried", (), 8, "2026-11-17T14:00", "as-found"),
    (146, "40-1321", "the island ferry", "squelch opens and shuts by itself", ("microphone", "bracket"), 12, "2026-11-20T11:15", "new"),
    (147, "40-1183", "allotment society", "deaf since a cousin “had a look”", ("microphone", "bracket"), 13, "2026-11-21T09:45", "half"),
)  # fmt: skip


def build(logbook: Logbook) -> None:
    """Work all the demo jobs on stand-ins and leave each where it should stand."""
    logbook.set_setting("workshop", WORKSHOP)
    for number, serial, owner, complaint, accessories, seed, opened, state in _JOBS:
        start = datetime.fromisoformat(opened).replace(tzinfo=UTC)
        card = Card(number, SHEET, serial, owner, complaint, seed, accessories)
        job = open_job(logbook, SHEET, card, utc=_stamp(start))
        session = Session(logbook, job)
        session._now = lambda s=session, t=start: _stamp(t + timedelta(seconds=s.bench.seconds() + 2.5 * s.state.seq))  # type: ignore[misc]
        _work(session, state)
        session.keep_summary()


def _work(session: Session, state: str) -> None:
    if state == "new":
        return
    if state == "finish":
        align(session)
        return
    while session.advice().act != "done":
        if state in ("as-found", "wait") and session.state.phase == "adjust":
            break
        advice = session.advice()
        if state == "half" and advice.act == "turn" and advice.step == "front-end" and advice.why == "to-peak":
            # Half way up the first coil of the front end: the last reading was on the far flank.
            break
        session.follow(advice)
    if state == "wait":
        session.note("Reference far off; the owner asks for a price before anything is turned.")
        session.set_status("waiting", "waits for the owner: go ahead?")


def _stamp(moment: datetime) -> str:
    return moment.isoformat(timespec="milliseconds").replace("+00:00", "Z")


def load() -> list[dict[str, Any]]:
    """The demo jobs as they come with the program."""
    with gzip.open(DATA, "rt", encoding="utf-8") as file:
        jobs: list[dict[str, Any]] = json.load(file)
    return jobs


def fill(logbook: Logbook) -> None:
    """Put the demo workshop into a new logbook."""
    logbook.set_setting("workshop", WORKSHOP)
    logbook.import_jobs(load())


def remake() -> None:
    """Work the demo jobs anew and write the data file."""
    book = Logbook(None)
    build(book)
    DATA.parent.mkdir(parents=True, exist_ok=True)
    content = json.dumps(book.export_jobs(), ensure_ascii=False, separators=(",", ":")).encode()
    DATA.write_bytes(gzip.compress(content, 9, mtime=0))


if __name__ == "__main__":
    remake()
