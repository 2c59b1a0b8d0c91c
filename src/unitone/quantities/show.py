"""Printing quantities. The prefix is chosen after rounding, so that 999.96 Hz never prints as 1e+03 Hz."""

from __future__ import annotations

from unitone.quantities.registry import Quantity
from unitone.words import figure, tr

MINUS = "\N{MINUS SIGN}"
#: Volts PD in 50 ohms for 0 dBm: sqrt(1 mW x 50 ohm).
_V_0DBM_50 = 0.05**0.5

#: Beyond this no level is, and its volts say nothing (they would not even print).
_MOST_DBM = 1000.0


def number(value: float, decimals: int, sign: bool = False) -> str:
    """``value`` with that many decimals and a real minus sign; never prints a negative zero."""
    text = f"{value:+.{decimals}f}" if sign else f"{value:.{decimals}f}"
    if float(text) == 0.0:
        text = text.replace("-", "+" if sign else "")
    return figure(text.replace("-", MINUS))


def microvolts(dbm: float) -> str:
    """A level in dBm (50 ohm) as PD microvolts or millivolts in the usual three figures, with unit."""
    if abs(dbm) > _MOST_DBM:
        return figure(f"{dbm:.4g} dBm".replace("-", MINUS))
    volts = _V_0DBM_50 * 10.0 ** (dbm / 20.0)
    for scale, unit in ((1e6, "µV"), (1e3, "mV"), (1.0, "V")):
        scaled = volts * scale
        for decimals, top in ((2, 9.995), (1, 99.95), (0, 999.5)):
            if scaled < top:
                return figure(f"{scaled:.{decimals}f} {unit}")
    return f"{volts:.0f} V"


def s_units(db_over_s9: float) -> str:
    """``S7``, ``S9``, ``S9+12`` from decibels relative to S9 (6 dB a unit)."""
    if db_over_s9 >= 0.5:
        return f"S9+{round(db_over_s9)}"
    units = 9.0 + db_over_s9 / 6.0
    text = f"{max(units, 0.0):.1f}"
    return "S" + figure(text.removesuffix(".0"))


def shown_scale(q: Quantity) -> float:
    """How many of the canonical unit go into one of the unit that the screen prints; 1 for levels and S-units, which it reckons."""
    if q.kind == "hertz":
        return {"MHz": 1e6, "kHz": 1e3}.get(q.shown, 1.0)
    return 1e-3 if q.kind == "amps" and q.shown == "mA" else 1.0


def show_value(q: Quantity, value: float) -> tuple[str, str]:
    """(figure, unit) of a canonical ``value`` of quantity ``q``, as the screen prints it."""
    if q.kind == "level":
        figure, unit = microvolts(value).split(" ")
        return figure, unit
    if q.kind == "s-units":
        return s_units(value), ""
    return number(value / shown_scale(q), q.decimals, sign=q.kind in ("hertz-error", "gain-db")), q.shown


def show(q: Quantity, value: float) -> str:
    """``8.02 V``, ``0.31 µV``, ``S9+10``: figure and unit in one."""
    return " ".join(part for part in show_value(q, value) if part)


def duration(minutes: float) -> str:
    """``25 min``, ``1 h 25``."""
    whole = round(minutes)
    return tr("{h} h {m:02d}", h=whole // 60, m=whole % 60) if whole >= 60 else tr("{m} min", m=whole)
