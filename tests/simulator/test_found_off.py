"""A radio made for practice: where each adjuster was found and what is broken stand in its own physics file."""

from __future__ import annotations

import re
from dataclasses import replace

import pytest

from unitone.errors import BenchError, SheetError
from unitone.sheet.format.read import read_sheet
from unitone.sheet.library import find, open_file
from unitone.sheet.model.sheet import Sheet
from unitone.simulator.mechanics import specimen
from unitone.simulator.physics import PhysicsFile, parse_physics
from unitone.simulator.radio import SimulatedRadio
from unitone.simulator.simulated_bench import SimulatedBench

_WEIR = "ostrel-weir-40-am"


@pytest.fixture(scope="module")
def weir() -> Sheet:
    return read_sheet(find(_WEIR))


def _physics(sheet: Sheet, *changes: tuple[str, str]) -> PhysicsFile:
    text = open_file(find(_WEIR)).physics
    for pattern, new in changes:
        text, times = re.subn(pattern, new, text, count=1, flags=re.MULTILINE)
        assert times == 1, pattern
    return parse_physics(text, "weir", sheet)


def test_what_the_file_says_goes_before_the_seed(weir: Sheet) -> None:
    plain, told = _physics(weir), _physics(weir, (r"^\[adjuster\.T3\]$", "[adjuster.T3]\nfound_off = -1.25"))
    for seed in (1, 2, 3):
        a, b = specimen(weir, plain, seed), specimen(weir, told, seed)
        assert b.right == a.right, "where it is right is the specimen's own"
        assert b.found["T3"] - b.right["T3"] == pytest.approx(-1.25)
        assert {n: v for n, v in b.found.items() if n != "T3"} == {n: v for n, v in a.found.items() if n != "T3"}, (
            "no stream is shifted"
        )


def test_a_stop_holds_what_the_file_says(weir: Sheet) -> None:
    far = _physics(weir, (r"^\[adjuster\.P2\]$", "[adjuster.P2]\nfound_off = 900"))
    made = specimen(weir, far, 1)
    assert made.found["P2"] == pytest.approx(weir.adjuster("P2").travel_mdeg / 1000)


def test_a_fault_of_the_file_is_there_whatever_the_card_says(weir: Sheet) -> None:
    plain = _physics(weir)
    told = _physics(weir, (r"^sheet = ", 'has_fault = "silicon-meter-diode"\nsheet = '))
    step = next(s for s in weir.steps if s.quantity_id == "rx.s_meter")

    def shown(physics: PhysicsFile, fault: str = "") -> float | None:
        at = replace(step.setting, level_dbm=-85.0)
        return SimulatedBench(SimulatedRadio(weir, physics, 4, fault), 1e6).measure("rx.s_meter", at).value

    assert (
        shown(told)
        == pytest.approx(shown(plain, "silicon-meter-diode") or 0.0, abs=0.3)
        != pytest.approx(shown(plain) or 0.0, abs=0.3)
    )


def test_a_bad_stage_is_whole_once_its_part_is_fitted(weir: Sheet) -> None:
    radio = SimulatedRadio(weir, _physics(weir, (r"^sheet = ", 'has_fault = "if:dead"\nsheet = ')), 4)
    assert radio.part_fault is not None and radio.part_fault.stage == "if"
    assert radio.refit("if") and radio.part_fault is None


def test_a_fault_that_there_is_not_is_told_with_its_line(weir: Sheet) -> None:
    with pytest.raises(SheetError) as error:
        _physics(weir, (r"^sheet = ", 'has_fault = "gremlin"\nsheet = '))
    assert re.search(r"weir:\d+: has_fault: no fault 'gremlin'", error.value.problems[0])
    with pytest.raises((SheetError, BenchError)):
        SimulatedRadio(weir, _physics(weir, (r"^sheet = ", 'has_fault = "nowhere:dead"\nsheet = ')), 4)
