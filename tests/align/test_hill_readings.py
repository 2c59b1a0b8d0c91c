"""Readings as heights of a hill, and how far each may be off."""

from __future__ import annotations

import pytest

from unitone.align.hill_readings import height
from unitone.job.entries.readings import Reading
from unitone.quantities.entry import written_step
from unitone.quantities.registry import quantity
from unitone.sheet.model.sheet import Conditions


@pytest.mark.parametrize(
    ("typed", "value", "least", "most"),
    [("3.8 mV", 0.0038, 0.2, 0.3), ("0,062", 0.062, 0.2, 0.3), ("4 mV", 0.004, 0.5, 0.8), ("0.01", 0.01, 2.0, 3.0), ("2.5", 2.5, 0.05, 0.1),
     ("", 0.0038, 40.0, 50.0)],
)  # fmt: skip
def test_few_millivolts_count_as_finely_as_they_were_written(
    typed: str, value: float, least: float, most: float
) -> None:
    """One in 38 is a quarter of a decibel; one digit alone is half its last place either way; what nobody typed is as the meter usually is."""
    found = height(
        quantity("rx.af_voltage"), Reading("rx.af_voltage", Conditions("receive"), value, "", "manual", typed=typed)
    )
    assert found is not None and least < found[1] < most


def test_how_fine_a_number_was_written() -> None:
    assert written_step("62 mV") == pytest.approx(1 / 62) and written_step("0,062") == pytest.approx(1 / 62)
    assert written_step("-1.50") == pytest.approx(1 / 150)
    assert written_step("0") is None and written_step("nothing") is None and written_step("1,234.5") is None
