"""Parts that centre a range, and VCOs from a few channels: samples of benchmarks/vco.py, and circuits whose truth is known."""

from __future__ import annotations

import math

import numpy as np
import pytest

from unitone.errors import UnitoneError
from unitone.radio.crystals import loaded_frequency
from unitone.radio.pulling import Divider, from_ends, from_preset, padders, resistors
from unitone.radio.rails import divider, preferred_between
from unitone.radio.vco import control_volts
from unitone.radio.vcofit import fit, stretch

TRIMMER = (5e-12, 30e-12)


@pytest.mark.parametrize("seed", range(12))
def test_after_the_advised_padder_the_wanted_frequency_lies_in_the_middle_half(seed: int) -> None:
    """Twenty crystals a seed whose own C0 is not the one assumed; two hundred and more cases altogether."""
    rng = np.random.default_rng(seed)
    for _ in range(20):
        c1, c0, series = rng.uniform(8e-15, 25e-15), rng.uniform(3e-12, 7e-12), rng.uniform(8e6, 20e6)
        padder = rng.uniform(10e-12, 60e-12)
        low, high = (loaded_frequency(series, c1, c0, padder + t) for t in (TRIMMER[1], TRIMMER[0]))
        # Wanted beyond one end, within what another capacitor can do.
        wanted = (
            high + rng.uniform(0.1, 0.6) * (high - low)
            if rng.random() < 0.5
            else low - rng.uniform(0.1, 0.3) * (high - low)
        )
        found = padders(from_ends(low, high, padder, TRIMMER), wanted, TRIMMER)
        if not found:
            assert wanted > loaded_frequency(series, c1, c0 - 2e-12, TRIMMER[0]), (
                "only what no capacitor reaches is given up"
            )
            continue
        ends = [loaded_frequency(series, c1, c0, found[0].total + t) for t in (TRIMMER[1], TRIMMER[0])]
        place = (wanted - ends[0]) / (ends[1] - ends[0])
        assert 0.25 <= place <= 0.75 and found[0].place == pytest.approx(place, abs=0.06)


def test_a_crystal_from_its_ends_is_the_data_books() -> None:
    """f_L = f_s(1 + C1/(2(C0 + C_L))), IEC 60122-1: 10 MHz, C1 = 20 fF, C0 = 5 pF; 32 pF load gives +270.3 ppm."""
    low, high = (loaded_frequency(10e6, 20e-15, 5e-12, 20e-12 + t) for t in (TRIMMER[1], TRIMMER[0]))
    made = from_ends(low, high, 20e-12, TRIMMER)
    assert made.series_hz == pytest.approx(10e6, abs=0.5) and made.c1 == pytest.approx(20e-15, rel=1e-4)
    assert made.hz(27e-12, 5e-12) == pytest.approx(10e6 * (1 + 270.27e-6), abs=1.0)
    for bad, says in (
        ((high, low, 20e-12, TRIMMER), "Check the two readings"), ((low, low, 20e-12, TRIMMER), "Check the two readings"),
        ((low, low * 1.5, 20e-12, TRIMMER), "Check the units"), ((low, high, 20e-12, (30e-12, 5e-12)), "minimum to maximum"),
    ):  # fmt: skip
        with pytest.raises(UnitoneError, match=says):
            from_ends(*bad)


@pytest.mark.parametrize("change", ["top", "bottom"])
def test_after_the_advised_resistor_the_wanted_volts_lie_in_the_middle_half(change: str) -> None:
    rng = np.random.default_rng(len(change))
    done = 0
    for _ in range(120):
        true = Divider(rng.uniform(5e3, 120e3), 1e3 * rng.choice([0.5, 1, 5, 10]), rng.uniform(300, 12e3), 8.0)
        low, high = true.volts(0.0), true.volts(1.0)
        made = from_preset(low, high, true.preset, 8.0)
        assert (made.top, made.bottom) == (pytest.approx(true.top), pytest.approx(true.bottom))
        assert true.volts(0.4) == pytest.approx(
            divider(8.0, true.top + 0.6 * true.preset, true.bottom + 0.4 * true.preset)
        )
        wanted = high + rng.uniform(0.1, 1.0) * (high - low)
        if not wanted < 7.0:
            continue
        found = resistors(made, wanted, change)
        if found:
            done += 1
            changed = Divider(true.top, true.preset, found[0].total, 8.0)
            if change == "top":
                changed = Divider(found[0].total, true.preset, true.bottom, 8.0)
            place = (wanted - changed.volts(0.0)) / (changed.volts(1.0) - changed.volts(0.0))
            assert 0.25 <= place <= 0.75 and found[0].fits
            current = 8.0 / (changed.top + changed.preset + changed.bottom)
            assert found[0].watts == pytest.approx(current**2 * found[0].total)
    assert done > 80
    with pytest.raises(UnitoneError, match="low and high voltage"):
        from_preset(1.0, 0.5, 1e3, 8.0)
    with pytest.raises(UnitoneError, match="top or the bottom"):
        resistors(true, 1.0, "middle")


def test_preferred_values_between_two() -> None:
    """IEC 60063: E24 from 1 to 10 are 24 values and the next decade's first."""
    assert len(preferred_between(1.0, 10.0)) == 25 and preferred_between(4.6e-12, 5.2e-12) == [
        pytest.approx(4.7e-12),
        pytest.approx(5.1e-12),
    ]
    assert preferred_between(1.0, 2.3, "E12") == [1.0, 1.2, 1.5, 1.8, 2.2]
    with pytest.raises(UnitoneError):
        preferred_between(2.0, 1.0)


@pytest.mark.parametrize("seed", range(6))
def test_from_four_channels_every_other_is_known_within_a_tenth_of_a_volt(seed: int) -> None:
    """Abrupt, hyperabrupt and tabulated varactors, some with volts that fall: none of them has the law that is fitted."""
    import importlib.util
    from pathlib import Path

    spec = importlib.util.spec_from_file_location("vco_cases", Path(__file__).parents[2] / "benchmarks" / "vco.py")
    assert spec is not None and spec.loader is not None
    cases = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(cases)
    rng = np.random.default_rng(5000 + seed)
    _, volts, own, _ = cases.case(rng)
    law = fit([(hz, round(volts(hz) + 0.002 * rng.standard_normal(), 3)) for hz in (own[0], own[12], own[24], own[39])])
    assert max(abs(law.volts(hz) - volts(hz)) for hz in own) < 0.1
    low, high = law.between(own[20])
    assert low <= law.volts(own[20]) <= high and high - low < 0.1


def test_an_added_band_locks_or_does_not_and_the_core_is_told() -> None:
    """The law that is fitted, so that what is said can be worked out: L 1 µH, 8 pF fixed, 60 pF at zero, γ 0.5, φ 0.75."""
    law_of = (1e-6, 8e-12, 60e-12, 0.75, 0.5)
    channels = [26.5e6, 26.8e6, 27.1e6, 27.4e6]
    law = fit([(hz, control_volts(hz, *law_of)) for hz in channels])
    down = [25.6e6, 27.4e6]
    truth = [control_volts(hz, *law_of) for hz in down]
    made = stretch(law, down, (2.4, 5.0))
    assert law.volts(down[0]) == pytest.approx(truth[0], abs=0.05)
    assert made.locks is False and truth[0] < 2.3 and stretch(law, down, (1.0, 5.0)).locks is True
    # With more inductance the same frequency asks more volts less: the core's turn moves both ends one way.
    assert made.turned is not None
    ends = [control_volts(hz, law_of[0] * (1 + made.turned), *law_of[1:]) for hz in down]
    assert min(ends) - 2.4 == pytest.approx(5.0 - max(ends), abs=0.15), "both ends alike far from the window's edges"
    wide = stretch(law, [24.0e6, 30.0e6], (1.0, 4.0))
    assert wide.locks is False and wide.turned is None and wide.ratio_needed > wide.ratio_there
    assert wide.ratio_needed == pytest.approx((30 / 24) ** 2)
    falling = fit([(hz, 8.0 - control_volts(hz, *law_of)) for hz in channels])
    assert falling.falls and falling.volts(27.0e6) == pytest.approx(8.0 - control_volts(27.0e6, *law_of), abs=0.01)
    assert math.isinf(law.volts(60e6))


def test_what_is_no_vco_is_said() -> None:
    for readings, says in (
        ([(27e6, 2.0), (27.2e6, 3.0)], "at least three channels"), ([(27e6, 2.0), (27e6, 2.1), (27.4e6, 3.0)], "one frequency"),
        ([(27e6, 2.0), (27.2e6, 3.0), (27.4e6, 2.5)], "rise, or fall"), ([(27e6, -3.0), (27.2e6, -2.0), (27.4e6, -1.0)], "polarity"),
    ):  # fmt: skip
        with pytest.raises(UnitoneError, match=says):
            fit(readings)
    law = fit([(27e6, 2.0), (27.2e6, 3.0), (27.4e6, 4.2)])
    with pytest.raises(UnitoneError, match="window"):
        stretch(law, [27e6], (4.0, 1.0))
