"""Receivers and transmitters brought in without an instrument, judged by the physics."""

from __future__ import annotations

import pytest

from unitone.errors import SheetError
from unitone.robot.by_ear_radios import run_by_ear, run_by_ear_trial
from unitone.robot.two_radios import WITHIN_HZ, run_two_radios, run_two_radios_trial
from unitone.robot.whole_radios import run_set


def test_a_valve_receiver_is_aligned_by_meter_ends_of_the_dial_in_turn() -> None:
    told = run_set("corvane-alder-5", 4)
    assert told.recovered and told.wrong_verdicts == 0 and told.dial is not None, told
    assert told.dial.if_db < 0.4 and told.dial.dial_pct < 0.5 and told.dial.tracking_db < 1.5, told.dial


def test_a_valve_receiver_is_aligned_by_ear_and_stations_alone() -> None:
    told = run_by_ear("corvane-alder-5", 4)
    assert told.finished and told.returnable and told.lost == 0
    assert told.loss_db < 2.0 < told.found.if_db + told.found.tracking_db, told
    with pytest.raises(SheetError, match="no \\[gang\\]"):
        run_by_ear_trial("ostrel-weir-40-am", 1)


@pytest.mark.parametrize("way", ["clarifier", "voice"])
def test_single_sideband_sets_come_on_frequency_by_a_second_radio(way: str) -> None:
    told = run_two_radios("ostrel-curlew-5", 4, way)
    assert told.finished and max(map(abs, told.found_hz)) > 100 and max(map(abs, told.left_hz)) <= WITHIN_HZ[way], told
    with pytest.raises(SheetError, match="no voice to hear"):
        run_two_radios_trial("ostrel-tarn-40", 1)
