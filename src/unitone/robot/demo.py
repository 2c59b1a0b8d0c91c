"""The demo workshop: a shared repair bench in a converted boathouse on a river island. All of it is invented.

Its simulated radio jobs were worked by the robot technician, the others are typed; all are
kept as data (``data/demo/workshop.json.gz``); ``python -m unitone.robot.demo`` makes
them anew.
"""

from __future__ import annotations

import gzip
import json
from collections.abc import Callable
from datetime import UTC, datetime, timedelta

from unitone.job.card import Card
from unitone.robot import _demo_hands as demohand
from unitone.robot.demo_data import DATA, WORKSHOP
from unitone.robot.technician import align
from unitone.session.session import Session, open_job
from unitone.store.exchange import without_paths
from unitone.store.logbook import Logbook

SHEET = "ostrel-tarn-40"

#: Two years of one model, all worked through and handed over: number, serial, owner, complaint, seed, opened.
_HISTORY: tuple[tuple[int, str, str, str, int, str], ...] = (
    (112, "40-0311", "the island ferry", "spare set, never tried", 20, "2024-11-12T10:00"),
    (113, "40-0644", "market stall 4", "hisses, nothing heard", 26, "2024-12-03T14:20"),
    (114, "40-0812", "allotment society", "others say it is faint", 29, "2025-01-09T09:40"),
    (115, "40-0229", "the lock keeper", "meter hardly moves", 30, "2025-02-04T11:05"),
    (116, "40-0877", "the island ferry", "yearly check", 34, "2025-02-18T10:30"),
    (117, "40-1150", "market stall 12", "loud and harsh", 22, "2025-03-11T15:00"),
    (118, "40-0502", "the ferry kiosk", "squelch opens and shuts by itself", 40, "2025-04-02T13:15"),
    (119, "40-0960", "allotment society", "deaf after a winter in the shed", 43, "2025-04-29T09:10"),
    (120, "40-1013", "market stall 7", "crackles when the volume is turned", 45, "2025-05-20T16:00"),
    (121, "40-0733", "the island ferry", "heard on the next channel", 47, "2025-06-12T10:45"),
    (122, "40-0388", "the lock keeper", "low power on the top channels", 49, "2025-07-03T14:30"),
    (123, "40-1201", "market stall 3", "jumble sale, never tried", 51, "2025-08-14T11:20"),
    (124, "40-0915", "allotment society", "he shouts, they say", 24, "2025-09-09T09:30"),
    (125, "40-0566", "the ferry kiosk", "nothing under S5 is heard", 58, "2025-10-02T10:00"),
    (126, "40-0640", "market stall 4", "dead, lead cut", 60, "2025-11-18T15:40"),
    (127, "40-1107", "the island ferry", "yearly check", 69, "2026-01-14T10:10"),
    (128, "40-0322", "allotment society", "distorted", 64, "2026-02-11T13:00"),
    (129, "40-0877", "the island ferry", "squelch stays open", 71, "2026-03-05T09:50"),
    (130, "40-1290", "market stall 9", "quiet since it fell", 76, "2026-04-08T14:10"),
    (131, "40-0481", "the lock keeper", "loud and harsh", 73, "2026-05-06T11:30"),
    (132, "40-0714", "the ferry kiosk", "8 V rail low, off everywhere", 82, "2026-06-16T10:20"),
    (133, "40-1044", "allotment society", "deaf, a cousin again", 90, "2026-07-21T15:30"),
)
#: Which of them had the squelch electrolytic, and which the rail's, replaced.
_SQUELCH_CAP, _RAIL_CAP = frozenset({118, 129, 131, 140, 142}), frozenset({132, 141, 144})
#: Put away: more than a year old.
_ARCHIVED = range(112, 125)

#: Simulated radio jobs of today: number, serial, owner, complaint, accessories, missing, seed, opened, how far it has come.
_JOBS: tuple[tuple[int, str, str, str, tuple[str, ...], tuple[str, ...], int, str, str], ...] = (
    (139, "40-0127", "the harbour office", "loud and harsh, sold as a Fen 40", ("microphone",), (), 36, "2026-10-20T09:20", "finish"),
    (140, "40-0877", "the island ferry", "spare set, full check wanted", ("microphone", "bracket"), (), 22, "2026-10-29T09:10", "finish"),
    (141, "40-1011", "market stall 12", "low power, others hear it faintly", ("microphone",), (), 24, "2026-11-03T13:40", "finish"),
    (142, "40-0932", "the ferry kiosk", "distorted, everybody says he shouts", ("microphone", "power lead"), (), 25, "2026-11-06T10:05", "finish"),
    (143, "40-1204", "allotment society", "heard on the next channel", ("power lead",), ("microphone",), 2, "2026-11-10T15:20", "wait"),
    (144, "40-1090", "the lock keeper", "meter stands low whatever comes", ("microphone", "power lead", "bracket"), (), 27, "2026-11-12T09:30",
     "finish"),
    (145, "40-0755", "market stall 3", "jumble sale, never tried", (), ("microphone", "power lead"), 8, "2026-11-17T14:00", "as-found"),
    (146, "40-1321", "the island ferry", "squelch opens and shuts by itself", ("microphone", "bracket"), (), 12, "2026-11-20T11:15", "new"),
    (147, "40-1183", "allotment society", "deaf since a cousin “had a look”; squelch never opens", ("microphone", "bracket"), ("power lead",), 13,
     "2026-11-21T09:45", "half"),
)  # fmt: skip


#: Simulated radios of other sheets: sheet, number, serial, owner, complaint, accessories, seed, opened, how far it has come.
_OTHERS: tuple[tuple[str, int, str, str, str, tuple[str, ...], int, str, str], ...] = (
    ("ostrel-curlew-5", 148, "C5-0417", "the lock keeper", "off frequency on SSB, worse on the upper bands", ("microphone",), 1,
     "2026-11-23T10:30", "frequency"),
    ("ostrel-teal-6", 149, "T6-1182", "the ferry kiosk", "heard on one channel, not on the others", ("case",), 25, "2026-11-24T14:15", "crystal"),
)  # fmt: skip


def build(logbook: Logbook) -> None:
    """Work all the demo jobs and leave each where it should stand."""
    logbook.set_setting("workshop", WORKSHOP)
    for number, serial, owner, complaint, seed, opened in _HISTORY:
        _simulated(logbook, Card(number, SHEET, serial, owner, complaint, seed, ("microphone",)), opened, "finish")
    demohand.handhelds_and_valves(logbook)
    for number, serial, owner, complaint, accessories, missing, seed, opened, state in _JOBS:
        card = Card(number, SHEET, serial, owner, complaint, seed, accessories, missing)
        _simulated(logbook, card, opened, state, "Ostrel Fen 40" if number == 139 else "")
    for sheet, number, serial, owner, complaint, accessories, seed, opened, state in _OTHERS:
        _simulated(
            logbook, Card(number, sheet, serial, owner, complaint, seed, accessories), opened, state, hand_over=False
        )


def _simulated(logbook: Logbook, card: Card, opened: str, state: str, title: str = "", hand_over: bool = True) -> None:
    start = datetime.fromisoformat(opened).replace(tzinfo=UTC)
    session = Session(logbook, open_job(logbook, card.sheet_id, card, utc=demohand.stamp(start), title=title))
    session._now = lambda: demohand.stamp(start + timedelta(seconds=session.bench.seconds() + 2.5 * session.state.seq))
    number = card.number
    demohand.before(session, number)
    _work(session, state, lambda: demohand.parts(session, number in _SQUELCH_CAP, number in _RAIL_CAP))
    demohand.after(session, number)
    if session.state.finished and hand_over and number not in (142, 144):
        session.workshop.hand_over(card.owner)
    if number in _ARCHIVED:
        session.workshop.archive()
    session.keep_summary()


def _work(session: Session, state: str, parts: Callable[[], None]) -> None:
    if state == "new":
        return
    if state == "finish":
        while session.state.phase == "as-found":
            session.follow(session.advice())
        parts()
        align(session)
        return
    while session.advice().act != "done":
        if state in ("as-found", "wait") and session.state.phase == "adjust":
            break
        advice = session.advice()
        if state == "crystal" and advice.act == "finish":
            session.go_to("crystals")
            break
        if (
            state == "frequency"
            and session.state.phase == "adjust"
            and advice.act == "turn"
            and advice.step == "band-e"
        ):
            # The carriers are in, the band's crystal is the next.
            break
        if state == "half" and advice.act == "turn" and advice.step == "front-end" and advice.why == "to-peak":
            # Half way up the first coil of the front end: the last reading was on the far flank.
            break
        session.follow(advice)
    if state == "crystal":
        session.workshop.set_status("waiting", "waits for a crystal for channel C, 9.031667 MHz", "18.00")
    if state == "wait":
        session.note("Reference far off; the owner asks for a price before anything is turned.")
        session.workshop.set_status("waiting", "waits for the owner: go ahead?", "25.00")


def remake() -> None:
    """Work the demo jobs anew and write the data file."""
    book = Logbook(None)
    build(book)
    DATA.parent.mkdir(parents=True, exist_ok=True)
    content = json.dumps(
        [without_paths(j) for j in book.export_jobs()], ensure_ascii=False, separators=(",", ":")
    ).encode()
    DATA.write_bytes(gzip.compress(content, 9, mtime=0))


if __name__ == "__main__":
    remake()
