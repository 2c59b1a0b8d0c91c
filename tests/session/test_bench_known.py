"""What is known of a bench is used by every step that dials or reads; guides say what is missing; the impossible is challenged."""

from __future__ import annotations

import datetime
from collections.abc import Callable

import pytest

from unitone.bench.calibration.guides import GUIDES, conclude, guide, kept, known_rows, targets
from unitone.bench.instruments import Instrument
from unitone.bench.mybench import MyBench, Pad
from unitone.bench.path import Kit
from unitone.errors import EntryError, UnitoneError
from unitone.job.fold import fold
from unitone.present.bench.bench_view import take_view
from unitone.session.measuring import my_bench
from unitone.session.session import Session
from unitone.sheet.model.sheet import Conditions
from unitone.store.logbook import Logbook

TODAY = datetime.date(2026, 11, 25)
ROWS = [("A", "-97.3"), ("b", "-97.6 dBm"), ("A + B", "-77.4"), ("none", "-117.0"), ("", ""), ("", "")]


def calibrated(book: Logbook) -> MyBench:
    """A bench whose pads were calibrated by the guide, and kept as the window keeps it."""
    bench = MyBench((Pad("A", 20.0), Pad("B", 20.0)))
    bench = bench.add(kept("pads", conclude("pads", {"same": "0.2"}, ROWS, bench), "01", TODAY))
    book.set_setting("my_bench", bench.to_data())
    return bench


def test_a_job_dials_with_what_was_found_and_its_level_carries_the_doubt(
    book: Logbook, new_session: Callable[..., Session]
) -> None:
    before = new_session(None)
    before.measuring.set_kit(Kit(pads_db=(20.0, 20.0)))
    before.go_to("sensitivity")
    before.confirm_hook_up("receive")
    marked = take_view(before).step.dial_words
    calibrated(book)
    assert before.measuring.take_bench() and not before.measuring.take_bench(), "once is enough"
    corrected = take_view(before).step.dial_words
    assert corrected != marked
    assert before.advice().act == "measure", "what is to be dialled is told with the reading"
    before.set_up(before.advice().conditions)
    assert "as My bench found" in take_view(before).step.dial_words
    reading = before.type_in("0.25 uV")
    assert reading.u is not None and 0.2 < reading.u < 0.5
    assert fold(book.tape(before.job_id)).kit == before.state.kit, "it is on the tape"
    after = new_session(None)
    after.measuring.set_kit(Kit(pads_db=(20.0, 20.0)))
    assert after.state.kit.corrected
    stand_in = new_session(3)
    assert not stand_in.measuring.take_bench(), "a stand-in's generator is what it shows"


def test_a_corrected_counter_is_used_for_typed_readings(book: Logbook, new_session: Callable[..., Session]) -> None:
    counter = Instrument("counter", "eight digits", ("tx.frequency_error",))
    book.set_setting("instruments", [counter.to_data()])
    typed = {"target": "counter", "true": "10 MHz", "shown": "10.00002 MHz", "step": "1 Hz", "ppm": "0.01"}
    bench = MyBench()
    book.set_setting(
        "my_bench", bench.add(kept("counter", conclude("counter", typed, (), bench), "01", TODAY)).to_data()
    )
    session = new_session(None)
    step = next(s for s in session.sheet.steps if s.quantity_id == "tx.frequency_error")
    session.go_to(step.id)
    session.confirm_hook_up("transmit")
    nominal = float(session.sheet.carrier_hz(step.required[0].channel))
    reading = session.type_in(f"{(nominal * (1 + 2e-6) + 100) / 1e6:.6f} MHz", step.required[0])
    assert reading.value == pytest.approx(100.0, abs=1.0) and reading.raw == pytest.approx(154.4, abs=1.0)
    assert reading.u == pytest.approx(27.2 * 0.058, rel=0.05)


def test_what_thermal_noise_forbids_is_challenged(new_session: Callable[..., Session]) -> None:
    """kT0·10 kHz is −134 dBm (J. B. Johnson and H. Nyquist, Phys. Rev. 32, 1928): 12 dB SINAD needs some 4 dB more."""
    session = new_session(None)
    session.go_to("sensitivity")
    session.confirm_hook_up("receive")
    required = session.step.required[0]
    with pytest.raises(EntryError, match="thermal noise allows"):
        session.type_in("0.04 uV", required)
    ok = session.type_in("0.2 uV", required)
    assert ok.warning == "" and ok.u is None
    at = Conditions(**{**required.__dict__, "level_dbm": -136.0})
    session.measuring.set_kit(Kit(least_dbm=-140.0))
    session.set_up(at)
    assert "the generator leaks" in session.type_in("14 dB").warning
    session.set_up(at)
    assert "the generator leaks" in session.measuring.send_in([("rx.sinad", 14.0, 0.1)], "a.wav").warning
    session.log_value(-133.0, 0.2, required)
    assert "is not possible" in session.state.readings[-1].reading.warning


@pytest.mark.parametrize("g", GUIDES, ids=lambda g: g.kind)
def test_every_guide_says_what_is_missing_before_it_concludes(g) -> None:  # type: ignore[no-untyped-def]
    bench = MyBench((Pad("A", 20.0), Pad("B", 20.0)))
    with pytest.raises(UnitoneError) as missing:
        conclude(g.kind, {}, (), bench)
    assert len(str(missing.value)) > 15 and g.title and g.needs and g.steps
    assert guide(g.kind) is g


def test_guides_conclude_and_are_kept_and_age() -> None:
    bench = MyBench((Pad("A", 20.0), Pad("B", 20.0)))
    cases: list[tuple[str, dict[str, str], list[tuple[str, str]], str]] = [
        ("pads", {}, ROWS, "A: 19.96"),
        ("generator", {"dial": "0", "volts": "219 mV", "ohm": "50", "pct": "3"}, [], "−0.18 dB"),
        ("steps", {}, [("A", "-60"), ("none", "-80.9")], "at −80.9 dBm: +0.94 dB"),
        ("leak", {}, [("A", "-80"), ("A+B", "-67")], "its leakage is 3"),
        ("wattmeter", {"target": "w", "shown": "3.6 W", "volts": "40", "kind": "pp", "ohm": "50", "pct": "3", "load": "2"}, [], "−10.0 %"),
        ("input", {"target": "in/left", "dbfs": "−14.2 dBFS", "volts": "350 mV", "pct": "3"}, [], "0 dBFS is 1.795 V"),
        ("clock", {"target": "in/left", "true": "1 kHz", "shown": "999.988 Hz", "ppm": "1"}, [], "+12.00 ppm"),
        ("output", {"target": "out", "dbfs": "-20", "volts": "100 mV", "pct": "3"}, [], "0 dBFS is 1.000 V"),
        # From 10 to 2 o'clock are four hours; in USB a receiver that is tuned up hears a lower pitch.
        ("clarifier", {"one": "10:00", "one_hz": "1,35 kHz", "other": "2 o’clock", "other_hz": "850 Hz", "side": "usb"}, [], "+125 Hz"),
    ]  # fmt: skip
    for n, (kind, typed, rows, says) in enumerate(cases):
        made = conclude(kind, typed, rows, bench)  # type: ignore[arg-type]
        assert says in made.words, (kind, made.words)
        bench = bench.add(kept(kind, made, str(n), TODAY))  # type: ignore[arg-type]
    assert bench.clarifier_hz == 125.0
    lower = {"one": "10:00", "one_hz": "850 Hz", "other": "2:00", "other_hz": "1350 Hz", "side": "lsb"}
    assert conclude("clarifier", lower, (), bench).data == {"hz_per_hour": 125.0}
    for wrong, words in (("9:65", "as on a clock"), ("10:30", "an hour apart"), ("6:00", "as on a clock")):
        with pytest.raises(UnitoneError, match=words):
            conclude("clarifier", {**lower, "other": wrong}, (), bench)
    rows = {r.kind: r for r in known_rows(bench, {"w": "30 W meter"}, TODAY)}
    assert (
        rows["wattmeter"].title.endswith("30 W meter")
        and rows["wattmeter"].mark == "in_spec"
        and rows["counter"].mark == "todo"
    )
    old = {r.kind: r for r in known_rows(bench, {}, TODAY + datetime.timedelta(days=400))}
    assert old["pads"].mark == "recheck" and "over a year old" in old["pads"].words
    instruments = (Instrument("w", "w", ("tx.power",)), Instrument("v", "v", ("supply.voltage",)))
    assert targets("wattmeter", instruments) == (("w", "w"),) and targets("counter", instruments) == ()
    for typed, rows_, says in (
        ({}, [("Z", "-90"), ("A", "-97")], "no pad “Z”"), ({}, [("A", ""), ("B", "-97")], "Row 1: what was dialled"),
        ({}, [("A", "ten"), ("B", "-97")], "Row 1"),
        ({"same": "9"}, ROWS, "Repeatability lies"),
    ):  # fmt: skip
        with pytest.raises(UnitoneError, match=says):
            conclude("pads", typed, rows_, bench)


def test_a_level_for_ten_decibels_is_found_by_hand_too(book: Logbook) -> None:
    """An AM set by hand: the coach names levels, (S+N)/N is typed, and the level comes of it."""
    from unitone.job.card import Card
    from unitone.session.session import open_job

    session = Session(book, open_job(book, "am-mobile", Card(1, "am-mobile", "77"), title="Somebody's Set"))
    step = next(s for s in session.sheet.steps if s.quantity_id == "rx.sensitivity_am")
    session.start_work()
    session.go_to(step.id)
    session.confirm_hook_up("receive")
    truth = -108.3
    for _ in range(40):
        advice = session.advice()
        if advice.act == "measure":
            assert advice.conditions is not None and advice.conditions.level_dbm is not None
            session.type_in(f"{10 + 0.9 * (advice.conditions.level_dbm - truth):.1f} dB")
        elif advice.act == "log":
            break
        else:
            session.follow(advice)
    assert advice.act == "log" and advice.value == pytest.approx(truth, abs=0.3)
    session.follow(advice)
    logged = session.state.readings[-1].reading
    assert logged.quantity_id == "rx.sensitivity_am" and logged.instrument == "from (S+N)/N readings"
    assert my_bench(book) == MyBench()


def test_the_bench_says_which_oscillator_as_each_reading_is_typed(
    book: Logbook, new_session: Callable[..., Session]
) -> None:
    """One crystal makes every channel: only a counter that is known clears itself of the same error."""

    def read(session: Session, ref_off: float) -> str:
        step = next(s for s in session.sheet.steps if s.quantity_id == "tx.frequency_error")
        session.start_work()
        session.go_to(step.id)
        session.confirm_hook_up("transmit")
        assert not any("it may be ref" in n for n in take_view(session).step.notes), "nothing is read yet"
        for required in step.required:
            times = float(session.sheet.carrier_hz(required.channel)) / 10.24e6
            session.type_in(f"{ref_off * times:.0f} Hz", required)
        return " ".join(take_view(session).step.notes)

    said = read(new_session(None), 225.0)
    assert (
        "Not decided by these readings: ref, or the counter itself" in said.replace("it may", "It may")
        and "10 MHz standard" in said
    )
    book.set_setting(
        "instruments",
        [Instrument("c", "eight digits", ("tx.frequency_error", "ref.frequency"), "calibrated", ppm=0.5).to_data()],
    )
    session = new_session(None)
    said = read(session, 225.0)
    assert "ref is 22" in said and "turn CT1" in said, said
    # After the trimmer was turned nothing of that counts any more.
    session.turn("CT1", 5_000)
    assert not any("ref is" in n for n in take_view(session).step.notes)
    reference = next(s for s in session.sheet.steps if s.quantity_id == "ref.frequency")
    session.go_to(reference.id)
    session.type_in("10.240002", reference.required[0])
    assert "leave it alone" in " ".join(take_view(session).step.notes)
    session.go_to("front-end")
    assert not any("leave it alone" in n for n in take_view(session).step.notes), "only where a frequency is counted"
