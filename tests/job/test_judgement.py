"""Judgement: accepted, put aside, too close to call, corrected, low on the scale."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import pytest

from unitone.bench.instruments import Instrument, instrument_for
from unitone.errors import SheetError, TapeError, UnitoneError
from unitone.job.card import Card
from unitone.job.fold import fold
from unitone.job.verdicts import RULES, blockers, excess, settling, verdict
from unitone.present.bench.bench_view import take_view
from unitone.present.papers import certificate_of
from unitone.quantities.registry import QUANTITIES
from unitone.session.session import Session, open_job
from unitone.sheet.model.sheet import Limit
from unitone.store.logbook import Logbook

METER = Instrument("w", "the bench wattmeter", ("tx.power", "tx.pep"), "calibrated", "2026-03-02", pct_reading=2.0)
OLD = Instrument(
    "o", "the old wattmeter", ("tx.*",), "indicative only", reads_pct=-8.0, pct_full_scale=5.0, full_scale=30.0
)


@pytest.fixture
def power(new_session: Callable[..., Session]) -> Iterator[Session]:
    """A hand job at the power step, limit 3.6 to 4.4 W."""
    session = new_session(None)
    session.start_work()
    session.go_to("power")
    session.confirm_hook_up("transmit")
    yield session


def read(session: Session, typed: str) -> str:
    session.type_in(typed, session.step.setting)
    return verdict(session.state, session.step)


def test_what_is_out_is_accepted_with_a_reason_until_it_gets_worse(power: Session) -> None:
    with pytest.raises(TapeError, match="todo"):
        power.judge("accepted", "why not")
    assert read(power, "3.2") == "out_of_spec"
    with pytest.raises(TapeError, match="reason"):
        power.judge("accepted", "  ")
    power.judge("accepted", "a new final costs more than the radio")
    assert verdict(power.state, power.step) == "accepted"
    assert read(power, "3.21") == "accepted", "the same again, but for the spread of a reading"
    assert read(power, "3.0") == "out_of_spec", "worse than what was accepted"
    assert read(power, "3.3") == "accepted"
    assert read(power, "3.9") in ("in_spec", "left_as_found")
    power.turn("L8", 45_000)
    assert verdict(power.state, power.step) == "recheck", "a decision is no reading"
    assert any(s.id == "power" for s, _ in blockers(power.state))
    assert read(power, "3.25") == "accepted"
    assert power.void_last() is not None and power.void_last() is not None
    row = next(r for r in certificate_of(power.state).rows if r.step == "power")
    assert "a new final" in row.remark


def test_a_step_that_does_not_apply_is_put_aside(power: Session) -> None:
    power.judge("not applicable", "no wattmeter in this shop today")
    assert verdict(power.state, power.step) == "not applicable"
    assert all(s.id != "power" for s, _ in blockers(power.state)) and power.advice().act in ("conclude", "go to")
    power.void_last()
    assert verdict(power.state, power.step) == "todo"


def test_too_close_to_call_and_what_would_settle_it(power: Session) -> None:
    power.measuring.set_instruments((METER,))
    assert read(power, "4.0") == "left_as_found"
    assert read(power, "3.65") == "undecided" and read(power, "3.55") == "undecided"
    words = take_view(power).step.judged_words
    assert "too close for the bench wattmeter" in words and "Use a meter good to" in words
    assert read(power, "3.4") == "out_of_spec" and read(power, "3.7") == "left_as_found"
    power.measuring.set_instruments((METER,), "simple acceptance")
    assert read(power, "3.61") == "left_as_found" and read(power, "3.59") == "out_of_spec"
    assert fold(power.logbook.tape(power.job_id)).rule == RULES[1]
    power.measuring.set_instruments((Instrument("m", "no data", ("tx.power",)),), RULES[0])
    assert read(power, "3.61") == "left_as_found", "simple acceptance without data"
    with pytest.raises(TapeError, match="decision rule"):
        power.measuring.set_instruments((), "coin")
    reading = power.state.readings[-1].reading
    assert reading.u is None and settling(power.step, reading) == pytest.approx(0.005)


def test_corrections_are_applied_shown_and_recorded(power: Session) -> None:
    power.measuring.set_instruments((OLD, METER))
    reading = power.type_in("3.6", power.step.setting)
    assert (
        reading.value == pytest.approx(3.6 / 0.92) and reading.raw == 3.6 and reading.instrument == "the old wattmeter"
    )
    assert reading.correction == pytest.approx(reading.value - 3.6) and reading.u is None
    assert "low on the scale" in reading.warning and "42 %" in reading.warning  # 5 % of 30 W is 1.5 W of 3.6
    view = take_view(power)
    assert "read 3.60 W, corrected" in view.reading.figure_words and "reads 8 % low" in view.reading.instrument_words
    power.measuring.choose_instrument("tx.power", "w")
    assert power.type_in("3.6", power.step.setting).instrument == "the bench wattmeter"
    made = certificate_of(power.state)
    assert any("calibrated 2026-03-02" in i for i in made.instruments) and made.rule == RULES[0]
    again = Session(power.logbook, power.job_id)
    assert again.state.readings == power.state.readings and again.state.instruments == (OLD, METER)


def test_a_probe_times_ten_and_a_counter(new_session: Callable[..., Session]) -> None:
    session = new_session(None)
    session.measuring.set_instruments((
        Instrument("p", "scope through the ×10 probe", ("supply.*", "vco.tuning_voltage"), times=10.0),
        Instrument("c", "counter", ("ref.*", "tx.frequency_error"), "calibrated", ppm=0.5),
        Instrument("d", "generator", ("rx.sensitivity",), "calibrated", db=1.0, add_db=-0.5),
    ))  # fmt: skip
    assert session.type_in("0.802", session.step.setting).value == pytest.approx(8.02)
    session.go_to("frequency")
    session.confirm_hook_up("transmit")
    reading = session.type_in("27.205031 MHz", next(c for c in session.step.required if c.channel == "20"))
    # Half a ppm of the carrier, not of the 31 Hz that it is off.
    assert reading.value == pytest.approx(31.0) and reading.u == pytest.approx(27.205e6 * 0.5e-6 / 3**0.5)
    session.go_to("sensitivity")
    session.confirm_hook_up("receive")
    level = session.type_in("-117 dBm", session.step.setting)
    assert level.value == pytest.approx(-117.5) and level.u == pytest.approx(1 / 3**0.5)


def test_instruments_that_cannot_be() -> None:
    for wrong, says in (
        ({"name": " "}, "needs a name"), ({"measures": ("rx.magic",)}, "not a quantity"), ({"measures": ()}, "what it measures"),
        ({"pct_reading": -1.0}, "zero or more"), ({"pct_full_scale": 5.0}, "needs the full scale"), ({"reads_pct": -100.0}, "every reading zero"),
        ({"times": 0.0}, "every reading zero"), ({"db": float("nan")}, "zero or more"),
    ):  # fmt: skip
        plain = {"id": "x", "name": "x", "measures": ("tx.power",), **wrong}
        with pytest.raises(UnitoneError, match=says):
            Instrument.from_data(plain)
    assert Instrument.from_data(OLD.to_data()) == OLD
    assert instrument_for((OLD, METER), "tx.power", "w") == METER and instrument_for((METER,), "rx.sinad") is None
    assert excess(Limit(2.0, 4.0), 5.0) == 1.0 and excess(Limit(2.0, None), 2.5) == -0.5
    assert METER.warning(QUANTITIES["tx.power"], 1.0) == ""


def test_a_variant_changes_what_is_asked_and_goes_back(book: Logbook) -> None:
    first = Session(book, open_job(book, "ostrel-tarn-40", Card(1, "ostrel-tarn-40", "40-1")))
    text = first.state.written.source_text
    first.go_to("power")
    first.confirm_hook_up("transmit")
    first.type_in("9.8", first.step.setting)
    first.start_work()
    assert verdict(first.state, first.step) == "out_of_spec"
    with pytest.raises(TapeError, match="Nothing differs"):
        first.set_variant("x", text)
    with pytest.raises(TapeError, match="name"):
        first.set_variant(" ", text + "\n")
    first.set_variant(
        "other final",
        text.replace('min = "3.6 W", max = "4.4 W"', 'min = "9 W", max = "11 W"').replace(
            '"tx.power" = "4.4 W"', '"tx.power" = "11 W"'
        ),
        pictures={"a.png": b"x"},
    )
    assert verdict(first.state, first.step) == "left_as_found", "the same reading against this radio's own limit"
    assert "3.6 W … 4.4 W → 9 W … 11 W" in take_view(first).log.variant_words
    first.turn("L8", 45_000)
    with pytest.raises(TapeError, match="L8 was turned"):
        first.set_variant(
            "no L8", text.replace('id = "L8"', 'id = "L88"').replace('adjust = ["L8", "L9"]', 'adjust = ["L88", "L9"]')
        )
    first.keep_summary()
    assert book.job("1").summary["variant"] == "other final"
    made = certificate_of(first.state)
    assert made.differs[0] == "other final" and any("9 W" in d for d in made.differs)
    # The next job on this radio goes on with it, and can go back.
    second = Session(book, open_job(book, "ostrel-tarn-40", Card(2, "ostrel-tarn-40", "40-1"), carry_from=first.job_id))
    assert second.sheet.step("power").limit.low == 9.0 and "as in job 0001" in certificate_of(second.state).differs[0]
    second.undo_variant()
    assert second.sheet.step("power").limit.low == pytest.approx(3.6) and take_view(second).log.variant_words == ""
    with pytest.raises(TapeError, match="as its sheet says"):
        second.undo_variant()
    assert fold(book.tape(second.job_id)).sheet == second.sheet
    # Other channels make what depends on them doubtful; what is read under them is read anew.
    channels = text.replace('plan = "eu-40"', 'plan = "uk-40"')
    with pytest.raises(SheetError, match="no whole divider gives 27"):
        second.set_variant("other channels", channels)
    channels = channels.replace('raster = "2.5 kHz"', 'raster = "1.25 kHz"').replace("N/4096", "N/8192")
    second.go_to("rail")
    second.type_in("8.0", second.step.setting)
    second.go_to("power")
    second.confirm_hook_up("transmit")
    second.type_in("4.0", second.step.setting)
    second.set_variant("other channels", channels)
    assert verdict(second.state, second.sheet.step("power")) == "recheck"
    assert verdict(second.state, second.sheet.step("rail")) == "left_as_found"


def test_a_general_route_becomes_this_radios_own_sheet(book: Logbook) -> None:
    job = open_job(book, "handheld", Card(1, "handheld", "?"), title="Ostrel Plover 2")
    session = Session(book, job)
    assert session.sheet.title == "Ostrel Plover 2" and book.job("1").radio == "Ostrel Plover 2"
    assert any("beside the transmit crystal" in a.where for a in session.sheet.adjusters)
    filled = session.state.written.source_text.replace("27.125 MHz", "27.185 MHz")
    session.set_variant("crystal read off its can", filled)
    assert session.sheet.carrier_hz("1") == 27_185_000
