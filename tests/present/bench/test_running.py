"""What the card of automatic readings says: only what hands change, the level by wire, and why it ended."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import pytest

from unitone.align import moves
from unitone.bench.path import Kit
from unitone.bench.ports import Bench, DialledByHand, Measured, OwnHands, WallClock
from unitone.job.card import Card
from unitone.present.bench.bench_view import take_view
from unitone.present.bench.running import Running, run_view
from unitone.session.automatic import Told
from unitone.session.session import Session, open_job
from unitone.sheet.model.sheet import Conditions
from unitone.store.logbook import Logbook


class Everything:
    """A meter and a generator that always work."""

    name = "analyser"

    def set(self, conditions: Conditions) -> None: ...

    def off(self) -> None: ...

    def measures(self, quantity_id: str) -> bool:
        return quantity_id in ("rx.sinad", "rx.squelch_opens", "tx.power")

    def seconds_for(self, quantity_id: str) -> float:
        return 0.1

    def measure(self, quantity_id: str, conditions: Conditions) -> Measured:
        if quantity_id == "rx.sinad":
            assert conditions.level_dbm is not None
            return Measured(max(12.0 + 1.6 * (conditions.level_dbm + 117.0), 0.5), self.name, 0.2, source="remote")
        return Measured(3.9 if quantity_id == "tx.power" else -110.0, self.name, 0.02, source="remote")

    def live(self, quantity_id: str, conditions: Conditions) -> Measured | None:
        return None

    def cancel(self) -> None: ...


@pytest.fixture(params=[True, False], ids=["by wire", "dialled by hand"])
def session(request: pytest.FixtureRequest) -> Iterator[Session]:
    book = Logbook(None)
    job = open_job(book, "ostrel-tarn-40", Card(book.next_number(), "ostrel-tarn-40"), Kit(pads_db=(40.0,)))
    rig = Everything()
    made = Session(book, job, Bench((rig,), rig if request.param else DialledByHand(), OwnHands(), WallClock()))
    made.start_work()
    yield made
    book.close()


def at(session: Session, quantity_id: str) -> None:
    step = max((s for s in session.sheet.steps if s.quantity_id == quantity_id), key=lambda s: len(s.required))
    session.go_to(step.id)
    session.confirm_hook_up("transmit" if quantity_id.startswith("tx.") else "receive")


def test_the_first_setting_is_told_whole_and_the_next_only_in_what_changes(session: Session) -> None:
    at(session, "rx.sensitivity")
    run = Running(session, "places")
    view = run.tick(session)
    assert view.waits and not view.over and view.figure == "—"
    if not session.bench.source_by_wire:
        # Every level is dialled: that is what is told, and asked for each time.
        assert view.headline.startswith("Set the generator to") and view.detail == "Then press Space."
        assert take_view(session, "").reading.run == ""
        return
    assert view.headline == "Set channel 1, squelch open, volume 30 %, then press Space."
    assert take_view(session, "").reading.run == "places"
    going = run.hands_ready(session)
    assert not going.waits and going.headline.startswith("Generator set by wire: ")
    asked = []
    for _ in range(80):
        view = run.tick(session)
        if view.over:
            break
        if view.waits:
            asked.append(view.headline)
            run.hands_ready(session)
    assert asked == ["Set channel 20, then press Space.", "Set channel 40, then press Space."]
    assert view.headline == "All read." and "readings logged" in view.detail
    assert view.lines[0][0] == "ch 40" and view.lines[0][1].endswith("µV") and len(view.lines) <= 8


def test_a_squelch_is_closed_before_it_is_turned_back(session: Session) -> None:
    at(session, "rx.squelch_opens")
    view = Running(session, "chart").tick(session)
    assert view.waits and "squelch fully up, then back to" in view.headline


def test_keying_is_asked_for_each_time_and_into_the_load(session: Session) -> None:
    at(session, "tx.power")
    run = Running(session, "places")
    for _ in range(2):
        view = run.tick(session)
        assert view.headline == "Key into the dummy load, then press Space." and view.detail.startswith("channel ")
        run.hands_ready(session)
        done = run.tick(session)
        assert not done.waits and done.unit == "W"


@pytest.mark.parametrize(
    ("came", "words"),
    [
        ("typed", "The next reading is typed."),
        ("hook-up", "Change the hook-up to go on."),
        ("over", "All read."),
    ],
)
def test_why_it_ended(session: Session, came: str, words: str) -> None:
    at(session, "rx.sensitivity")
    advice = moves.Measure(session.step.id, "closing", replace(session.step.setting, level_dbm=-110.0))
    view = run_view(session, Told(came, advice, 1), session.state.seq)  # type: ignore[arg-type]
    assert view.over and view.headline == words and view.detail == "1 reading logged."
