"""The workshop's instruments: what is known of their errors, and what that makes of a reading.

Error limits become a standard uncertainty as a rectangular distribution,
u = a/√3 (JCGM 100:2008, 4.3.7). The expanded uncertainty is U = 2u (about 95 %).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any, Literal

from unitone.errors import FieldError
from unitone.quantities.older_names import in_todays_names
from unitone.quantities.registry import QUANTITIES, Quantity
from unitone.quantities.show import number
from unitone.words import tr

#: How an instrument is connected, and what a wattmeter shows.
PickUp = Literal["in line", "loop", "x10 probe", "x1 probe"]
Reads = Literal["", "mean", "peak"]
#: Readings taken off a radio's high frequency: what a probe loads and bends.
_RADIO_FREQUENCY = frozenset(
    {
        "tx.power",
        "tx.pep",
        "tx.frequency_error",
        "tx.harmonic",
        "tx.spurious",
        "tx.carrier_suppression",
        "osc.frequency",
        "ref.frequency",
        "rx.lo_error",
    }
)
#: Up to here a ×1 probe's metre of cable and hundred picofarads do little harm (Hz): common practice, no source.
_PLAIN_PROBE_HZ = 1e6
Standing = Literal["calibrated", "indicative only"]
#: Quantities whose errors add in decibels rather than in per cent of the reading.
_IN_DB = ("level", "ratio-db", "s-units", "dbc", "gain-db")
#: Below this part of its full scale a needle is better read on a lower range.
LOW_ON_SCALE = 1 / 3


@dataclass(frozen=True)
class Instrument:
    """One instrument.

    ``measures`` holds quantity ids or prefixes (``tx.*``). Errors are limits
    (plus or minus): ``pct_reading``, ``pct_full_scale`` of ``full_scale`` (canonical
    unit of what it measures), ``db``, ``ppm``; None where not known. The correction
    gives the true value of a reading: multiplied by ``times`` (a ×10 probe: 10),
    then divided by 1 + ``reads_pct``/100 (a wattmeter that reads 8 % low: −8) and by
    1 + ``reads_ppm``·10⁻⁶ (a counter), plus ``add_db`` where the quantity is in decibels.
    ``found_u_pct`` and ``found_u_ppm`` are the standard uncertainties of a correction that was
    found on this bench, on the day ``found``: they stand for the instrument's own limits.
    """

    id: str
    name: str
    measures: tuple[str, ...]
    standing: Standing = "indicative only"
    calibrated: str = ""
    pct_reading: float | None = None
    pct_full_scale: float | None = None
    full_scale: float | None = None
    db: float | None = None
    ppm: float | None = None
    times: float = 1.0
    reads_pct: float = 0.0
    add_db: float = 0.0
    reads_ppm: float = 0.0
    found_u_pct: float | None = None
    found_u_ppm: float | None = None
    found: str = ""
    #: Correction table: what it shows and what is true (canonical units), in rising order; joined by straight lines.
    table: tuple[tuple[float, float], ...] = ()
    pick_up: PickUp = "in line"
    reads: Reads = ""

    def serves(self, quantity_id: str) -> bool:
        """Can this instrument read that quantity?"""
        return any(
            quantity_id == m or (m.endswith("*") and quantity_id.startswith(m[:-1])) for m in self.measures
        )  # fmt: skip

    def correct(self, q: Quantity, raw: float, nominal: float | None = None) -> float:
        """The corrected value of a reading (canonical unit); ``nominal``: the frequency from which an error counts."""
        if q.kind in _IN_DB:
            return raw + self.add_db
        if q.kind == "hertz-error" and nominal is not None:
            # The clock errs in what was counted, not in what is left after subtracting.
            return raw - (raw + nominal) * self.reads_ppm * 1e-6 / (1.0 + self.reads_ppm * 1e-6)
        if self.table:
            raw = _by_table(self.table, raw)
        return raw * self.times / (1.0 + self.reads_pct / 100.0) / (1.0 + self.reads_ppm * 1e-6)

    def limits(self, q: Quantity, value: float) -> float | None:
        """The largest error of a reading (canonical unit), None where the instrument's errors are not known."""
        if self.standing != "calibrated":
            return None
        if q.kind in _IN_DB:
            return self.db
        parts = []
        if self.pct_reading is not None:
            parts.append(abs(value) * self.pct_reading / 100.0)
        if self.pct_full_scale is not None and self.full_scale is not None:
            parts.append(self.full_scale * self.pct_full_scale / 100.0)
        if self.ppm is not None:
            parts.append(abs(value) * self.ppm * 1e-6)
        if self.db is not None:
            parts.append(abs(value) * (10.0 ** (self.db / (10.0 if q.kind == "watts" else 20.0)) - 1.0))
        return sum(parts) if parts else None

    def uncertainty(self, q: Quantity, value: float) -> float | None:
        """Standard uncertainty (canonical unit), None where the errors are not known."""
        if q.kind in ("hertz", "hertz-error") and self.found_u_ppm is not None:
            return abs(value) * self.found_u_ppm * 1e-6
        if q.kind not in _IN_DB and self.found_u_pct is not None:
            return abs(value) * self.found_u_pct / 100.0
        limit = self.limits(q, value)
        return None if limit is None else limit / math.sqrt(3.0)

    def unfit(self, q: Quantity, hz: float | None) -> str:
        """Why this instrument is no pick-off for a reading at ``hz``, with the cure; empty where it is one."""
        if self.pick_up != "x1 probe" or q.id not in _RADIO_FREQUENCY or (hz is not None and hz <= _PLAIN_PROBE_HZ):
            return ""
        return tr(
            "A ×1 probe loads the circuit with about 100 pF: useless at {mhz} MHz. Switch it to ×10, or use a "
    "pick-up loop or a pad in line.", mhz=number((hz or 27e6) / 1e6, 0),
        )  # fmt: skip

    def relative(self, q: Quantity) -> str:
        """A word where a reading is relative only, or is not what its name says; empty where it is."""
        if q.id in ("tx.harmonic", "tx.spurious", "tx.power", "tx.pep") and self.pick_up in ("loop", "x10 probe"):
            how = tr("a loop") if self.pick_up == "loop" else tr("a ×10 probe")
            return tr("by {how}: relative only; for a true figure use a pad in line", how=how)
        if q.id == "tx.pep" and self.reads == "mean":
            return tr("mean-reading meter: right on one tone, half the PEP on two tones, far less on speech")
        return ""

    def warning(self, q: Quantity, value: float) -> str:
        """A word on a reading that is relative only, or sits low on the scale; empty where all is well."""
        if told := self.relative(q):
            return told
        if self.full_scale is None or q.kind in _IN_DB or abs(value) >= LOW_ON_SCALE * self.full_scale:
            return ""
        if not self.pct_full_scale:
            return tr("low on the scale: use a lower range if there is one")
        part = self.full_scale * self.pct_full_scale / max(abs(value), 1e-12)
        return tr(
            "low on the scale: ±{pct} % of this reading, use a lower range if there is one",
            pct=number(part, 0 if part >= 9.5 else 1),
        )  # fmt: skip

    def describe_correction(self, q: Quantity) -> str:
        """What is corrected, as a person says it; empty for nothing."""
        if q.kind in _IN_DB:
            return tr("{db} dB added", db=number(self.add_db, 1, sign=True)) if self.add_db else ""
        words = [tr("×{n}", n=f"{self.times:g}")] if self.times != 1.0 else []
        if self.table:
            words.append(tr("by its table of {n} points", n=len(self.table)))
        if self.reads_pct:
            way = tr("low") if self.reads_pct < 0 else tr("high")
            words.append(tr("reads {pct} % {way}", pct=f"{abs(self.reads_pct):.3g}", way=way))
        if self.reads_ppm:
            way = tr("low") if self.reads_ppm < 0 else tr("high")
            words.append(tr("reads {ppm} ppm {way}", ppm=f"{abs(self.reads_ppm):.3g}", way=way))
        return ", ".join(words)

    @property
    def describe_error(self) -> list[str]:
        """Its error limits as a person says them: ``±5 % of full scale``; empty where none is known."""
        limits = (
            (self.pct_reading, tr("% of reading")), (self.pct_full_scale, tr("% of full scale")), (self.db, "dB"), (self.ppm, "ppm"),
        )  # fmt: skip
        found = []
        if self.found:
            found = [
                f"±{2 * u:.2g} {unit}, {self.found}"
                for u, unit in ((self.found_u_pct, "%"), (self.found_u_ppm, "ppm"))
                if u is not None
            ]
        return found or [f"±{value:g} {unit}" for value, unit in limits if value is not None]

    def to_data(self) -> dict[str, Any]:
        """As plain data; nothing that is at its default is written."""
        plain = {k: v for k, v in self.__dict__.items() if v not in (None, "", "in line")}
        plain.pop("table", None)
        return {
            **plain,
            "measures": list(self.measures),
            **({"table": [list(p) for p in self.table]} if self.table else {}),
        }

    @classmethod
    def from_data(cls, data: dict[str, Any]) -> Instrument:
        """From plain data, older ids of quantities too. Raises UnitoneError naming what cannot be."""
        data = in_todays_names(data)[0]
        table = data.get("table", ())
        if isinstance(table, str):
            table = table_of(table)
        made = cls(
            **{**data, "measures": tuple(data["measures"]), "table": tuple((float(a), float(b)) for a, b in table)}
        )
        made.check()
        return made

    def check(self) -> None:
        """Raises FieldError naming the field that cannot be, and its cure."""
        if not self.name.strip():
            raise FieldError(tr("An instrument needs a name."), "name")
        for m in self.measures:
            if not any(m == q or (m.endswith("*") and q.startswith(m[:-1])) for q in QUANTITIES):
                raise FieldError(
                    tr(
                        "{name}: “{m}” is not a quantity. Use ids such as tx.power, or a prefix like rx.*.",
                        name=self.name,
                        m=m,
                    ),
                    "measures",
                )
        if not self.measures:
            raise FieldError(tr("{name}: say what it measures, such as tx.power.", name=self.name), "measures")
        for field in ("pct_reading", "pct_full_scale", "full_scale", "db", "ppm"):
            value = getattr(self, field)
            if value is not None and not (math.isfinite(value) and value >= 0):
                raise FieldError(tr("{name}: {field} must be zero or more.", name=self.name, field=field), field)
        if self.pct_full_scale is not None and not self.full_scale:
            raise FieldError(
                tr("{name}: an error in % of full scale needs the full scale.", name=self.name), "full_scale"
            )
        shown = [a for a, _ in self.table]
        if self.table and (len(shown) < 2 or shown != sorted(set(shown)) or min(b for _, b in self.table) < 0):
            raise FieldError(
                tr(
                    "{name}: a correction table needs two or more rising points, shown and true, like 1 1.1; 4 4.4.",
                    name=self.name,
                ),
                "table",
            )
        if not (
            self.times > 0
            and -100 < self.reads_pct < 1000
            and abs(self.reads_ppm) < 1e5
            and math.isfinite(self.times)
            and math.isfinite(self.add_db)
        ):
            raise FieldError(tr("{name}: this correction makes every reading zero.", name=self.name), "name")


def table_of(text: str) -> tuple[tuple[float, float], ...]:
    """``1 1.1; 4 4.4`` as pairs of what is shown and what is true. Raises UnitoneError."""
    found = []
    for part in text.split(";"):
        numbers = part.replace(",", ".").split()
        if not numbers:
            continue
        try:
            shown, true = (float(n) for n in numbers)
        except ValueError:
            raise FieldError(
                tr(
                    "“{part}” is not a correction point. Write shown and true, like 4 4.4; 10 10.6.",
                    part=part.strip(),
                ),
                "table",
            ) from None
        found.append((shown, true))
    return tuple(found)


def _by_table(table: tuple[tuple[float, float], ...], raw: float) -> float:
    """Straight lines between the points; outside them the ratio of the nearest holds on."""
    if raw <= table[0][0]:
        return raw * table[0][1] / table[0][0] if table[0][0] else table[0][1]
    if raw >= table[-1][0]:
        return raw * table[-1][1] / table[-1][0]
    (a, x), (b, y) = next((p, q) for p, q in zip(table, table[1:], strict=False) if p[0] <= raw <= q[0])
    return x + (y - x) * (raw - a) / (b - a)


def instrument_for(instruments: tuple[Instrument, ...], quantity_id: str, chosen: str = "") -> Instrument | None:
    """The instrument that a typed reading comes from: the one chosen, else the first that serves the quantity."""
    serving = [i for i in instruments if i.serves(quantity_id)]
    return next((i for i in serving if i.id == chosen), serving[0] if serving else None)
