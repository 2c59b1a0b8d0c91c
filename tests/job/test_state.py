"""The state is a pure function of the tape; nothing is done on stale readings."""

from __future__ import annotations

import copy
from collections.abc import Callable

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from conftest import follow_until
from unitone.errors import TapeError
from unitone.job.card import Card
from unitone.job.conditions import conditions_from_data, conditions_to_data
from unitone.job.entries import Entry, from_data
from unitone.job.entries.notes import Voided
from unitone.job.entries.readings import Reading
from unitone.job.fold import advance, fold
from unitone.job.state import JobState
from unitone.job.summary import band_on_bar, bar_span, reading_text, summary
from unitone.job.verdicts import blockers, found_in_limits, inside, lines, verdict, worst
from unitone.session.session import Session, open_job
from unitone.sheet.model.sheet import Conditions, Limit, Sheet
from unitone.store.logbook import Logbook


def same(a: JobState, b: JobState) -> bool:
    """Do two states say the same?"""
    names = (
        "phase",
        "at",
        "hook_up",
        "set_up",
        "positions",
        "last_touch",
        "concluded",
        "status",
        "finished",
        "latest",
        "found",
        "notes",
        "kit",
    )
    return all(getattr(a, n) == getattr(b, n) for n in names) and len(a.entries) == len(b.entries)


def test_the_fold_of_the_tape_is_the_state_that_the_session_has(new_session: Callable[..., Session]) -> None:
    session = new_session(2)
    follow_until(session, lambda s: len(s.state.entries) > 120)
    session.void_last()
    session.note("half way")
    again = fold(session.logbook.tape(session.job_id), session.job_id)
    assert same(session.state, again)


def test_a_tape_that_is_none(book: Logbook, sheet: Sheet) -> None:
    with pytest.raises(TapeError, match="opening"):
        fold([])
    job = open_job(book, "ostrel-tarn-40", Card(1, "ostrel-tarn-40"))
    tape = book.tape(job)
    for kind, data, says in (
        ("dance", {}, "newer Unitone"),
        ("goto", {"step": "nowhere"}, "'nowhere'"),
        ("turn", {"adjuster": "X9", "asked": 1, "moved": 1, "stop": False}, "'X9'"),
        ("concluded", {"step": "nowhere", "outcome": "set"}, "'nowhere'"),
    ):
        with pytest.raises(TapeError, match=says):
            fold([*tape, Entry("E", 2, "2026-01-01T00:00:00Z", 0.0, from_data(kind, data))])


def test_a_touch_makes_stale_what_it_reaches_and_nothing_else(
    new_session: Callable[..., Session], sheet: Sheet
) -> None:
    session = new_session(3)
    follow_until(session, lambda s: s.state.phase == "adjust")
    assert all(verdict(session.state, s) not in ("todo", "recheck") for s in sheet.steps)
    session.turn("P2", 2_500)
    touched = {s.id for s in sheet.steps if verdict(session.state, s) == "recheck"}
    assert touched == {"deviation", "hum"}
    session.turn("L2", 45_000)
    touched = {s.id for s in sheet.steps if verdict(session.state, s) == "recheck"}
    assert touched == {"deviation", "hum", "vco-transmit"}
    session.turn("CT1", 2_000)
    touched = {s.id for s in sheet.steps if verdict(session.state, s) == "recheck"}
    assert touched >= {"reference", "frequency", "front-end", "sensitivity", "s-meter"} and "power" not in touched


def test_struck_readings_count_as_never_made_but_struck_turns_were_made(new_session: Callable[..., Session]) -> None:
    session = new_session(3)
    session.set_up(session.step.required[0])
    session.measure()
    assert ("rail", 0) in session.state.latest
    voided = session.void_last()
    assert voided is not None and voided.kind == "reading"
    assert ("rail", 0) not in session.state.latest and not session.state.readings
    session.turn("P1", 5_000)
    tape = session.logbook.tape(session.job_id)
    turn = next(e for e in tape if e.kind == "turn")
    void = Entry("S", tape[-1].seq + 1, tape[-1].utc, 0.0, Voided(turn.id))
    assert fold([*tape, void]).positions["P1"] == 5_000


def test_as_found_is_the_first_reading_and_says_whether_anything_was_touched_before(
    new_session: Callable[..., Session],
) -> None:
    session = new_session(6)
    session.set_up(session.step.required[0])
    session.measure()
    clean = session.state.found[("rail", 0)]
    session.turn("P1", 5_000)
    session.measure()
    assert session.state.found[("rail", 0)] is clean and session.state.found_clean[("rail", 0)]
    session.go_to("vco-receive")
    session.set_up(session.step.required[0])
    session.measure()
    assert not session.state.found_clean[("vco-receive", 0)]  # P1 reaches the tuning voltage


OPS = st.lists(
    st.tuples(st.sampled_from(["read", "turn", "void", "goto", "conclude", "finish", "follow"]), st.integers(0, 10_000)),
    min_size=4, max_size=40,
)  # fmt: skip


@settings(
    max_examples=40, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow]
)
@given(OPS)
def test_no_sequence_of_entries_finishes_a_job_with_a_stale_reading(sheet: Sheet, ops: list[tuple[str, int]]) -> None:
    with Logbook(None) as book:
        session = Session(book, open_job(book, sheet.id, Card(1, sheet.id)))
        # Every step read once, by hand, so that the end is in reach.
        for step in sheet.steps:
            session.go_to(step.id)
            if step.hook_up != "probe" and session.state.hook_up != step.hook_up:
                session.confirm_hook_up(step.hook_up)
            for required in step.required:
                session.append(Reading(step.quantity_id, required, step.limit.middle, "hand", "hand"))
        for op, n in ops:
            step = sheet.steps[n % len(sheet.steps)]
            try:
                if op == "read":
                    required = step.required[n % len(step.required)]
                    session.append(Reading(step.quantity_id, required, step.limit.middle, "hand", "hand"))
                elif op == "turn":
                    session.turn(sheet.adjusters[n % len(sheet.adjusters)].id, 2_500)
                elif op == "void":
                    session.void_last()
                elif op == "goto":
                    session.go_to(step.id)
                elif op == "conclude":
                    session.conclude("set")
                elif op == "finish":
                    session.finish()
            except TapeError:
                continue
        if session.state.finished:
            assert not blockers(session.state)
            assert all(verdict(session.state, s) not in ("todo", "recheck") for s in sheet.steps)
        assert same(session.state, fold(book.tape(session.job_id), session.job_id))


@pytest.mark.parametrize(
    ("value", "bound", "word", "low", "high", "says"),
    [
        (3.0, "", "", 2.0, 4.0, True), (5.0, "", "", 2.0, 4.0, False), (2.0, "", "", 2.0, None, True),
        (0.3, "<", "", None, 0.5, True), (0.7, "<", "", None, 0.5, None), (0.1, "<", "", 0.2, 0.5, False),
        (9.0, ">", "", 2.0, None, True), (1.0, ">", "", 2.0, None, None), (4.0, ">", "", 2.0, 4.0, False),
        (None, "", "no lock", 2.0, 4.0, False), (None, "", "locks", 2.0, 4.0, True), (None, "", "pegged", 2.0, 4.0, None),
    ],
)  # fmt: skip
def test_inside(
    value: float | None, bound: str, word: str, low: float | None, high: float | None, says: bool | None
) -> None:
    reading = Reading("vco.tuning_voltage", Conditions(), value, "hand", "hand", bound=bound, word=word)  # type: ignore[arg-type]
    assert inside(Limit(low, high), reading) is says


def test_readings_and_conditions_survive_the_tape() -> None:
    conditions = Conditions(
        "receive", "20", None, -117.4, 1000.0, 1500.0, None, (("squelch", "open"), ("volume", "30 %"))
    )
    assert conditions_from_data(conditions_to_data(conditions)) == conditions
    reading = Reading("rx.sinad", conditions, 9.8, "meter", "hand", 0.2, "<", "", 9.7, 0.1, "9,8")
    assert Reading.from_data(reading.to_data()) == reading
    card = Card(7, "s", "1", "o", "c", 3, ("microphone",))
    assert Card.from_data(card.to_data()) == card


def test_verdicts_of_a_whole_job(new_session: Callable[..., Session], sheet: Sheet) -> None:
    session = new_session(7)  # an untouched radio
    follow_until(session, lambda s: s.state.phase == "adjust")
    alone = [s.id for s in sheet.steps if verdict(session.state, s) == "left_as_found"]
    assert len(alone) >= 10 and "rail" in alone
    assert all(found_in_limits(session.state, sheet.step(i)) for i in alone)
    assert verdict(session.state, sheet.step("frequency")) == "in_spec"  # nothing to leave alone: it has no adjuster
    step = sheet.step("sensitivity")
    parts = lines(session.state, step)
    worse = max(p.now.reading.value for p in parts if p.now and p.now.reading.value is not None)
    assert worst(step, parts).now.reading.value == worse  # type: ignore[union-attr]


def test_the_summary_says_what_the_state_says(new_session: Callable[..., Session]) -> None:
    session = new_session(2)
    empty = summary(session.state)
    assert empty["verdicts"] == {"todo": 18} and all(m["now"] is None for m in empty["marks"])
    follow_until(session, lambda s: s.state.phase == "adjust")
    full = summary(session.state)
    assert sum(full["verdicts"].values()) == 18 and full["readings"] > 20
    assert [m["name"] for m in full["marks"]] == ["sensitivity", "power", "frequency", "deviation", "S9", "squelch"]
    assert all(0 <= m["now"] <= 1 and 0 <= m["band"][0] < m["band"][1] <= 1 for m in full["marks"])


def test_bars_hold_their_limits(sheet: Sheet) -> None:
    for step in sheet.steps:
        start, end = bar_span(step)
        low, high = band_on_bar(step)
        assert start < end and 0 <= low < high <= 1


def test_bounded_and_worded_readings_print_as_said(sheet: Sheet, new_session: Callable[..., Session]) -> None:
    session = new_session(None)
    session.go_to("squelch")
    session.confirm_hook_up("receive")
    session.type_in("never opens", session.step.setting)
    logged = session.state.readings[-1]
    assert reading_text(session.step, logged) == "never opens"
    session.type_in("<0.06 uV", session.step.setting)
    assert reading_text(session.step, session.state.readings[-1]) == "<0.06 µV"
    assert verdict(session.state, session.step) == "out_of_spec"


def test_advance_changes_nothing_that_anyone_else_can_hold(new_session: Callable[..., Session]) -> None:
    """Whatever the next entry is: the state before it stays as it was, and the one after it is what the whole log folds to."""
    session = new_session(2)
    follow_until(session, lambda s: len(s.state.entries) > 150)
    session.loosen("lead of C4 lifted")
    session.workshop.look_at("seals", "wrong", "broken", on=("T2",))
    session.tie(session.state.open_ends[0].entry_id)
    session.workshop.spend("10")
    session.workshop.set_status("waiting", "for a crystal")
    session.judge("not applicable", "no meter fitted")
    tape = session.logbook.tape(session.job_id)
    state = fold(tape[:1], session.job_id)
    for n, entry in enumerate(tape[1:], 2):
        before = copy.deepcopy(
            {k: v for k, v in state.__dict__.items() if k not in ("sheet", "written", "stand", "_lookups")}
        )
        after = advance(state, entry)
        assert {k: getattr(state, k) for k in before} == before, entry.kind
        assert after is not state and after.seq == n
        state = after
    assert same(state, fold(tape, session.job_id)) and state.shop == session.state.shop
