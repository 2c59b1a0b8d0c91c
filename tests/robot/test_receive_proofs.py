"""The receive side's proofs, a small sample of them: charts of ailing meters, squelches, foretold gains, and whole receive sides."""

from __future__ import annotations

import pytest

from unitone.robot.receive_side import METERS, SHAPES, Foretold, chart_of, foretold, squelch_of, summary
from unitone.robot.whole_radios import run_set, run_trial


@pytest.mark.parametrize(("shape", "seed"), [*zip(SHAPES, (4, 5, 6, 7), strict=True), ("threshold", 5), ("gain", 8)])
def test_what_ails_a_meter_is_read_off_its_chart(shape: str, seed: int) -> None:
    """On three simulated radios, as bad as the seed makes it."""
    assert chart_of(shape, seed) == (shape, shape), METERS[seed % len(METERS)]


@pytest.mark.parametrize(
    ("sheet", "seed", "fault"),
    [("ostrel-curlew-5", 7, ""), ("ostrel-weir-40-am", 8, ""), ("ostrel-teal-6", 3, ""), ("ostrel-curlew-5", 2, "leaky-squelch"),
     ("ostrel-weir-40-am", 3, "leaky-squelch")],
)  # fmt: skip
def test_a_squelch_holds_or_its_reason_is_named(sheet: str, seed: int, fault: str) -> None:
    told = squelch_of(sheet, seed, fault)
    assert told.holds != bool(fault) and (told.holds or told.named), told
    assert told.readings < 40


def test_what_is_foretold_is_counted_fairly() -> None:
    told = foretold("ostrel-weir-40-am", "front-end", 4)
    assert {t.adjuster for t in told} == {"T1", "T2"}
    made = summary(told)
    assert made["adjusters"] == 2 and 0.0 <= made["inside"] <= 1.0
    wrong = Foretold("T9", 2.0, 1.5, 2.5, 0.0)
    assert not wrong.inside and not wrong.right and summary([*told, wrong])["right"] < 1.0
    assert summary([]) == {"adjusters": 0, "inside": 0.0, "right": 0.0, "near": 0, "error_db": None}


def test_a_whole_handheld_is_brought_in() -> None:
    result = run_set("ostrel-teal-6", 1)
    assert result.recovered, result.problems
    assert result.wrong_verdicts == 0 and result.loss_db is not None and result.loss_db < 0.3


def test_faults_of_the_fm_mobile_are_named() -> None:
    report = run_trial("ostrel-tarn-40", 2, 1, fault="broken-core")
    # A core that nobody needs to turn, as its step is in limits, is not found to be broken, and need not be.
    assert report["recovered"] == 2 and not report["problems"] and report["named"]["broken-core"]["named"] >= 1, report
