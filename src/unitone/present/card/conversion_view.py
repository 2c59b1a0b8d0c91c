"""What the card shows of a conversion: the ways ranked, the channels of one of them, crystals, and what to mind."""

from __future__ import annotations

from dataclasses import dataclass

from unitone.conversions.convert import Conversion, corners, warnings, way_title
from unitone.conversions.ways import LOAD_F, Crystal, Plan, Reached
from unitone.quantities.show import number
from unitone.words import figure, tr, tr_n

#: The columns of the table of channels.
_LOCK_MARKS = {"yes": "in_spec", "no": "out_of_spec", "too close": "undecided", "not known": "todo"}


@dataclass(frozen=True)
class WayRow:
    """A plan in a line: what it is, what it takes, and the mark of its lock."""

    title: str
    takes: str
    mark: str


@dataclass(frozen=True)
class ChannelRow:
    """A channel of a plan: megahertz, how it is called, how it comes about, N, its pins, and the VCO with the mark of its lock."""

    mhz: str
    name: str
    how: str
    n: str
    pins: str
    volts: str
    mark: str

    @property
    def cells(self) -> tuple[str, ...]:
        """The same as texts, in the order of the columns."""
        return (self.mhz, self.name, self.how, self.n, self.pins, self.volts)


@dataclass(frozen=True)
class ConversionView:
    """A conversion with one of its plans in full."""

    ways: tuple[WayRow, ...]
    at: int
    columns: tuple[str, ...]
    channels: tuple[ChannelRow, ...]
    crystals: tuple[str, ...]
    corners: tuple[str, ...]
    warnings: tuple[str, ...]

    @property
    def as_table(self) -> str:
        """The channels as a table to paste: a tab between cells, a line a channel."""
        rows = [self.columns, *(c.cells for c in self.channels)]
        return "\n".join("\t".join(row) for row in rows) + "\n"

    @property
    def as_note(self) -> str:
        """The chosen plan in one line for the log."""
        way = self.ways[self.at]
        return " · ".join((way.title, way.takes, *self.crystals))


def conversion_view(conversion: Conversion, at: int = 0) -> ConversionView:
    """The picture of a conversion with the plan ``at`` (0: the best) in full."""
    plan = conversion.plans[at]
    pins = ", ".join(name for name, _ in conversion.synthesiser.pll.pins)
    columns = (tr("MHz"), tr("Channel"), tr("How"), "N", tr("Pins {list}", list=pins), tr("VCO"))
    return ConversionView(
        tuple(_way(conversion, p) for p in conversion.plans), at, columns,
        tuple(_channel(conversion, plan, n, r) for n, r in enumerate(plan.reached)),
        tuple(describe_crystal(c) for c in plan.crystals),
        tuple(
            tr("{way}, {end} channel: {v} V", way={"receive": tr("receive"), "transmit": tr("transmit")}[c.way], end=tr(c.end), v=number(c.volts, 2))
            for c in corners(conversion, plan) if c.volts is not None
        ),
        warnings(conversion, plan),
    )  # fmt: skip


def _way(conversion: Conversion, plan: Plan) -> WayRow:
    title = ", ".join(way_title(k) for k in plan.kinds) or tr("nothing reaches it")
    size = tr("{n} of {all} channels", n=len(plan.reached), all=len(conversion.wanted))
    parts = tr_n("{n} part", "{n} parts", plan.parts)
    cuts = tr_n("{n} cut", "{n} cuts", plan.cuts)
    lock = {
        "yes": tr("locks"),
        "no": tr("does not lock"),
        "too close": tr("lock too close to call"),
        "not known": tr("lock not known"),
    }[plan.lock]
    mark = "out_of_spec" if plan.missing else _LOCK_MARKS[plan.lock]
    return WayRow(title[:1].upper() + title[1:], " · ".join((size, parts, cuts, lock)), mark)


def _channel(conversion: Conversion, plan: Plan, at: int, r: Reached) -> ChannelRow:
    states = conversion.synthesiser.pins(r.n)
    where = " ".join(x for x in (r.band, r.shown) if x)
    how = way_title(r.way)
    if r.crystal is not None:
        how = tr("{mhz} MHz crystal", mhz=f"{float(r.crystal.hz) / 1e6:.6f}")
    elif r.tied:
        how = ", ".join(tr("pin {name} {state}", name=n, state=tr("high") if x else tr("low")) for n, x in r.tied)
    volts, lock = plan.locks.volts[at], plan.locks.locks[at]
    return ChannelRow(
        figure(f"{r.wanted.hz / 1e6:.6f}".rstrip("0").ljust(6, "0")), where or "—", how, str(r.n),
        "—" if states is None else "".join(map(str, states)),
        "—" if volts is None else f"{number(volts, 2)} V", _LOCK_MARKS[lock],
    )  # fmt: skip


def describe_crystal(c: Crystal) -> str:
    """A crystal to order, or one to pull."""
    mhz = f"{float(c.hz) / 1e6:.6f}"
    if c.pulled:
        return tr(
            "Pull {name} by {hz} Hz, to {mhz} MHz.",
            name=c.oscillator,
            hz=number(float(c.shift_hz), 0, sign=True),
            mhz=mhz,
        )
    cut = {"fundamental": tr("fundamental"), "third overtone": tr("third overtone")}[c.cut]
    return tr(
        "Order {mhz} MHz, {cut}, parallel, {pf} pF load; it goes beside {name}.",
        mhz=mhz,
        cut=cut,
        pf=f"{LOAD_F * 1e12:g}",
        name=c.oscillator,
    )
