"""General procedures worked through by a hand that only types, on a radio that stands apart."""

from __future__ import annotations

import tomllib

import pytest

from unitone.bench.ports import Measured
from unitone.errors import SheetError
from unitone.quantities.registry import quantity
from unitone.robot._bench_radios import MATCHING, radio_for
from unitone.robot.by_hand import as_typed, run_by_hand, run_by_hand_trial
from unitone.sheet.format.read import read_sheet
from unitone.sheet.library import find, general


@pytest.mark.parametrize(("procedure", "seed"), [
    ("fm-mobile", 501), ("handheld", 502), ("fm-handheld", 503), ("valve-receiver", 505), ("portable-receiver", 42002),
])  # fmt: skip
def test_a_radio_without_a_sheet_is_aligned_by_typing_alone(procedure: str, seed: int) -> None:
    told = run_by_hand(procedure, seed)
    assert told.recovered and told.wrong_verdicts == 0 and told.out_of_reach == (), told
    if told.dial is not None:
        # The limits of a general procedure say little of one radio: its circuits are brought to their best all the same.
        assert told.dial.if_db < 0.5 and told.dial.tracking_db < 2.5, told.dial


def test_coils_are_peaked_by_an_attenuator_and_an_ear_alone() -> None:
    """A generator without a scale: attenuation is switched in until the signal just goes, to the whole decibel."""
    for procedure in ("fm-mobile", "am-mobile"):
        told = run_by_hand(procedure, 504, {"reading": "attenuator"})
        assert told.recovered and told.wrong_verdicts == 0, told


def test_the_report_of_the_command_line() -> None:
    report = run_by_hand_trial("fm-handheld", 1, 7)
    assert (report["task"], report["sets"], report["recovered"], report["wrong_verdicts"]) == ("by-hand", 1, 1, 0)
    assert "error" not in report, "how a dial was left is told of radios that have one"
    with pytest.raises(SheetError, match="no radio to try this procedure on"):
        run_by_hand_trial("ostrel-tarn-40", 1)


@pytest.mark.parametrize("name", [p.stem for p in general()])
def test_a_matching_radio_names_what_is_there(name: str) -> None:
    """Every name on both sides exists, and the coach's own procedure knows nothing of the radio's."""
    procedure = read_sheet(find(name))
    radio, file = radio_for(procedure), tomllib.loads((MATCHING / f"{name}.toml").read_text("utf-8"))
    ours = {a.id for a in procedure.adjusters}
    board = {a.id for a in radio.sheet.adjusters}
    assert set(file["adjusters"]) <= ours and set(file.get("missing", [])) <= ours
    assert ours - set(file.get("missing", [])) <= board
    assert {f["adjuster"] for f in file.get("found", [])} <= board
    assert set(file.get("points", {})) <= {t.id for t in procedure.test_points}


@pytest.mark.parametrize(
    ("quantity_id", "read", "typed"),
    [
        ("rx.sinad", Measured(11.84, "x"), "12.0"),
        ("tx.power", Measured(3.87, "x"), "3.85"),
        ("tx.frequency_error", Measured(-33.0, "x"), "27.204967 MHz"),
        ("supply.current", Measured(0.318, "x"), "320"),
        ("rx.s_meter", Measured(-6.4, "x"), "S8.00"),
        ("rx.squelch_opens", Measured(-116.27, "x"), "-116.3 dBm"),
        ("rx.squelch_tight", Measured(-45.0, "x", bound=">", word="never opens"), "never opens"),
    ],
)
def test_what_is_typed_is_what_a_scale_shows(quantity_id: str, read: Measured, typed: str) -> None:
    assert as_typed(quantity(quantity_id), read, 27_205_000.0) == typed
