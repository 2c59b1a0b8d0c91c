"""What an S-meter's chart says, on meters of our own and of another's making."""

from __future__ import annotations

import math

import numpy as np
import pytest

from unitone.align.smeter.shape import GERMANIUM_V, SILICON_V, Mark, other_diode, read_chart, shown
from unitone.radio.levels import S9_BELOW_30_MHZ

LEVELS = np.array([-121.0, -115, -109, -103, -97, -91, -85, -79, -73, -63, -53, -43, -33])


def chart(values: np.ndarray, noise: float = 0.5, seed: int = 1) -> list[Mark]:
    rng = np.random.default_rng(seed)
    return [
        Mark(float(x), max(float(v) + noise * rng.standard_normal(), -54.0), "<" if v <= -54 else "")
        for x, v in zip(LEVELS, values, strict=True)
    ]


@pytest.mark.parametrize("seed", range(4))
@pytest.mark.parametrize("bend", [-127.0, -110.0, -99.0])
def test_the_shapes_are_told_apart(bend: float, seed: int) -> None:
    s9 = float(S9_BELOW_30_MHZ)
    ideal = shown(LEVELS, s9, bend, 1.0, 0.0, None)
    assert np.allclose(ideal, LEVELS - s9), (
        "undisturbed, the scale says the level: S9 at -73 dBm, 6 dB a unit (IARU R.1)"
    )
    assert read_chart(chart(ideal, seed=seed)).shape == "fine"
    for turned in (0.55, 1.6):
        told = read_chart(chart(shown(LEVELS, s9, bend, turned, 0.0, None), seed=seed))
        assert told.shape == "preset" and told.turned == pytest.approx(turned, rel=0.12)
    late = chart(shown(LEVELS, s9, bend, 1.0, 12.0, None), seed=seed)
    assert read_chart(late, deaf=False).shape == "threshold" and read_chart(late, deaf=True).shape == "gain"
    assert read_chart(late).lost_db == pytest.approx(12.0, abs=2.5) and read_chart(late).shape == "threshold"
    held = read_chart(chart(shown(LEVELS, s9, bend, 1.0, 0.0, -60.0), seed=seed))
    assert held.shape == "compression" and held.roof_dbm == pytest.approx(-60.0, abs=6.0)


@pytest.mark.parametrize("seed", range(3))
def test_a_meter_of_another_design_is_read_too(seed: int) -> None:
    """Deflection straight in S-units, a diode that takes its own volts off it, a needle that lies on its pin below that."""
    units = (LEVELS + 127.0) / 6.0

    def db(deflected: np.ndarray) -> np.ndarray:
        return np.maximum(deflected, 0.0) * 6.0 - 54.0

    assert read_chart(chart(db(units), seed=seed)).shape == "fine"
    assert read_chart(chart(db(0.6 * units), seed=seed)).shape == "preset"
    late = db(units - 3.0)
    assert read_chart(chart(late, seed=seed), deaf=False).shape == "threshold"
    assert read_chart(chart(late, seed=seed), deaf=True).shape == "gain"
    assert read_chart(chart(db(np.minimum(units, 10.5)), seed=seed)).shape == "compression"


def test_few_readings_tell_nothing_and_pegged_ones_little() -> None:
    assert read_chart([Mark(-73.0, 0.0)] * 5).shape == "too-few"
    ideal = [Mark(float(x), float(x) + 73.0) for x in LEVELS[:-3]]
    assert read_chart([*ideal, *(Mark(float(x), 20.0, ">") for x in LEVELS[-3:])]).shape == "fine"


def test_another_diode_wakes_the_bottom_of_the_scale() -> None:
    """Silicon 0.6 V against germanium 0.2 to 0.3 V: common practice, no source. 20·log(0.25/0.6) = -7.6 dB."""
    s9 = -73.0
    late = read_chart(chart(shown(LEVELS, s9, -105.0, 1.0, 14.0, None)), s9, deaf=False)
    now = other_diode(late, [-109.0, s9], s9, SILICON_V, SILICON_V)
    then = other_diode(late, [-109.0, s9], s9)
    assert now[1] == pytest.approx(0.0, abs=0.1) and then[1] == pytest.approx(0.0, abs=0.1), "the preset is set anew"
    assert 3.0 < then[0] - now[0] < 20.0 * math.log10(SILICON_V / GERMANIUM_V) + 6.0
    with pytest.raises(ValueError, match="more than zero"):
        other_diode(late, [-90.0], s9, 0.6, 0.0)


def test_two_leds_tell_the_preset_and_no_more() -> None:
    """A law of two figures goes through any two readings: of so few lamps only the preset is told, and that from both."""
    two = [Mark(-73.0, 12.0), Mark(-61.0, 31.0)]
    assert read_chart(two[:1], places=2).shape == "too-few" and read_chart(two).shape == "too-few"
    assert read_chart(two, places=2).shape == "preset"
    assert read_chart([Mark(-73.0, 0.0), Mark(-61.0, 12.0)], places=2).shape == "fine"
    assert read_chart([Mark(-91.0, -48.0), Mark(-73.0, -30.0), Mark(-61.0, -12.0)], places=3).shape in (
        "fine",
        "preset",
    )
