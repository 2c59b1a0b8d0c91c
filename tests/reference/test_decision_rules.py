"""Judging limits and covering re-checks, against published rules and a general optimiser."""

from __future__ import annotations

import math
import random

import numpy as np
import pytest
from scipy.optimize import Bounds, LinearConstraint, milp
from scipy.stats import norm

from job.test_recheck import STANDING, some_stale
from unitone.bench.instruments import Instrument
from unitone.job.entries.readings import Reading
from unitone.job.recheck import agree, plan
from unitone.job.verdicts import RULES, guard_band, inside, settling
from unitone.quantities.registry import QUANTITIES
from unitone.sheet.model.sheet import Conditions, Limit

POWER = QUANTITIES["tx.power"]
LIMIT = Limit(3.6, 4.4)


def reading(value: float, u: float | None) -> Reading:
    return Reading("tx.power", Conditions("transmit", "20"), value, "meter", "hand", u=u)


def test_error_limits_become_a_rectangular_standard_uncertainty() -> None:
    # JCGM 100:2008 (GUM), 4.3.7: limits ±a with nothing known inside them give u = a/√3, here also by drawing.
    meter = Instrument("m", "m", ("tx.power",), "calibrated", pct_reading=5.0)
    u = meter.uncertainty(POWER, 4.0)
    drawn = np.random.default_rng(1).uniform(-0.2, 0.2, 400_000)
    assert u == pytest.approx(0.2 / math.sqrt(3)) and u == pytest.approx(float(drawn.std()), rel=0.005)


def test_errors_of_several_kinds_add_as_the_data_sheet_means_them() -> None:
    # Data sheets of multimeters state ±(% of reading + % of range): the limits add (common practice, no source).
    meter = Instrument("m", "m", ("supply.*",), "calibrated", pct_reading=0.5, pct_full_scale=0.1, full_scale=20.0)
    assert meter.limits(QUANTITIES["supply.rail"], 8.0) == pytest.approx(0.04 + 0.02)
    # 1 dB of power is 25.9 %, of a voltage 12.2 % (20 log and 10 log; any handbook).
    watt = Instrument("w", "w", ("tx.power",), "calibrated", db=1.0)
    assert watt.limits(POWER, 4.0) == pytest.approx(4.0 * 0.2589, rel=1e-3)
    volt = Instrument("v", "v", ("rx.af_voltage",), "calibrated", db=1.0)
    assert volt.limits(QUANTITIES["rx.af_voltage"], 1.0) == pytest.approx(0.1220, rel=1e-3)
    level = Instrument("g", "g", ("rx.sensitivity",), "calibrated", db=1.5)
    assert level.limits(QUANTITIES["rx.sensitivity"], -113.0) == 1.5
    counter = Instrument("c", "c", ("ref.*",), "calibrated", ppm=0.5)
    assert counter.limits(QUANTITIES["ref.frequency"], 10.24e6) == pytest.approx(5.12)
    assert Instrument("i", "i", ("tx.power",), "indicative only", pct_reading=5.0).uncertainty(POWER, 4.0) is None


def test_simple_acceptance_has_no_guard_band() -> None:
    # ILAC-G8:09/2019, 4.2.1 (w = 0): pass to the limit itself; JCGM 106:2012, 8.2.
    for u in (None, 0.05):
        for value, holds in ((3.6, True), (4.4, True), (3.599, False), (4.401, False)):
            assert inside(LIMIT, reading(value, u), RULES[1]) is holds
    assert inside(LIMIT, reading(3.6, None), RULES[0]) is True


def test_the_guard_band_is_the_expanded_uncertainty() -> None:
    # ILAC-G8:09/2019, 4.2.3, non-binary statement with guard band w = U: pass inside AL = TL − w, fail beyond TL + w.
    u = 0.05
    assert guard_band(reading(4.0, u)) == pytest.approx(0.1)
    for value, says in (
        (4.30, True),
        (4.31, None),
        (4.40, None),
        (4.49, None),
        (4.51, False),
        (3.70, True),
        (3.69, None),
        (3.49, False),
    ):
        assert inside(LIMIT, reading(value, u), RULES[0]) is says, value


def test_a_reading_that_holds_is_wrong_at_most_one_time_in_forty() -> None:
    # ILAC-G8:09/2019, table 1: w = U leaves a probability of false acceptance of at most 2.5 % (normal distribution).
    u = 0.05
    edge = 4.4 - 2 * u
    assert inside(LIMIT, reading(edge, u)) is True
    assert float(norm.sf(4.4, loc=edge, scale=u)) <= 0.025
    assert inside(LIMIT, reading(edge + 0.001, u)) is None
    # And what is called out is in by the same small chance (JCGM 106:2012, 8.3.3, guarded rejection).
    assert inside(LIMIT, reading(4.4 + 2 * u + 1e-9, u)) is False
    assert float(norm.cdf(4.4, loc=4.4 + 2 * u, scale=u)) <= 0.025


def test_what_would_settle_it_does() -> None:
    class Step:
        limit = LIMIT

    for value in (4.36, 4.43, 3.62, 3.58):
        needed = settling(Step(), reading(value, 0.05))  # type: ignore[arg-type]
        assert needed is not None and inside(LIMIT, reading(value, 0.05)) is None
        assert inside(LIMIT, reading(value, needed * 0.999)) is LIMIT.holds(value)
        assert inside(LIMIT, reading(value, needed * 1.01)) is None
    assert settling(Step(), reading(4.4, 0.05)) is None  # type: ignore[arg-type]


@pytest.mark.parametrize("seed", range(25))
def test_the_re_check_set_is_as_small_as_an_integer_programme_finds(seed: int) -> None:
    """Minimum cover by groups that agree, solved by SciPy's milp (HiGHS): y_g picks a group, x_ig puts result i in it."""
    rng = random.Random(5000 + seed)
    stale = some_stale(rng, 9)
    n = len(stale)
    # Variables: y[g] for n possible groups, then x[i, g].
    cost = np.concatenate([np.ones(n), np.zeros(n * n)])
    rows, low, high = [], [], []
    for i in range(n):
        row = np.zeros(n + n * n)
        row[n + i * n : n + (i + 1) * n] = 1
        rows.append(row)
        low.append(1.0)
        high.append(1.0)
    for g in range(n):
        for i in range(n):
            row = np.zeros(n + n * n)
            row[n + i * n + g], row[g] = 1, -1
            rows.append(row)
            low.append(-np.inf)
            high.append(0.0)
            for j in range(i):
                if not agree(stale[i], stale[j]):
                    row = np.zeros(n + n * n)
                    row[n + i * n + g] = row[n + j * n + g] = 1
                    rows.append(row)
                    low.append(-np.inf)
                    high.append(1.0)
    found = milp(
        cost,
        constraints=LinearConstraint(np.array(rows), low, high),
        integrality=np.ones(n + n * n),
        bounds=Bounds(0, 1),
    )
    assert found.success
    assert len(plan(stale, "probe", STANDING).measurements) == round(found.fun)


def test_corrections_are_what_the_trade_does() -> None:
    # A ×10 probe shows a tenth; a meter that reads 8 % low shows 92 % of the truth (common practice, no source).
    probe = Instrument("p", "p", ("vco.tuning_voltage",), times=10.0)
    assert probe.correct(QUANTITIES["vco.tuning_voltage"], 0.253) == pytest.approx(2.53)
    low = Instrument("w", "w", ("tx.power",), reads_pct=-8.0)
    assert low.correct(POWER, 4.0 * 0.92) == pytest.approx(4.0)
    # A pad forgotten at the generator's socket is added in dB.
    pad = Instrument("g", "g", ("rx.sensitivity",), add_db=-6.0)
    assert pad.correct(QUANTITIES["rx.sensitivity"], -107.0) == -113.0
