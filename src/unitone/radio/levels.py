"""Level arithmetic: dBm, volts PD and EMF, dBµV, S-units, pads.

P(dBm) = 10 log10(V²/R / 1 mW), V rms potential difference across R. EMF (open
circuit) is twice PD in a matched system. S-units: IARU Region 1 Technical
Recommendation R.1 (S9 = -73 dBm below 30 MHz, -93 dBm above, 6 dB a unit).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal, NewType

from unitone.errors import EntryError
from unitone.quantities.entry import Typed, parse_entry
from unitone.quantities.registry import Quantity
from unitone.quantities.show import show
from unitone.words import tr

Dbm = NewType("Dbm", float)
VoltsPd = NewType("VoltsPd", float)
VoltsEmf = NewType("VoltsEmf", float)
Hz = NewType("Hz", float)

#: 20 log10(2): from PD to EMF in a matched system.
EMF_DB = 20.0 * math.log10(2.0)
S9_BELOW_30_MHZ = Dbm(-73.0)
S9_ABOVE_30_MHZ = Dbm(-93.0)
DB_PER_S_UNIT = 6.0

S9Convention = Literal["iaru", "100uv-pd"]


def dbm_from_pd(volts: VoltsPd, ohm: float = 50.0) -> Dbm:
    """Available power in dBm of ``volts`` rms PD across ``ohm``. Raises ValueError unless both are positive."""
    if volts <= 0 or ohm <= 0:
        raise ValueError("a level needs volts and ohms above zero")
    return Dbm(10.0 * math.log10(volts * volts / ohm / 1e-3))


def pd_from_dbm(dbm: Dbm, ohm: float = 50.0) -> VoltsPd:
    """Volts rms PD across ``ohm`` for ``dbm``. Raises ValueError unless ``ohm`` is positive."""
    if ohm <= 0:
        raise ValueError("ohms must be above zero")
    return VoltsPd(math.sqrt(1e-3 * ohm * 10.0 ** (dbm / 10.0)))


def emf_from_pd(volts: VoltsPd) -> VoltsEmf:
    """Open-circuit volts of a matched source that delivers ``volts`` PD."""
    return VoltsEmf(2.0 * volts)


def pd_from_emf(volts: VoltsEmf) -> VoltsPd:
    """Volts PD into a matched load from a source of ``volts`` EMF."""
    return VoltsPd(volts / 2.0)


def dbuv_from_pd(volts: VoltsPd) -> float:
    """dB relative to 1 µV PD. Raises ValueError unless ``volts`` is positive."""
    if volts <= 0:
        raise ValueError("a level needs volts above zero")
    return 20.0 * math.log10(volts / 1e-6)


def s9_level(hz: float = 27e6, convention: S9Convention = "iaru") -> Dbm:
    """The level of S9 at frequency ``hz`` (Hz): IARU R.1, or 100 µV PD as some makers set it."""
    if convention == "100uv-pd":
        return dbm_from_pd(VoltsPd(100e-6))
    return S9_BELOW_30_MHZ if hz < 30e6 else S9_ABOVE_30_MHZ


def s_units_from_dbm(dbm: Dbm, hz: float = 27e6) -> float:
    """S-units (6 dB each) of a level; above S9 the fraction goes on counting 6 dB a unit."""
    return 9.0 + (dbm - s9_level(hz)) / DB_PER_S_UNIT


def level_to_dbm(typed: Typed, ohm: float = 50.0) -> Dbm:
    """A typed level in whatever unit to dBm. Raises EntryError for a level that is not above zero volts."""
    value = typed.value
    if value is None:
        raise EntryError(tr("“{word}” is not a level.", word=typed.word))
    if typed.unit.startswith("dB") and abs(value) > 1000:
        raise EntryError(
            tr(
                "{value:g} {unit} is not a level. Expected a level, like 0,31 uV or -117 dBm.",
                value=value,
                unit=typed.unit,
            )
        )
    if typed.unit == "dBm":
        return Dbm(value)
    if typed.unit == "dBuV":
        return dbm_from_pd(VoltsPd(1e-6 * 10.0 ** (value / 20.0)), ohm)
    if typed.unit == "dBuV EMF":
        return dbm_from_pd(VoltsPd(1e-6 * 10.0 ** (value / 20.0) / 2.0), ohm)
    if not 1e-20 < value < 1e20:
        raise EntryError(tr("A level in volts is above zero. Expected a level, like 0,31 uV or -117 dBm."))
    volts = pd_from_emf(VoltsEmf(value)) if typed.unit == "V EMF" else VoltsPd(value)
    return dbm_from_pd(volts, ohm)


def parse_level(text: str, ohm: float = 50.0) -> Dbm:
    """``0,31 uV``, ``-117 dBm``, ``20 dBuV``, ``1 uV EMF`` to dBm. Raises EntryError."""
    typed = parse_entry(text, "level")
    if typed.bound or typed.word:
        raise EntryError.not_understood(text, tr("one level, like 0,31 uV or -117 dBm"))
    return level_to_dbm(typed, ohm)


def mark_db(text: str) -> float:
    """A meter's or lamp's mark as dB over S9: ``S5``, ``S9``, ``+20``. Raises EntryError with the expected form."""
    word = text.strip().upper().replace(" ", "").replace("S9+", "+")
    try:
        if word.startswith("S") and 0.0 <= float(word[1:]) <= 9.0:
            return DB_PER_S_UNIT * (float(word[1:]) - 9.0)
        if word.startswith("+") and 0.0 <= float(word[1:]) <= 80.0:
            return float(word[1:])
    except ValueError:
        pass
    raise EntryError(tr("“{what}” is not a mark of an S-meter. Write S5, S9 or +20.", what=text))


def canonical(typed: Typed, q: Quantity, nominal_hz: float | None = None, within: float = 0.02) -> float:
    """The canonical value of a typed number for quantity ``q``.

    ``nominal_hz`` is the frequency from which a ``hertz-error`` counts; a typed
    reading near it (by that share, with MHz or without a unit in MHz) is taken as
    the counter's absolute reading. Raises EntryError when the value is impossible.
    """
    value = typed.value
    if value is None:
        raise EntryError(tr("“{word}” has no number.", word=typed.word))
    if q.kind == "level":
        value = level_to_dbm(typed)
    elif q.kind == "watts" and typed.unit == "dBm":
        value = 1e-3 * 10.0 ** (value / 10.0)
    elif q.kind in ("hertz", "hertz-error") and nominal_hz:
        # Without a unit a figure that is only roughly there may be an error in hertz as well.
        near = min(within, 0.02) if typed.bare else within
        for scale in (1.0, 1e3, 1e6, 1e-3, 1e-6) if typed.bare else (1.0,):
            if abs(value * scale - nominal_hz) <= near * nominal_hz:
                value = value * scale - (nominal_hz if q.kind == "hertz-error" else 0.0)
                break
        else:
            if q.kind == "hertz-error" and abs(value) > within * nominal_hz:
                raise EntryError(
                    tr(
                        "That is {value:.0f} Hz off {x:.5f} MHz: more than {pct} %. Check the unit.",
                        value=value,
                        pct=f"{100 * within:.0f}",
                        x=nominal_hz / 1000000.0,
                    )
                )
    if not q.low <= value <= q.high:
        ends = [show(q, e) for e in (q.low, q.high) if math.isfinite(e)]
        between = (
            tr("it lies between {low} and {high}", low=ends[0], high=ends[1])
            if len(ends) == 2
            else tr("it is not below {low}", low=ends[0])
        )
        raise EntryError(
            tr(
                "{value} is out of range for {title}: {between}. Check the unit.",
                value=show(q, value),
                title=q.title,
                between=between,
            )
        )
    return value


@dataclass(frozen=True)
class LevelReport:
    """One level in every unit of the trade; ``dial_dbm`` is what a generator behind the pads must be set to."""

    dbm: float
    uv_pd: float
    uv_emf: float
    dbuv: float
    dbuv_emf: float
    s_units: float
    over_s9_db: float
    ohm: float
    pads_db: float
    dial_dbm: float
    dial_uv_pd: float


def report_level(dbm: Dbm, ohm: float = 50.0, pads_db: float = 0.0, hz: float = 27e6) -> LevelReport:
    """Express ``dbm`` at the set in every unit, with the dial setting behind ``pads_db`` of attenuation."""
    pd = pd_from_dbm(dbm, ohm)
    dial = Dbm(dbm + pads_db)
    return LevelReport(
        dbm=dbm,
        uv_pd=pd * 1e6,
        uv_emf=emf_from_pd(pd) * 1e6,
        dbuv=dbuv_from_pd(pd),
        dbuv_emf=dbuv_from_pd(pd) + EMF_DB,
        s_units=s_units_from_dbm(dbm, hz),
        over_s9_db=dbm - s9_level(hz),
        ohm=ohm,
        pads_db=pads_db,
        dial_dbm=dial,
        dial_uv_pd=pd_from_dbm(dial, ohm) * 1e6,
    )
