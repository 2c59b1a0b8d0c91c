"""Will it lock: the VCO's law from readings, or from the sheet's figures, against the window of its tuning voltage."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from unitone.errors import UnitoneError
from unitone.radio.vcofit import Law, fit, stretch
from unitone.sheet.model.sheet import Pll

#: By so much the doubt of a law is widened before anything is called locked or not.
_WIDER = 1.6
Locks = Literal["yes", "no", "too close", "not known"]


@dataclass(frozen=True)
class LockTable:
    """Each frequency of the VCO with its tuning voltage and whether it locks; ``turned``: the share of its inductance that the core has to
    add so that all of them do (0: none; None: no place of the core does)."""

    volts: tuple[float | None, ...]
    locks: tuple[Locks, ...]
    turned: float | None

    @property
    def all_lock(self) -> Locks:
        """The worst of them."""
        worst: tuple[Locks, ...] = ("no", "too close", "not known")
        return next((x for x in worst if x in self.locks), "yes")


def sheet_law(pll: Pll) -> Law | None:
    """The law that the sheet's own figures tell; None for too few."""
    try:
        return fit(pll.volts) if pll.volts else None
    except UnitoneError:
        return None


def lock_table(pll: Pll, law: Law | None, vco_hz: Sequence[float], turn: bool = True) -> LockTable:
    """Tuning voltage and lock at every frequency (Hz). Where the window is left, the core may be turned (``turn``)."""
    if law is None or not vco_hz:
        unknown: Locks = "not known"
        return LockTable((None,) * len(vco_hz), tuple(unknown for _ in vco_hz), 0.0)
    turned: float | None = 0.0
    if turn and stretch(law, vco_hz, pll.window_v).locks is not True:
        turned = stretch(law, vco_hz, pll.window_v).turned
    used = turned or 0.0
    volts = tuple(law.volts(hz, used) for hz in vco_hz)
    return LockTable(volts, tuple(lock_at(pll, law, hz, used) for hz in vco_hz), turned)


def lock_at(pll: Pll, law: Law, hz: float, turned: float = 0.0) -> Locks:
    """Whether one frequency locks, with the core ``turned``: yes and no only where all laws that explain the readings agree."""
    here, between = law.volts(hz, turned), law.between(hz, turned)
    # From 5 … 95 % of the laws out to all but one in a hundred.
    low, high = (here + _WIDER * (end - here) if math.isfinite(here) else end for end in (min(between), max(between)))
    if low >= pll.window_v[0] and high <= pll.window_v[1]:
        return "yes"
    return "no" if high < pll.window_v[0] or low > pll.window_v[1] else "too close"
