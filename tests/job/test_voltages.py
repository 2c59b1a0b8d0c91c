"""The voltage table: judging a row, halving a path to its break, what the meter takes, and what the bench writes of it."""

from __future__ import annotations

import math
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from unitone.errors import SheetError
from unitone.job.card import Card
from unitone.job.voltages import current_limit, expected, lost_between, next_point, path_to, row_states
from unitone.present.bench.bench_view import take_view
from unitone.present.card.card_view import farads, take_card
from unitone.quantities.show import duration
from unitone.session.session import Session, open_job
from unitone.sheet.format.read import parse_sheet, read_sheet, to_data
from unitone.sheet.format.write import to_toml
from unitone.sheet.library import find
from unitone.store.logbook import Logbook

TARN = find("ostrel-tarn-40")


def with_rows(tmp_path: Path, rows: list[dict[str, object]], **supply: object) -> Path:
    """The Tarn's sheet with another voltage table, as a file."""
    data = to_data(TARN.read_text(encoding="utf-8"), "tarn")
    data = {**{k: v for k, v in data.items() if k not in ("voltage", "picture")}, "voltage": rows}
    if supply:
        data["supply"] = supply
    path = tmp_path / "chain.toml"
    path.write_text(to_toml(data, ""), encoding="utf-8")
    return path


def chain(n: int) -> list[dict[str, object]]:
    """``n`` points, each fed from the one before; every one should stand at 10 V."""
    return [{"id": f"p{i}", "volts": "10 V", **({"fed_from": f"p{i - 1}"} if i else {})} for i in range(n)]


@settings(max_examples=30, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.integers(2, 12), st.data())
def test_halving_finds_the_break_in_as_few_readings_as_bisection_can(
    tmp_path: Path, n: int, data: st.DataObject
) -> None:
    """From a low last point on, follow ``next_point``: the break is found, in at most ⌈log2 n⌉ readings more."""
    first_low = data.draw(st.integers(0, n - 1))
    path = with_rows(tmp_path, chain(n))
    with Logbook(None) as book:
        session = Session(book, open_job(book, str(path), Card(1, "chain")))

        def read(i: int) -> None:
            session.workshop.read_volts(f"p{i}", "7.0" if i >= first_low else "10.0")

        read(n - 1)
        taken = 0
        while (following := next_point(session.state)) is not None:
            read(int(following.row.id[1:]))
            taken += 1
            assert taken <= math.ceil(math.log2(n)) + 1
        good, bad = lost_between(session.state)  # type: ignore[misc]
        assert bad.row.id == f"p{first_low}" and (good.row.id == f"p{first_low - 1}" if first_low else good is None)
        words = take_card(session).next_words
        assert ("at its source" in words) if first_low == 0 else ("is lost between" in words)


def test_a_row_behind_a_low_one_sends_to_the_one_ahead(tmp_path: Path) -> None:
    rows = chain(3)
    rows[2] |= {"series": "100 ohm", "current": "10 mA"}
    with Logbook(None) as book:
        session = Session(book, open_job(book, str(with_rows(tmp_path, rows)), Card(1, "chain")))
        session.workshop.read_volts("p1", "6")
        session.workshop.read_volts("p2", "5")
        states = {r.row.id: r for r in row_states(session.state)}
        assert "p1 before it is low too: start there." in states["p2"].words and states["p2"].why is None
        assert [r.row.id for r in path_to(states, "p2")] == ["p0", "p1", "p2"]
        session.workshop.read_volts("p1", "10")
        why = {r.row.id: r for r in row_states(session.state)}["p2"].why
        # 10 V less 10 mA through 100 ohm is 9 V; 4 V too little through 100 ohm is 40 mA, 125 ohm to ground.
        assert why is not None and why.extra_a == pytest.approx(0.04) and why.leak_ohm == pytest.approx(125.0)
        assert why.resistor_ohm == pytest.approx(500.0), "or 5 V over 10 mA"
        session.workshop.read_volts("p2", "0")
        assert "No voltage" in {r.row.id: r for r in row_states(session.state)}["p2"].words
        session.workshop.read_volts("p2", "11")
        assert {r.row.id: r for r in row_states(session.state)}["p2"].verdict == "high"


def test_the_example_of_the_trade(tmp_path: Path) -> None:
    """9 V expected, 8.4 V behind 47 ohm (common practice, no source): 12.8 mA too much, as 658 ohm to ground would draw."""
    rows = [{"id": "rail", "volts": "9 V", "series": "47 ohm"}]
    with Logbook(None) as book:
        session = Session(book, open_job(book, str(with_rows(tmp_path, rows)), Card(1, "chain")))
        session.workshop.read_volts("rail", "8.4 V")
        words = row_states(session.state)[0].words
        assert "0.60 V low after 47 Ω: 12.8 mA too much, like 658 Ω to ground" in words and "risen" not in words


@given(st.floats(1.0, 200.0), st.floats(1e3, 1e6), st.floats(1e5, 1e8))
def test_a_better_meter_moves_the_ends_up_never_down(volts: float, source: float, meter: float) -> None:
    """Kirchhoff: what was read with 20 kohm/V stands higher without it, and a meter of the same loading reads the same."""
    import dataclasses

    sheet = read_sheet(TARN)
    sheet = dataclasses.replace(sheet, power=dataclasses.replace(sheet.power, meter_ohm_per_v=20_000.0))
    row = dataclasses.replace(
        sheet.voltages[0], values=(volts,), low=volts * 0.95, high=volts * 1.05, source_ohm=source
    )
    low, high = expected(row, sheet, meter)
    span = next(r for r in (1.0, 2.5, 10.0, 25.0, 50.0, 100.0, 250.0, 500.0) if r >= volts)
    theirs = 20_000.0 * span
    assert low < high and (low >= row.low - 1e-9) == (meter >= theirs * (1 - 1e-12))
    assert expected(row, sheet, theirs) == pytest.approx((row.low, row.high))
    true = row.low * (source + theirs) / theirs
    assert low == pytest.approx(true * meter / (source + meter))


def test_the_current_limit_is_the_sheets_or_reckoned(tmp_path: Path) -> None:
    for supply, amps in (
        ({"limit": "2 A"}, 2.0),
        ({"rest": "0.3 A", "keyed": "1.2 A"}, 1.8),
        ({"rest": "40 mA"}, 0.06),
        ({}, 2.0),
    ):
        sheet = parse_sheet(with_rows(tmp_path, chain(1), **supply).read_text(), "chain", "chain")
        assert current_limit(sheet) == pytest.approx(amps)


def test_a_table_that_does_not_hold_names_the_line_and_the_cure(tmp_path: Path) -> None:
    for rows, says in (
        ([{"id": "a", "volts": "ten"}], "voltage"), ([{"id": "a", "volts": "5 V", "fed_from": "b"}], "no voltage 'b'"),
        ([{"id": "a", "volts": "5 V", "fed_from": "b"}, {"id": "b", "volts": "5 V", "fed_from": "a"}], "fed from itself"),
        ([{"id": "a", "volts": "5 V", "tolerance": "-5 %"}], "below zero"), ([{"id": "a", "volts": "5 V", "step": "power"}], "does not read volts"),
        ([{"id": "a", "volts": ""}], "voltage"), ([{"id": "a", "volts": "5 V", "stage": "engine"}], "no stage 'engine'"),
    ):  # fmt: skip
        path = with_rows(tmp_path, rows)
        with pytest.raises(SheetError, match=says) as caught:
            parse_sheet(path.read_text(encoding="utf-8"), str(path), "chain")
        assert all(p.startswith(f"{path}:") for p in caught.value.problems)


def test_everything_of_the_workshops_side_is_said_on_the_tape_strip() -> None:
    with Logbook(None) as book:
        session = Session(book, open_job(book, "ostrel-tarn-40", Card(1, "ostrel-tarn-40")))
        w = session.workshop
        for act in (
            lambda: w.look_at("wax", "wrong", "seal broken", ("T1",)), lambda: w.set_supply("lamp limiter"),
            lambda: w.read_volts("in", "13.2"), lambda: w.measure_capacitor("C41", "film", "1 uF", "1 uF"),
            lambda: w.fit_part("C41", 1, "1 uF"), lambda: w.spend("5"), lambda: w.heard("x", "other", "fine"),
            lambda: w.test_control("volume", True), lambda: w.tell_control("volume", "loudness"),
            lambda: w.amend_card({"serial": "7"}), lambda: w.set_status("waiting", "a part"), lambda: w.archive(),
        ):  # fmt: skip
            before = len(take_view(session).log.cells)
            act()
            cells = take_view(session).log.cells
            assert len(cells) > before and all(c.what or c.value for c in cells)


@pytest.mark.parametrize(
    ("value", "text"), [(47e-6, "47 µF"), (999.6e-9, "1 µF"), (6.8e-12, "6.8 pF"), (2.2e-3, "2.2 mF"), (0.0, "0 pF"), (100e-9, "100 nF")]
)  # fmt: skip
def test_capacitances_choose_their_prefix_after_rounding(value: float, text: str) -> None:
    assert farads(value) == text


@pytest.mark.parametrize(
    ("minutes", "text"), [(25, "25 min"), (60, "1 h 00"), (85, "1 h 25"), (59.6, "1 h 00"), (0, "0 min")]
)
def test_times_are_said_as_people_do(minutes: float, text: str) -> None:
    assert duration(minutes) == text
