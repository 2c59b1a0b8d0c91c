"""What a sheet says of frequencies, from the written shapes: channel plan, oscillators, mixing lines; and whether they can be."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction

from unitone.errors import EntryError, SheetError, UnitoneError
from unitone.quantities.entry import parse_si
from unitone.radio.channels import ChannelPlan, block, plan
from unitone.radio.mixing import coefficient
from unitone.sheet.format import keys as form
from unitone.sheet.format.lines import Place
from unitone.sheet.model.mixing_model import outputs, places
from unitone.sheet.model.sheet import Mixing, Oscillator, Sheet, Way
from unitone.words import tr

Complain = Callable[[Place, str], None]
NO_CHANNELS = ChannelPlan("none", "no channels", ("1",), (0,))
#: Nominal frequencies are written to the hertz; times a multiplier they come this near to the channel (a share of it).
_NEAR = 2e-5


def _hz(complain: Complain, place: Place, text: str) -> float:
    try:
        return parse_si(text, "Hz")
    except EntryError as error:
        complain(place, str(error))
        return 0.0


def channel_plan(complain: Complain, part: form.ChannelsPart) -> ChannelPlan:
    """The channels: a plan, a block or frequencies of its own, with alpha places and shifts, and the bands."""
    bands = tuple((k, round(_hz(complain, ("channels", "bands", k), v))) for k, v in part.bands.items())
    given = [
        name for name, there in (("plan", part.plan), ("block", part.block), ("frequencies", part.frequencies)) if there
    ]
    if len(given) > 1:
        complain(("channels", given[0]), tr("a {list} exclude each other. Keep one.", list=" and a ".join(given)))
    try:
        if part.frequencies:
            made = _own(complain, part.frequencies)
        elif part.block is not None:
            first = round(_hz(complain, ("channels", "block", "first"), part.block.first))
            made = block(first, round(_hz(complain, ("channels", "block", "step"), part.block.step)), part.block.count)
        elif part.plan:
            made = plan(part.plan)
        else:
            complain(
                ("channels", "plan"), tr('is missing. Write plan = "eu-40", or frequencies = { 1 = "27.005 MHz" }.')
            )
            return NO_CHANNELS
    except UnitoneError as error:
        complain(("channels", given[-1]), str(error))
        return NO_CHANNELS
    return replace(_positions(complain, made, part.positions), bands=bands)


def _own(complain: Complain, frequencies: dict[str, str]) -> ChannelPlan:
    hz: dict[str, int] = {}
    for name, text in frequencies.items():
        value = round(_hz(complain, ("channels", "frequencies", name), text))
        if not 0 < value < 1e11:
            complain(
                ("channels", "frequencies", name), tr("{what!r} is not a carrier. Write it like 27.205 MHz.", what=text)
            )
        hz[name] = value
    return ChannelPlan("own", "channels of this sheet", tuple(hz), tuple(hz.values()))


def doubled_channels(complain: Complain, part: form.ChannelsPart) -> None:
    """Says which channels of its own a sheet writes twice."""
    seen: dict[float, str] = {}
    for name, text in part.frequencies.items():
        hz = parse_si(text, "Hz")
        if hz in seen:
            complain(
                ("channels", "frequencies", name),
                tr(
                    "{name} and {seen} are both {x:.6f} MHz. Give each channel a frequency of its own.",
                    name=name,
                    seen=seen[hz],
                    x=hz / 1000000.0,
                ),
            )
        seen.setdefault(hz, name)


def _positions(complain: Complain, made: ChannelPlan, positions: list[str]) -> ChannelPlan:
    for n, text in enumerate(positions):
        if text.strip().lower() == "alpha":
            made = made.with_alphas()
            continue
        try:
            made = made.with_shift(round(parse_si(text, "Hz")))
        except UnitoneError as error:
            complain(("channels", "positions", n), tr('{error} Or write "alpha".', error=error))
    return made


def oscillator(complain: Complain, i: int, o: form.OscillatorPart, w: form.SheetFile) -> Oscillator:
    """An oscillator, its trimmer and its test point looked up."""
    if o.trim is not None and o.trim not in {a.id for a in w.adjuster}:
        complain(("oscillator", i, "trim"), tr("no adjuster {trim!r}. Add it or name another.", trim=o.trim))
    if o.test_point is not None and o.test_point not in {p.id for p in w.test_point}:
        complain(
            ("oscillator", i, "test_point"),
            tr("no test point {test_point!r}. Add it or name another.", test_point=o.test_point),
        )
    nominal = _hz(complain, ("oscillator", i, "nominal"), o.nominal)
    if nominal <= 0:
        complain(
            ("oscillator", i, "nominal"),
            tr("{nominal!r} is not a frequency. Write it like 10.240 MHz.", nominal=o.nominal),
        )
    follows = None
    if o.follows is not None:
        try:
            follows = coefficient(o.follows, 1)
        except UnitoneError as error:
            complain(("oscillator", i, "follows"), str(error))
    offset = Fraction(_hz(complain, ("oscillator", i, "offset"), o.offset)).limit_denominator(1000)
    return Oscillator(o.id, nominal, o.trim, o.test_point, follows, offset)


def mixing_line(complain: Complain, i: int, m: form.MixingPart, w: form.SheetFile) -> Mixing:
    """A mixing line; its terms name oscillators, or outputs of other lines."""
    known_ids = {o.id for o in w.oscillator} | {x.output for x in w.mixing if x.output != m.output}
    for name, term in m.terms.items():
        if name not in known_ids:
            complain(("mixing", i, "terms"), tr("no oscillator {name!r}. Add it or name another.", name=name))
        try:
            coefficient(term, 1)
        except UnitoneError as error:
            complain(("mixing", i, "terms"), str(error))
    offset = _hz(complain, ("mixing", i, "offset"), m.offset)
    raster = _hz(complain, ("mixing", i, "raster"), m.raster)
    if raster <= 0:
        complain(("mixing", i, "raster"), tr("must be above zero, like 2.5 kHz."))
        raster = 1.0
    return Mixing(
        m.output, m.when.way, tuple(m.terms.items()), round(offset), Fraction(raster).limit_denominator(1000), m.when.band, m.when.mode,
        m.when.channel, m.n_from == "plan",
    )  # fmt: skip


def impossible_mixing(complain: Complain, sheet: Sheet) -> None:
    """Says where the mixing lines give no whole divider, go round in a circle, or miss the channel; the first such place each way."""
    ways: tuple[Way, Way] = ("receive", "transmit")
    for way in ways if sheet.mixing else ():
        for place in places(sheet, way, ends_only=True):
            try:
                made = outputs(sheet, place)
            except SheetError as error:
                complain(("mixing",), f"{place.words}: {error.problems[0].partition(': ')[2]}")
                break
            carrier = sheet.carrier_hz(place.channel, place.band)
            sent = next((m for m in made if m.output == "tx.carrier"), None)
            if sent is not None and abs(sent.hz - carrier) > _NEAR * carrier:
                complain(
                    ("mixing",),
                    tr(
                        "{words}: the lines give {x:.6f} MHz, the channel is {x2:.6f} MHz. Check the oscillators and the terms of tx.carrier.",
                        words=place.words,
                        x=float(sent.hz) / 1000000.0,
                        x2=carrier / 1000000.0,
                    ),
                )
                break
