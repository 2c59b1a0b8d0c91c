"""Typed readings: a bare number is in the unit shown; what can hardly be meant is asked back, and taken when typed again."""

from __future__ import annotations

import pytest

from session.test_shopwork import by_hand
from unitone.errors import DoubtfulEntry, EntryError
from unitone.job.fold import fold
from unitone.present.bench.bench_view import take_view
from unitone.quantities.entry import parse_entry
from unitone.quantities.registry import QUANTITIES
from unitone.store.logbook import Logbook

WEIR = "ostrel-weir-40-am"


def test_a_bare_number_is_in_the_unit_beside_the_field(book: Logbook) -> None:
    session = by_hand(book, WEIR)
    session.go_to("current-rest")
    view = take_view(session)
    assert view.reading.entry_unit == "mA" and view.reading.expected.endswith("a number alone is in mA")
    assert session.type_in("320").value == pytest.approx(0.320)
    assert session.type_in("0.32 A").value == pytest.approx(0.320)
    assert session.workshop.read_current("receive", "310").value == pytest.approx(0.310)
    for q in QUANTITIES.values():
        if q.kind in ("amps", "hertz", "volts", "watts"):
            scale = {"mA": 1e-3, "kHz": 1e3, "MHz": 1e6}.get(q.shown, 1.0)
            assert parse_entry("1,5", q.kind, q.shown).value == pytest.approx(1.5 * scale), q.id
            # A unit that is typed always wins.
            unit = {"amps": "mA", "hertz": "kHz", "volts": "mV", "watts": "mW"}[q.kind]
            assert parse_entry(f"7 {unit}", q.kind, q.shown).value == parse_entry(f"7 {unit}", q.kind).value
    assert parse_entry("0.3", "level", "mV").value == pytest.approx(0.3e-6)


def test_a_carrier_of_another_channel_is_asked_back_and_taken_when_it_is_typed_again(book: Logbook) -> None:
    session = by_hand(book, WEIR)
    step = next(s for s in session.sheet.steps if s.quantity_id == "tx.frequency_error")
    session.go_to(step.id)
    session.confirm_hook_up("transmit")
    at_one = next(c for c in step.required if c.channel == "1")
    before = session.state.seq
    with pytest.raises(DoubtfulEntry, match="belongs to channel 20, this reading is for channel 1"):
        session.type_in("27.204890", at_one)
    assert session.state.seq == before, "nothing is logged"
    reading = session.type_in("27.204890", at_one)
    assert reading.value == pytest.approx(239_890, abs=1)
    assert fold(book.tape(session.job_id), session.job_id).readings[-1].reading.value == reading.value
    # Another text in between is asked for anew; what is merely off is not asked back.
    with pytest.raises(DoubtfulEntry):
        session.type_in("27.2149", at_one)
    assert session.type_in("-310", at_one).value == -310
    with pytest.raises(DoubtfulEntry):
        session.type_in("27.2149", at_one)
    with pytest.raises(DoubtfulEntry, match="decimal point"):
        session.type_in("27.3992", at_one)


@pytest.mark.parametrize(
    ("typed", "likely"),
    [("1.2", "1200 mA"), ("0.32 mA", "320 mA")],
    ids=["amperes in the milliampere field", "a unit too many"],
)
def test_a_slip_by_a_thousand_names_what_was_likely_meant(book: Logbook, typed: str, likely: str) -> None:
    session = by_hand(book, WEIR)
    session.go_to("current-keyed" if typed == "1.2" else "current-rest")
    if typed == "1.2":
        session.confirm_hook_up("transmit")
    with pytest.raises(DoubtfulEntry, match="Was it") as asked:
        session.type_in(typed)
    assert likely in str(asked.value) and "Enter it again" in str(asked.value)
    assert session.type_in(typed).value is not None


def test_a_probe_s_ten_is_asked_after_and_a_real_fault_is_not(book: Logbook) -> None:
    session = by_hand(book, WEIR)
    session.go_to("rail")
    middle = session.step.limit.middle
    with pytest.raises(DoubtfulEntry, match="×10 probe"):
        session.type_in(f"{middle / 10:.2f}")
    assert session.type_in(f"{middle * 0.6:.2f}").value == pytest.approx(middle * 0.6, abs=0.01)
    with pytest.raises(EntryError, match=r"5e\+03|5000"):
        session.type_in("5000")


@pytest.mark.parametrize(
    ("sheet", "step", "typed", "taken"), [("handheld", "battery", "420", "16"), ("handheld", "power", "400", "4")]
)
def test_more_than_any_radio_gives_is_asked_back(book: Logbook, sheet: str, step: str, typed: str, taken: str) -> None:
    session = by_hand(book, sheet)
    session.go_to(step)
    session.confirm_hook_up("transmit")
    with pytest.raises(DoubtfulEntry, match="far above the limit"):
        session.type_in(typed)
    assert session.type_in(taken).value == pytest.approx(float(taken))
    with pytest.raises(DoubtfulEntry):
        session.type_in(typed)
    assert session.type_in(typed).value == pytest.approx(float(typed)), "typed again, it stands"


@pytest.mark.parametrize(
    ("step", "typed", "likely"),
    [
        # 118 µV are −65.6 dBm, 48 dB over the limit of half a microvolt.
        ("sensitivity", "118 uV", "−118.0 dBm"), ("sensitivity", "0.31 dBm", "0.31 µV"), ("rail", "-8.05", "8.05 V"),
        ("harmonic", "-62", None), ("sensitivity", "20", None),
    ],
)  # fmt: skip
def test_a_sign_or_a_unit_of_level_that_slipped_is_asked_back(
    book: Logbook, step: str, typed: str, likely: str | None
) -> None:
    session = by_hand(book, "ostrel-tarn-40")
    session.go_to(step)
    session.confirm_hook_up(session.step.hook_up)
    if likely is None:
        # What a deaf radio really needs is no slip.
        assert session.type_in(typed).value is not None
        return
    with pytest.raises(DoubtfulEntry, match="Was it") as asked:
        session.type_in(typed)
    assert likely in str(asked.value)
    assert session.type_in(typed).value is not None, "typed again, it stands"
