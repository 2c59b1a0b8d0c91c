"""A typed reading that can hardly be meant: asked back once, with the likely slip; typed again it is logged as it stands."""

from __future__ import annotations

from unitone.job.state import JobState
from unitone.quantities.registry import Quantity
from unitone.quantities.show import number, show
from unitone.radio.levels import Dbm, VoltsPd, dbm_from_pd, pd_from_dbm
from unitone.sheet.model.sheet import Conditions, Limit
from unitone.words import tr

#: A carrier so far off its channel (Hz) is looked for on the others; this near to one it is that channel's.
_ELSEWHERE_HZ, _NEAR_HZ = 3_000.0, 2_000.0
#: Farther off than this (Hz), and out of its limit, no radio is that still works.
_NOWHERE_HZ = 20_000.0
#: A dial that still receives may be off by this share of the frequency.
_DIAL_SHARE = 0.05
#: How far outside its limit a reading must lie for a slip by a thousand, or by a probe's ten, to be likelier than a fault.
_THOUSAND, _TEN = 30.0, 5.0
#: A current this many times below its upper limit is none that a working radio draws.
_NOTHING = 300.0
#: A limit with one end takes what lies within this factor of it for usual.
_USUAL = 30.0
#: A level so far from its limit (dB) is asked back where the other unit would bring it so near.
_LEVEL_FAR_DB, _LEVEL_NEAR_DB = 30.0, 20.0
#: No working radio gives this many times what its limit asks.
_EXCESS = 20.0


def doubt(state: JobState, q: Quantity, value: float, wanted: Conditions) -> str:
    """Why ``value`` (canonical units) can hardly be the reading, with what was likely meant; empty where nothing speaks against it."""
    here = state.sheet.step(state.at)
    limit = here.limit if here.quantity_id == q.id else None
    if limit is None:
        like = (s for s in state.sheet.steps if s.quantity_id == q.id)
        limit = next((s.limit for s in like if any(wanted.settles(r) for r in s.required)), None)
    if q.id in ("tx.frequency_error", "rx.frequency_error"):
        return _wrong_channel(state, value, wanted, limit)
    if limit is not None and q.kind == "level":
        return _wrong_unit_of_level(q, limit, value)
    if limit is not None and q.kind in ("volts", "dbc") and value and not limit.holds(value) and limit.holds(-value):
        return tr("{v} is outside the limit {limit}. Was it {meant}?",
                  v=show(q, value), limit=_describe_limit(q, limit), meant=show(q, -value))  # fmt: skip
    if limit is None or value <= 0 or q.kind not in ("volts", "amps", "watts", "hertz", "percent"):
        return ""
    # A current under a limit with no lower end holds even where it is a thousandth of what any radio draws.
    next_to_nothing = (
        q.kind == "amps" and limit.low is None and limit.high is not None and value < limit.high / _NOTHING
    )
    if limit.holds(value) and not next_to_nothing:
        return _describe_excess(q, limit, value)
    for factor, least in ((1e3, _THOUSAND), (1e-3, _THOUSAND), (10.0, _TEN), (0.1, _TEN)):
        if factor in (10.0, 0.1) and q.kind != "volts":
            continue
        if _usual(limit, value * factor) and (next_to_nothing or _outside(limit, value) >= least):
            meant = show(q, value * factor)
            limits = _describe_limit(q, limit)
            if factor == 10.0:
                return tr("{v} with a ×10 probe is {meant}, which the limit {limit} expects. Which is it?",
                          v=_fine(q, value), meant=meant, limit=limits)  # fmt: skip
            if next_to_nothing:
                return tr(
                    "{v} is hardly any current for a limit of {limit}. Was it {meant}?",
                    v=_fine(q, value),
                    limit=limits,
                    meant=meant,
                )
            return tr(
                "{v} is far outside the limit {limit}. Was it {meant}?", v=_fine(q, value), limit=limits, meant=meant
            )
    return _describe_excess(q, limit, value)


def _wrong_unit_of_level(q: Quantity, limit: Limit, value: float) -> str:
    """A figure in dBm typed as microvolts, or the other way round: far from the limit as it stands, near it as it was meant."""
    ends = [e for e in (limit.low, limit.high) if e is not None]
    if not ends or min(abs(value - e) for e in ends) < _LEVEL_FAR_DB:
        return ""
    as_dbm = -float(pd_from_dbm(Dbm(value))) * 1e6
    meant = [f"{number(as_dbm, 1)} dBm"] if min(abs(as_dbm - e) for e in ends) < _LEVEL_NEAR_DB else []
    if value > 0 and min(abs(dbm_from_pd(VoltsPd(value * 1e-6)) - e) for e in ends) < _LEVEL_NEAR_DB:
        meant.append(f"{value:g} µV")
    if not meant:
        return ""
    return tr(
        "{v} is far outside the limit {limit}. Was it {meant}?",
        v=show(q, value),
        limit=_describe_limit(q, limit),
        meant=meant[0],
    )


def _describe_excess(q: Quantity, limit: Limit, value: float) -> str:
    """More than any such radio gives, inside a limit with a lower end alone or not; what a fault takes away is never doubted."""
    most = limit.high if limit.high is not None else limit.low
    # Audio rises with the volume control and the signal, a thousandfold where the limit is for the least of it.
    if not most or value <= _EXCESS * most or q.kind not in ("volts", "amps", "watts") or q.id == "rx.af_voltage":
        return ""
    return tr(
        "{v} is far above the limit {limit}. Check unit and decimal point.",
        v=_fine(q, value),
        limit=_describe_limit(q, limit),
    )


def _describe_limit(q: Quantity, limit: Limit) -> str:
    if limit.low is not None and limit.high is not None:
        return f"{show(q, limit.low)} … {show(q, limit.high)}"
    return f"≥ {show(q, limit.low)}" if limit.low is not None else f"≤ {show(q, limit.high or 0.0)}"


def _fine(q: Quantity, value: float) -> str:
    """A value in its unit of the screen, with three places that count."""
    scale = {"mA": 1e-3, "kHz": 1e3, "MHz": 1e6}.get(q.shown, 1.0)
    return f"{value / scale:.3g} {q.shown}"


def _outside(limit: Limit, value: float) -> float:
    """By which factor a value lies outside a limit."""
    if limit.low is not None and 0 < value < limit.low:
        return limit.low / value
    if limit.high is not None and limit.high > 0 and value > limit.high:
        return value / limit.high
    return 1.0


def _usual(limit: Limit, value: float) -> bool:
    """Inside, and not so far from the only end that the limit would hold anything."""
    if not limit.holds(value):
        return False
    ends = [e for e in (limit.low, limit.high) if e is not None and e > 0]
    return any(1.0 / _USUAL <= value / e <= _USUAL for e in ends)


def _wrong_channel(state: JobState, error_hz: float, wanted: Conditions, limit: Limit | None) -> str:
    if abs(error_hz) < _ELSEWHERE_HZ or (limit is not None and limit.holds(error_hz)):
        return ""
    plan = state.sheet.plan
    here = float(state.sheet.carrier_hz(wanted.channel, wanted.band))
    counted = here + error_hz
    mhz = number(counted / 1e6, 6)
    for band in dict.fromkeys((wanted.band, *(name for name, _ in plan.bands))):
        for channel in plan.names:
            if (channel, band) == (wanted.channel, wanted.band):
                continue
            if abs(float(state.sheet.carrier_hz(channel, band)) - counted) <= _NEAR_HZ:
                there = (
                    tr("channel {c}", c=channel)
                    if band == wanted.band
                    else tr("band {b}, channel {c}", b=band, c=channel)
                )
                return tr("{mhz} MHz belongs to {there}, this reading is for channel {here}. Check the channel switch.",
                          mhz=mhz, there=there, here=wanted.channel or "?")  # fmt: skip
    # A dial may be off by far more than a channel's carrier can.
    dialled = state.sheet.dialled(wanted.channel)
    if abs(error_hz) <= max(_NOWHERE_HZ, _DIAL_SHARE * here if dialled else 0.0):
        return ""
    return tr("{mhz} MHz is {khz} kHz off the channel. Check channel, band and decimal point.",
              mhz=mhz, khz=number(abs(error_hz) / 1e3, 0))  # fmt: skip
