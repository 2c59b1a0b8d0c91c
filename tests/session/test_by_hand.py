"""A technician with a real radio and no connected instrument; and radios that are broken in a way."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from unitone.bench.ports import Measured
from unitone.errors import UnitoneError
from unitone.job.card import Card
from unitone.job.fold import fold
from unitone.job.verdicts import blockers, verdict
from unitone.present.bench.sentences import sentence
from unitone.quantities.registry import quantity
from unitone.quantities.show import microvolts, s_units
from unitone.session.session import Session, open_job
from unitone.sheet.model.sheet import Conditions, Sheet
from unitone.simulator.physics import PhysicsFile
from unitone.simulator.radio import SimulatedRadio
from unitone.simulator.simulated_bench import SimulatedBench
from unitone.store.logbook import Logbook


def say(measured: Measured, quantity_id: str, conditions: Conditions, sheet: Sheet) -> str:
    """A needle's reading as a person would type it, with a comma here and a unit there."""
    if measured.word:
        return measured.word
    value = measured.value or 0.0
    kind = quantity(quantity_id).kind
    if kind == "level":
        return microvolts(value).replace(".", ",")
    if kind == "s-units":
        return s_units(value)
    if kind == "hertz-error":
        return f"{(sheet.carrier_hz(conditions.channel) + value) / 1e6:.6f} MHz"
    if quantity_id == "ref.frequency":
        return f"{value / 1e6:.6f}"
    if kind == "hertz":
        return f"{value / 1e3:.3f}".replace(".", ",") + " kHz"
    if kind == "ratio-db":
        return f"-{value:.1f}"  # a scale that prints the ratio with a minus sign
    return f"{value:.3f}"


def test_a_whole_alignment_by_hand_entry_only(book: Logbook, sheet: Sheet, physics: PhysicsFile) -> None:
    """The technician turns a radio that the program cannot see, reads its needles and types."""
    radio = SimulatedBench(SimulatedRadio(sheet, physics, 6))
    session = Session(book, open_job(book, sheet.id, Card(1, sheet.id, "40-77")))
    assert not session.bench.simulated
    for _ in range(900):
        advice = session.advice()
        if advice.act == "done":
            break
        if advice.act == "measure":
            assert advice.conditions is not None
            quantity_id = session.reading_quantity(advice.conditions)
            needle = radio.measure(quantity_id, advice.conditions)
            typed = say(needle, quantity_id, advice.conditions, sheet)
            typed += " dB" if quantity_id == "rx.sinad" else ""
            session.type_in(typed, advice.conditions)
            continue
        if advice.act == "turn":
            moved, stopped = radio.turn(advice.adjuster, advice.move_mdeg)
            if stopped:
                session.turn(advice.adjuster, moved)
                session.felt_stop(advice.adjuster, advice.move_mdeg > 0)
                continue
        session.follow(advice)
    assert session.state.finished and not blockers(session.state)
    assert {verdict(session.state, s) for s in sheet.steps} <= {"in_spec", "left_as_found"}
    assert {x.reading.source for x in session.state.readings} == {"hand"}
    assert radio.radio.mechanics.moved_mdeg == session.state.positions


class Broken(SimulatedBench):
    """A simulated radio bench on which one core turns freely without doing anything."""

    def __init__(self, radio: SimulatedRadio, core: str) -> None:
        super().__init__(radio)
        self._core = core

    def turn(self, adjuster: str, asked_mdeg: int) -> tuple[int, bool]:
        return (asked_mdeg, False) if adjuster == self._core else super().turn(adjuster, asked_mdeg)


def work_through(session: Session) -> list[str]:
    """Follow the coach to the end; the headlines it spoke."""
    spoken = []
    for _ in range(900):
        advice = session.advice()
        spoken.append(sentence(advice, session.sheet, session.state.positions)[0])
        if advice.act == "done":
            return spoken
        session.follow(advice)
    raise AssertionError("never finished")


def test_a_core_that_does_nothing_is_said_and_left(book: Logbook, sheet: Sheet, physics: PhysicsFile) -> None:
    radio = SimulatedRadio(sheet, physics, 8)
    session = Session(book, open_job(book, sheet.id, Card(1, sheet.id, simulated_seed=8)), Broken(radio, "L9"))
    radio.mechanics.specimen.found["L9"] = radio.mechanics.specimen.right["L9"] + 2.0
    spoken = work_through(session)
    outcomes = {o for past in session.state.concluded.values() for _, o in past}
    assert verdict(session.state, sheet.step("power")) == "out_of_spec"
    assert "dead" in outcomes or "This adjuster has no effect here." in spoken
    assert session.state.finished, "a job may be finished with a step out, never with one stale"


def test_a_peak_beyond_the_travel_is_said(book: Logbook, sheet: Sheet, physics: PhysicsFile) -> None:
    radio = SimulatedRadio(sheet, physics, 8)
    made = radio.mechanics.specimen
    made.right["L9"], made.found["L9"] = 8.9, 7.0  # the coil's peak lies outside the core's travel
    session = Session(book, open_job(book, sheet.id, Card(1, sheet.id, simulated_seed=8)), SimulatedBench(radio))
    work_through(session)
    outcomes = [o for _, o in session.state.concluded["power"]]
    assert outcomes[0] in ("at-stop", "peaked")
    assert radio.mechanics.position("L9") == pytest.approx(8.0, abs=0.2)


def test_a_preset_whose_range_ends_short(book: Logbook, sheet: Sheet, physics: PhysicsFile) -> None:
    radio = SimulatedRadio(sheet, physics, 8)
    object.__setattr__(physics.rail[0], "high", 7.7)  # the regulator has drifted: fully up is not enough
    try:
        session = Session(book, open_job(book, sheet.id, Card(1, sheet.id, simulated_seed=8)), SimulatedBench(radio))
        work_through(session)
    finally:
        object.__setattr__(physics.rail[0], "high", 8.8)
    assert session.state.concluded["rail"][0][1] == "at-stop"
    assert verdict(session.state, sheet.step("rail")) == "out_of_spec"


def test_a_dead_receiver_still_comes_to_an_end(book: Logbook, sheet: Sheet, physics: PhysicsFile) -> None:
    radio = SimulatedRadio(sheet, physics, 9)
    radio.mechanics.specimen.found["L1"] = 0.0
    radio.mechanics.specimen.right["L1"] = 30.0  # no lock on receive, whatever is turned
    session = Session(book, open_job(book, sheet.id, Card(1, sheet.id, simulated_seed=9)), SimulatedBench(radio))
    work_through(session)
    assert session.state.finished
    assert (
        verdict(session.state, sheet.step("vco-receive"))
        == "out_of_spec"
        == verdict(session.state, sheet.step("sensitivity"))
    )


COMMANDS = st.lists(
    st.tuples(st.sampled_from(["turn", "measure", "type", "void", "goto", "hook", "back", "follow", "setup", "note"]), st.integers(0, 9999)),
    min_size=5, max_size=45,
)  # fmt: skip
TYPED = (
    "9.8",
    "0,31 uV",
    "-117 dBm",
    "8.02",
    "pegged",
    "nonsense",
    "10.24 MHz",
    "<0.06 uV",
    "27.205",
    "",
    "1e9",
    "S9+10",
)


@settings(
    max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow]
)
@given(COMMANDS)
def test_whatever_is_done_closing_and_opening_changes_nothing(sheet: Sheet, commands: list[tuple[str, int]]) -> None:
    with Logbook(None) as book:
        session = Session(book, open_job(book, sheet.id, Card(1, sheet.id, simulated_seed=3)))
        for command, n in commands:
            step = sheet.steps[n % len(sheet.steps)]
            acts: dict[str, Callable[[], object]] = {
                "turn": lambda n=n: session.turn(sheet.adjusters[n % len(sheet.adjusters)].id, (n % 41 - 20) * 45_000),
                "measure": lambda: session.measure(session.step.setting),
                "type": lambda n=n: session.type_in(TYPED[n % len(TYPED)], session.step.setting),
                "void": session.void_last,
                "goto": lambda s=step: session.go_to(s.id),
                "hook": lambda n=n: session.confirm_hook_up(("receive", "transmit")[n % 2]),
                "back": session.take_back,
                "follow": lambda: session.follow(session.advice()),
                "setup": lambda: session.set_up(session.step.setting),
                "note": lambda n=n: session.note(f"note {n}"),
            }  # fmt: skip
            before = session.state.seq
            try:
                acts[command]()
            except UnitoneError as error:
                assert str(error).strip(), "an error says something"
                assert session.state.seq == before or command in ("turn", "back"), "a refused command leaves no trace"
        tape = book.tape(session.job_id)
        again = fold(tape, session.job_id)
        assert again.positions == session.state.positions and again.at == session.state.at
        assert again.latest == session.state.latest and again.concluded == session.state.concluded
        reopened = Session(book, session.job_id)
        assert reopened.advice() == session.advice()
        moved = reopened.bench.radio.mechanics.moved_mdeg  # type: ignore[attr-defined]
        assert moved == session.bench.radio.mechanics.moved_mdeg == session.state.positions  # type: ignore[attr-defined]


def test_a_dial_is_read_by_the_oscillator_on_another_receiver() -> None:
    """1.200 MHz with an IF of 465 kHz: the oscillator is heard at 1.665 MHz (worked example of the trade)."""
    with Logbook(None) as book:
        job = open_job(book, "valve-receiver", Card(1, "valve-receiver"))
        session = Session(book, job)
        session.start_work()
        session.go_to("osc-low")
        session.confirm_hook_up("receive")
        said = []
        # Low end 0.600 MHz: the oscillator belongs at 1.065 MHz. By the station, by the oscillator, with and without a unit.
        for typed in ("1.068 MHz", "1.068", "603 kHz", "0.603", "+3 kHz", "1063 kHz", "575 kHz", "0.6270", "500"):
            session.type_in(typed)
            said.append(round(session.state.readings[-1].reading.value or 0.0))
        # One that was turned at is far off; a bare 500 is hertz, as the field says.
        assert said == [3000, 3000, 3000, 3000, 3000, -2000, -25_000, 27_000, 500]
