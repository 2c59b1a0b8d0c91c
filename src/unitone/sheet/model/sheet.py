"""The sheet, ready for use: everything parsed to canonical units, checked, immutable.

How it is written down is the business of ``unitone.sheet.format.read``.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from fractions import Fraction
from functools import cached_property, lru_cache
from typing import Literal

from unitone.quantities.registry import QUIETING, Quantity, quantity
from unitone.radio.channels import ChannelPlan
from unitone.words import N_, translated

Way = Literal["receive", "transmit", "either"]
AdjusterKind = Literal["core", "trimmer", "preset", "link", "part"]
#: ``level``: one adjuster, set so that the worst of all the places is least out.
Watch = Literal["af", "s_meter"]
PartKind = Literal["", "resistor", "winding", "capacitor", "device", "crystal", "contact"]
Electrode = Literal[
    "", "anode", "screen", "grid", "cathode", "collector", "base", "emitter", "drain", "gate", "source", "pin"
]
Aim = Literal["peak", "null", "set", "level", "check"]
HookUp = Literal["probe", "receive", "transmit"]
Phase = Literal["inspection", "rails", "synthesiser", "transmit", "receive", "settings", "verify"]
#: What a step is for, where a convention asks about it (``unitone.sheet.conventions.questions``).
Role = Literal["detector", "detector-coarse", "front-end", "if", ""]

#: 45 000 millidegrees are an eighth of a turn.
EIGHTH = 45_000
TURN = 360_000

PHASE_TITLES: dict[Phase, str] = {
    "inspection": N_("Inspection"),
    "rails": N_("Supply and rails"),
    "synthesiser": N_("Synthesiser"),
    "transmit": N_("Transmit"),
    "receive": N_("Receive"),
    "settings": N_("Settings"),
    "verify": N_("Verify"),
}

#: Levels that differ by no more are the same level (dB): a dial has tenths.
LEVELS_AGREE_DB = 0.05


def same_level(one: float | None, other: float | None) -> bool:
    """Are these (dBm) one level, to the tenths of a dial? No level (None) is only the same as none."""
    return one == other if one is None or other is None else abs(one - other) <= LEVELS_AGREE_DB


@dataclass(frozen=True)
class Effect:
    """What an adjuster, a part or an action can change.

    ``pattern`` is a quantity id or a prefix (``rx.*``, ``*`` for everything),
    narrowed by way, channel, band, mode, test point and the position of one control (``squelch automatic``) where given.
    """

    pattern: str
    way: Way = "either"
    channel: str | None = None
    band: str | None = None
    mode: str | None = None
    test_point: str | None = None
    panel: str | None = None

    def names(self, quantity_id: str) -> bool:
        """Does the pattern name that quantity?"""
        return self.pattern == quantity_id or (self.pattern.endswith("*") and quantity_id.startswith(self.pattern[:-1]))

    def covers(self, quantity_id: str, conditions: Conditions) -> bool:
        """Does a reading of that quantity under those conditions go stale when this is touched?"""
        return (
            self.names(quantity_id)
            and ("either" in (self.way, conditions.way) or self.way == conditions.way)
            and all(
                mine is None or its is None or mine == its
                for mine, its in (
                    (self.channel, conditions.channel), (self.band, conditions.band), (self.mode, conditions.mode),
                    (self.test_point, conditions.test_point),
                )
            )
            and self._on_panel(conditions)
        )  # fmt: skip

    def _on_panel(self, conditions: Conditions) -> bool:
        """Does the panel stand so, or say nothing of that control?"""
        if self.panel is None:
            return True
        control, _, position = self.panel.partition(" ")
        return dict(conditions.panel).get(control, position) == position

    @property
    def words(self) -> str:
        """As a person reads it: ``rx.* (receive, channel 3)``."""
        narrowed: list[str] = [self.way] if self.way != "either" else []
        narrowed += [f"channel {self.channel}"] if self.channel else []
        narrowed += [x for x in (self.band, self.mode, self.test_point, self.panel) if x]
        pattern = "everything" if self.pattern == "*" else self.pattern
        return pattern + (f" ({', '.join(narrowed)})" if narrowed else "")


@translated("where", "tool", "note")
@dataclass(frozen=True)
class Adjuster:
    """A core, trimmer or preset. ``step_mdeg`` is its smallest sensible move, ``travel_mdeg`` from stop to stop."""

    id: str
    kind: AdjusterKind
    where: str
    pin: tuple[float, float] | None
    tool: str
    travel_mdeg: int
    stops: bool
    step_mdeg: int
    affects: tuple[Effect, ...]
    stage: str = ""
    note: str = ""
    picture: str = ""
    #: What holds it where it stands: a lock nut, or wax.
    lock: Literal["", "nut", "wax"] = ""

    def can_change(self, quantity_id: str, conditions: Conditions) -> bool:
        """True where any of its reaches covers such a reading."""
        return any(r.covers(quantity_id, conditions) for r in self.affects)


@translated("what", "where")
@dataclass(frozen=True)
class Part:
    """A part that may be changed: what it is, where it sits, what it can reach."""

    id: str
    what: str
    where: str
    pin: tuple[float, float] | None
    affects: tuple[Effect, ...]
    stage: str = ""
    picture: str = ""
    kind: PartKind = ""
    value: str = ""


@translated("title")
@dataclass(frozen=True)
class Action:
    """Something done to the radio (recapped, another crystal) with what it can reach."""

    id: str
    title: str
    affects: tuple[Effect, ...]


@translated("title")
@dataclass(frozen=True)
class Picture:
    """A photograph or drawing of the board; ``crop`` is left, top, right, bottom (0 to 1) of what is shown."""

    id: str
    file: str
    title: str
    crop: tuple[float, float, float, float] = (0.0, 0.0, 1.0, 1.0)


@translated("title")
@dataclass(frozen=True)
class TestPoint:
    """A place to put the probe."""

    __test__ = False  # its name is the trade's; pytest must not collect it

    id: str
    title: str
    pin: tuple[float, float] | None = None
    picture: str = ""


@translated("at", "coupling")
@dataclass(frozen=True)
class Inject:
    """Where the generator goes when it does not feed the aerial socket; its frequency in Hz (None: the step's note says), or the
    ``terms`` that it is worked out from (``sheet.model.injection``); ``stage``: whose input that is, where a step says it."""

    at: str
    frequency_hz: float | None = None
    coupling: str = ""
    terms: tuple[tuple[int, str | float], ...] = ()
    stage: str = ""


@translated("at")
@dataclass(frozen=True)
class Signal:
    """What a scope or a counter should find at a point: ``terms`` of its frequency, or its two ends (Hz); peak volts, None where not told."""

    at: str
    terms: tuple[tuple[int, str | float], ...] = ()
    ends_hz: tuple[float, float] | None = None
    peak_v: float | None = None


@translated("title")
@dataclass(frozen=True)
class Stage:
    """A stage of the signal path, drawn in the path strip, and how it is traced.

    ``inject`` is at its input, ``expect_dbm`` the level in 50 Ω that gives standard output from there: the S-meter's mark or AF, by
    ``watch``. ``after`` names what it follows; a stage that ``shows`` a quantity is its meter. ``dc_v`` stands at the point of injection.
    ``modes``: those whose signal passes it, all where none is named. ``acts_on``: the stages that it holds down or shuts from the side
    (a gain control, a squelch).
    """

    id: str
    title: str
    way: Way
    after: tuple[str, ...] = ()
    inject: Inject | None = None
    expect_dbm: float | None = None
    watch: Watch = "af"
    shows: str = ""
    dc_v: float = 0.0
    signal: Signal | None = None
    modes: tuple[str, ...] = ()
    acts_on: tuple[str, ...] = ()

    def serves(self, mode: str | None) -> bool:
        """Does the signal pass it in that mode? In one that is not known, it may."""
        return not self.modes or mode is None or mode in self.modes


@dataclass(frozen=True)
class IfTransformer:
    """An IF transformer of two coupled circuits: its cores, centre (Hz), Q of each circuit, coupling in units of critical, and what a
    clockwise turn of a core moves its circuit by (Hz)."""

    adjusters: tuple[str, str]
    centre_hz: float
    q: float
    coupling: float
    per_turn_hz: float


@dataclass(frozen=True)
class DialBand:
    """A band that is tuned by a dial: its name, its two ends (Hz), the sheet's channels that lie in it, and the first IF (Hz) where no mixing line
    says where the oscillator runs."""

    name: str
    lowest_hz: float
    highest_hz: float
    channels: tuple[str, ...] = ()
    intermediate_hz: float | None = None


@dataclass(frozen=True)
class Pll:
    """A synthesiser that is programmed by its pins. ``output``: the mixing output whose N it makes; ``pins``: (name, weight), the heaviest
    first; ``driven``: those that the channel switch drives; ``open_reads``: what an open pin counts as (0 or 1). The programmed word is
    ``adds + counts·N``. It locks while the tuning voltage of the VCO (mixing output ``vco``) lies in ``window_v``; ``volts``: (Hz, V) as
    the maker tells them."""

    id: str
    output: str
    pins: tuple[tuple[str, int], ...]
    driven: tuple[str, ...]
    open_reads: int
    adds: int
    counts: int
    vco: str
    window_v: tuple[float, float]
    volts: tuple[tuple[float, float], ...] = ()

    @property
    def most(self) -> int:
        """The largest word that the pins can say."""
        return sum(weight for _, weight in self.pins)


@dataclass(frozen=True)
class Tracing:
    """The output that injected levels are told for (V at the loudspeaker), and how the front panel stands meanwhile."""

    output_v: float = 0.5
    panel: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True)
class Limit:
    """Limits in the canonical unit of the quantity; None where open."""

    low: float | None = None
    high: float | None = None
    nominal: float | None = None

    def holds(self, value: float) -> bool:
        """Inside, the edges included."""
        return (self.low is None or value >= self.low) and (self.high is None or value <= self.high)

    @property
    def middle(self) -> float:
        """Nominal, else the middle of both ends, else the one end there is. Raises ValueError without any."""
        if self.nominal is not None:
            return self.nominal
        ends = [e for e in (self.low, self.high) if e is not None]
        if not ends:
            raise ValueError("a limit without ends has no middle")
        return sum(ends) / len(ends)

    @property
    def half_width(self) -> float | None:
        """Half the distance between the ends; None where one is open."""
        return None if self.low is None or self.high is None else (self.high - self.low) / 2.0


def led_point(mark: str) -> str:
    """How conditions name the lamp of a meter that is watched."""
    return f"lamp {mark}"


@dataclass(frozen=True)
class Conditions:
    """What a reading's value depends on besides the radio."""

    way: Way = "either"
    channel: str | None = None
    test_point: str | None = None
    level_dbm: float | None = None
    tone_hz: float | None = None
    deviation_hz: float | None = None
    mic_mv: float | None = None
    panel: tuple[tuple[str, str], ...] = ()
    band: str | None = None
    mode: str | None = None
    depth_pct: float | None = None
    #: How far beside the channel the generator stands (Hz).
    offset_hz: float | None = None
    #: The stage whose input the generator feeds, where that is not the aerial socket.
    inject: str | None = None
    #: What is listened to where no generator feeds the radio: ``station``, one off the air.
    source: str | None = None

    def settles(self, required: Conditions) -> bool:
        """Does a reading under these conditions answer for ``required``? Levels agree within 0.05 dB."""
        if required.channel is not None and required.channel != self.channel:
            return False
        if required.band is not None and required.band != self.band:
            return False
        if required.mode is not None and required.mode != self.mode:
            return False
        if required.way != "either" and required.way != self.way:
            return False
        if not same_level(self.level_dbm, required.level_dbm):
            return False
        return (
            self.test_point == required.test_point
            and self.tone_hz == required.tone_hz
            and self.deviation_hz == required.deviation_hz
            and self.depth_pct == required.depth_pct
            and self.offset_hz == required.offset_hz
            and self.mic_mv == required.mic_mv
            and self.inject == required.inject
            and self.source == required.source
            and set(required.panel) <= set(self.panel)
        )

    @property
    def place(self) -> str:
        """Band, channel and mode as a short label: ``high · 20 · USB``; empty where none is named."""
        return " · ".join(x for x in (self.band, self.channel, self.mode) if x)


@lru_cache(maxsize=65_536)
def without(conditions: Conditions, *names: str) -> Conditions:
    """The conditions with some of them left open. The same ones come again and again on a log: each is made once."""
    return replace(conditions, **{n: () if n == "panel" else None for n in names})  # type: ignore[arg-type]


@dataclass(frozen=True)
class ReadWith:
    """What a step is read with, and where; either may be left out."""

    meter: str = ""
    at: str = ""


@translated("title", "source", "caution", "note")
@dataclass(frozen=True)
class Step:
    """One thing to measure and perhaps adjust. ``adjust`` holds groups: one id, or the two of a coupled pair."""

    id: str
    phase: Phase
    title: str
    quantity_id: str
    aim: Aim
    adjust: tuple[tuple[str, ...], ...]
    required: tuple[Conditions, ...]
    limit: Limit
    source: str
    hook_up: HookUp
    target: float | None = None
    set_channel: str | None = None
    stage: str = ""
    after: tuple[str, ...] = ()
    caution: tuple[str, ...] = ()
    note: str = ""
    role: Role = ""
    #: What is read while its adjusters are peaked, where that is not the step's own quantity (convention "reading").
    read_by: str = ""
    #: Modulated by a voice instead of tones (convention "modulation"): the highest reading of five seconds counts.
    spoken: bool = False
    #: The marks of a meter of LEDs, weakest first; its places are read at the test points of ``lamp_point``.
    leds: tuple[str, ...] = ()
    inject: Inject | None = None
    read: ReadWith | None = None
    #: The scan of the page that it comes from (a picture's id), and what of it cannot be read.
    picture: str = ""
    illegible: str = ""
    #: Steps that its adjusters pull: they are worked again until none moves any more.
    pulls: tuple[str, ...] = ()

    @property
    def hill_id(self) -> str:
        """The quantity by which its adjusters are peaked."""
        return self.read_by or self.quantity_id

    @property
    def hill_quantity(self) -> Quantity:
        """The same, as registered."""
        return quantity(self.hill_id)

    @property
    def hill_setting(self) -> Conditions:
        """Under which conditions it is peaked: the setting's place, with the tone off where quieting is read."""
        return replace(self.setting, tone_hz=None, deviation_hz=None) if self.read_by == QUIETING else self.setting

    @property
    def quantity(self) -> Quantity:
        """The registered quantity."""
        return quantity(self.quantity_id)

    @property
    def adjusters(self) -> tuple[str, ...]:
        """All adjuster ids of the step, in order."""
        return tuple(a for group in self.adjust for a in group)

    @property
    def setting(self) -> Conditions:
        """The conditions under which the adjuster is set: those of ``set_channel``, else the first."""
        for conditions in self.required:
            if self.set_channel is not None and conditions.channel == self.set_channel:
                return conditions
        return self.required[0]


@dataclass(frozen=True)
class Oscillator:
    """An oscillator of the radio: nominal Hz, the adjuster that trims it, and the test point where it is counted by itself.

    One that is tuned with the dial (a VFO, a vintage oscillator beside its IF) ``follows`` the carrier so many times, less or
    more by ``offset_hz``; ``nominal_hz`` is then where it stands at the middle of the dial.
    """

    id: str
    nominal_hz: float
    trim: str | None = None
    test_point: str | None = None
    follows: Fraction | None = None
    offset_hz: Fraction = Fraction(0)

    def at(self, carrier_hz: Fraction) -> Fraction:
        """Nominal Hz on a carrier, exact to the thousandth of a hertz."""
        if self.follows is None:
            return Fraction(self.nominal_hz).limit_denominator(1000)
        return self.follows * carrier_hz + self.offset_hz


@dataclass(frozen=True)
class Mixing:
    """An output as terms of oscillators, or of other outputs; coefficients may hold N, the divider of the channel.

    N = (carrier + offset) / raster; with ``from_plan`` the carrier there is the plan's own, whatever the band. ``band``,
    ``mode`` and ``channel`` narrow where it applies; None is any.
    """

    output: str
    way: Way
    terms: tuple[tuple[str, str], ...]
    offset_hz: int
    raster_hz: Fraction
    band: str | None = None
    mode: str | None = None
    channel: str | None = None
    from_plan: bool = False

    def applies(self, way: Way, band: str | None, mode: str | None, channel: str | None) -> bool:
        """Does the line speak of this place?"""
        narrowed = ((self.band, band), (self.mode, mode), (self.channel, channel))
        return self.way in ("either", way) and all(mine is None or mine == its for mine, its in narrowed)


@translated("title", "where")
@dataclass(frozen=True)
class Voltage:
    """A row of the voltage table: what should stand at a point, and how it is fed.

    ``values`` are all that the sheet says of it (V; two where it contradicts
    itself, none where nobody knows what should stand there), ``low`` and ``high`` the ends that they leave. ``fed_from`` is the row
    that it is fed from, through ``series_ohm`` (None where not known) at ``usual_a``
    (A, 0 where not known); ``source_ohm`` is what the point looks like to a meter.
    A reading of the row is one of ``quantity_id`` under ``conditions``.
    """

    id: str
    title: str
    where: str
    values: tuple[float, ...]
    low: float
    high: float
    quantity_id: str
    conditions: Conditions
    fed_from: str = ""
    series_ohm: float | None = None
    usual_a: float = 0.0
    source_ohm: float = 0.0
    stage: str = ""
    #: The device and its pin, which electrode that is, the parts that feed it (the nearest to the supply first), and those beside it.
    device: str = ""
    pin: str = ""
    electrode: Electrode = ""
    through: tuple[str, ...] = ()
    beside: tuple[str, ...] = ()

    @property
    def nominal(self) -> float:
        """The middle of what the sheet says; zero where it says nothing (see ``is_known``)."""
        return sum(self.values) / len(self.values) if self.values else 0.0

    @property
    def is_known(self) -> bool:
        """Does the sheet say what should stand there?"""
        return bool(self.values)


@dataclass(frozen=True)
class Supply:
    """How the radio is fed (V, A; None where the sheet does not say).

    ``meter_ohm_per_v`` is the meter that the voltage table was made with; 0 where it
    is taken not to load anything.
    """

    rest_a: float | None = None
    keyed_a: float | None = None
    limit_a: float | None = None
    usual_path: str = "bench supply"
    meter_ohm_per_v: float = 0.0
    volts: float | None = None


@dataclass(frozen=True)
class Final:
    """The transmit device and its ratings: heat (W, None where not said), and the most of each quantity that it bears."""

    device: str = ""
    dissipation_w: float | None = None
    most: tuple[tuple[str, float], ...] = ()

    def rating(self, quantity_id: str) -> float | None:
        """The most that it bears of a quantity, canonical unit; None where the sheet does not say."""
        return dict(self.most).get(quantity_id)


@dataclass(frozen=True)
class Rule:
    """The regulation that the sheet names, and its ceilings by quantity (canonical units)."""

    name: str = ""
    most: tuple[tuple[str, float], ...] = ()

    def ceiling(self, quantity_id: str) -> float | None:
        """What may be radiated at most; None where the rule says nothing of it."""
        return dict(self.most).get(quantity_id)


@translated("title", "how", "group")
@dataclass(frozen=True)
class Look:
    """Something to look at before anything is turned: what, how, and on which adjusters or parts."""

    id: str
    title: str
    how: str = ""
    on: tuple[str, ...] = ()
    group: str = ""


@translated("sign", "cause", "cure")
@dataclass(frozen=True)
class KnownFault:
    """A fault that radios of this kind are known for: its sign, its cause, its cure, and where it sits."""

    sign: str
    cause: str
    cure: str = ""
    part: str = ""
    stage: str = ""


@translated("does")
@dataclass(frozen=True)
class Control:
    """A knob or switch of the front panel: its positions, and in plain words what it does."""

    id: str
    positions: str
    does: str = ""


@translated("cautions")
@dataclass(frozen=True)
class Sheet:
    """A whole sheet. ``source_text`` is the file it came from, kept so that a job carries its own copy."""

    id: str
    maker: str
    name: str
    kind: str
    supply: str
    plan: ChannelPlan
    oscillators: tuple[Oscillator, ...]
    mixing: tuple[Mixing, ...]
    controls: tuple[Control, ...]
    conventions: tuple[tuple[str, str], ...]
    adjusters: tuple[Adjuster, ...]
    test_points: tuple[TestPoint, ...]
    stages: tuple[Stage, ...]
    steps: tuple[Step, ...]
    pictures: tuple[Picture, ...]
    cautions: tuple[str, ...]
    parts: tuple[Part, ...] = ()
    actions: tuple[Action, ...] = ()
    voltages: tuple[Voltage, ...] = ()
    power: Supply = Supply()
    final: Final = Final()
    rule: Rule = Rule()
    looks: tuple[Look, ...] = ()
    known_faults: tuple[KnownFault, ...] = ()
    family: str = ""
    aliases: tuple[str, ...] = ()
    tracing: Tracing = Tracing()
    transformers: tuple[IfTransformer, ...] = ()
    dials: tuple[DialBand, ...] = ()
    plls: tuple[Pll, ...] = ()
    source_text: str = field(repr=False, default="")

    @property
    def title(self) -> str:
        """Maker and model."""
        return f"{self.maker} {self.name}"

    @cached_property
    def _steps_by_id(self) -> dict[str, Step]:
        return {s.id: s for s in self.steps}

    @cached_property
    def _adjusters_by_id(self) -> dict[str, Adjuster]:
        return {a.id: a for a in self.adjusters}

    @cached_property
    def requirements(self) -> dict[str, tuple[tuple[Step, int, Conditions], ...]]:
        """By quantity id: every (step, index, conditions) that a reading of it may answer for."""
        found: dict[str, list[tuple[Step, int, Conditions]]] = {}
        for step in self.steps:
            found.setdefault(step.quantity_id, []).extend((step, i, c) for i, c in enumerate(step.required))
        return {k: tuple(v) for k, v in found.items()}

    @cached_property
    def worked_out(self) -> dict[object, object]:
        """What was worked out of this sheet and never changes, kept with it; the keys are those who worked it out."""
        return {}

    def has_step(self, identifier: str) -> bool:
        """Has the sheet a step of that id?"""
        return identifier in self._steps_by_id

    def step(self, identifier: str) -> Step:
        """Raises KeyError for an unknown id."""
        return self._steps_by_id[identifier]

    def adjuster(self, identifier: str) -> Adjuster:
        """Raises KeyError for an unknown id."""
        return self._adjusters_by_id[identifier]

    def carrier_hz(self, channel: str | None, band: str | None = None) -> int:
        """Carrier of a channel; the middle of the plan where none is named. Raises UnitoneError."""
        plain = self.plan.frequency(channel) if channel else self.plan.hz[len(self.plan.hz) // 2]
        return plain + self.plan.shift(band)

    def dialled(self, channel: str | None) -> bool:
        """Is this place set on a dial, which is never right to a few kilohertz, and not by a channel switch?"""
        return any(channel in d.channels for d in self.dials) or any(o.follows for o in self.oscillators)

    def convention(self, question: str, default: str) -> str:
        """The sheet's choice in a question of conventions."""
        return dict(self.conventions).get(question, default)
