"""The sheet as it is written (format ``unitone-sheet/1``): shapes and words only, checked by Pydantic.

Quantities are text with units here; ``unitone.sheet.format.read`` parses them.
"""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator

from unitone.sheet.model.sheet import Electrode, PartKind, Watch

Identifier = str


class _Strict(BaseModel):
    model_config = ConfigDict(allow_inf_nan=False, extra="forbid", frozen=True, strict=True)


class ModelPart(_Strict):
    """[model]: what radio this is."""

    maker: str
    name: str
    kind: str
    supply: str = ""
    board: str = ""
    family: Literal["mobile", "handheld", "base", "valve", "portable", ""] = ""
    aliases: list[str] = []
    caution: list[str] = []


class BlockPart(_Strict):
    """[channels.block]: channels in equal steps."""

    first: str
    step: str = "10 kHz"
    count: int = Field(default=40, ge=1, le=1000)


class ChannelsPart(_Strict):
    """[channels]: the plan, a block or frequencies; ``positions`` adds alpha places and shifts such as -5 kHz."""

    plan: str = ""
    block: BlockPart | None = None
    frequencies: dict[str, str] = {}
    bands: dict[str, str] = {}
    positions: list[str] = []


class PicturePart(_Strict):
    """[[picture]]: a photograph or drawing of the board that travels with the sheet."""

    id: str
    file: str
    title: str = ""
    crop: list[float] | None = None

    @field_validator("crop")
    @classmethod
    def _a_rectangle(cls, crop: list[float] | None) -> list[float] | None:
        if crop is not None and not (len(crop) == 4 and 0 <= crop[0] < crop[2] <= 1 and 0 <= crop[1] < crop[3] <= 1):
            raise ValueError("a crop is four numbers between 0 and 1: [left, top, right, bottom]")
        return crop


class OscillatorPart(_Strict):
    """[[oscillator]]"""

    id: str
    nominal: str
    trim: str | None = None
    test_point: str | None = None
    follows: str | None = None
    offset: str = "0 Hz"


class WhenPart(_Strict):
    """When a mixing line applies."""

    way: Literal["receive", "transmit", "either"] = "either"
    band: str | None = None
    mode: str | None = None
    channel: str | None = None


class MixingPart(_Strict):
    """[[mixing]]: output = sum of terms; N = (carrier + offset) / raster, from the carrier or from the plan without its band."""

    when: WhenPart = WhenPart()
    output: str
    terms: dict[str, str]
    offset: str = "0 Hz"
    raster: str = "10 kHz"
    n_from: Literal["carrier", "plan"] = "carrier"


class ControlPart(_Strict):
    """[[control]]: a knob or switch and its positions."""

    id: str
    positions: str
    does: str = ""


class SupplyPart(_Strict):
    """[supply]: how the radio is fed, and the meter that the voltage table was made with."""

    path: Literal["bench supply", "battery", "lamp limiter", "mains"] = "bench supply"
    volts: str | None = None
    rest: str | None = None
    keyed: str | None = None
    limit: str | None = None
    meter: str | None = None


class FinalPart(_Strict):
    """[final]: the transmit device and what it may bear: ``most`` by quantity, such as tx.bias_current."""

    device: str = ""
    dissipation: str | None = None
    most: dict[str, str] = {}


class CeilingPart(_Strict):
    """[ceiling]: what the named rule allows of what is radiated, by quantity; no step's limit goes over it."""

    rule: str = ""
    most: dict[str, str] = {}


class VoltagePart(_Strict):
    """[[voltage]]: what should stand at a point; two values where the sheet contradicts itself, none where nobody knows."""

    id: str
    title: str = ""
    where: str = ""
    volts: str | list[str] = []
    tolerance: str = "5 %"
    way: Literal["receive", "transmit", "either"] = "either"
    mode: str | None = None
    fed_from: str = ""
    series: str | None = None
    current: str | None = None
    source: str | None = None
    step: str = ""
    stage: str = ""
    device: str = ""
    pin: str = ""
    electrode: Electrode = ""
    through: list[str] = []
    beside: list[str] = []


class InspectPart(_Strict):
    """[[inspect]]: something to look at in this radio, besides what its kind asks for."""

    id: str
    title: str
    how: str = ""
    on: list[str] = []


class KnownFaultPart(_Strict):
    """[[known_fault]]: what radios of this sheet are known for."""

    sign: str
    cause: str
    cure: str = ""
    part: str = ""
    stage: str = ""


class EffectPart(_Strict):
    """A reach written as a table."""

    quantity: str
    way: Literal["receive", "transmit", "either"] = "either"
    channel: str | None = None
    band: str | None = None
    mode: str | None = None
    test_point: str | None = None
    panel: str | None = None


def _on_the_picture(pin: list[float] | None) -> list[float] | None:
    if pin is not None and (len(pin) != 2 or not all(0.0 <= v <= 1.0 for v in pin)):
        raise ValueError("a pin is two numbers between 0 and 1, on the picture: [across, down]")
    return pin


class AdjusterPart(_Strict):
    """[[adjuster]]"""

    id: str
    kind: Literal["core", "trimmer", "preset", "link", "part"]
    where: str = ""
    pin: list[float] | None = None
    tool: str = ""
    turns: float | None = None
    degrees: float | None = None
    stops: bool | None = None
    step: float | None = None
    affects: list[str | EffectPart] = []
    stage: str = ""
    note: str = ""
    picture: str = ""
    lock: Literal["", "nut", "wax"] = ""

    _pin = field_validator("pin")(_on_the_picture)


class PartPart(_Strict):
    """[[part]]: a part that may be changed, and what that reaches."""

    id: str
    what: str = ""
    where: str = ""
    pin: list[float] | None = None
    stage: str = ""
    affects: list[str | EffectPart] = []
    picture: str = ""
    kind: PartKind = ""
    value: str = ""

    _pin = field_validator("pin")(_on_the_picture)


class ActionPart(_Strict):
    """[[action]]: something done to the radio, and what that reaches."""

    id: str
    title: str
    affects: list[str | EffectPart] = []


class TestPointPart(_Strict):
    """[[test_point]]"""

    __test__ = False

    id: str
    title: str = ""
    pin: list[float] | None = None
    picture: str = ""

    _pin = field_validator("pin")(_on_the_picture)


class InjectPart(_Strict):
    """Where the generator goes when it does not feed the aerial socket: the point, its frequency there, how it is coupled, and the stage
    whose input that is (a simulated radio is fed there)."""

    at: str = Field(min_length=1)
    frequency: str | None = None
    coupling: str = ""
    stage: str = ""


class StageInjectPart(InjectPart):
    """The same at the input of a stage, with the level expected there for standard output."""

    level: str = Field(min_length=1)


class SignalPart(_Strict):
    """What a scope or a counter should find at a point of a stage: frequency (a sum of terms, or its two ends), and peak level."""

    at: str = Field(min_length=1)
    frequency: str | list[str] | None = None
    level: str | None = None


class StagePart(_Strict):
    """[[stage]]: the signal path, and how it is traced; ``modes``: those whose signal passes it, all where none is named; ``acts_on``: the
    stages that it holds down or shuts from the side (a gain control, a squelch)."""

    id: str
    title: str
    way: Literal["receive", "transmit"]
    modes: list[str] = []
    after: list[str] = []
    inject: StageInjectPart | None = None
    watch: Watch = "af"
    shows: Literal["", "rx.s_meter"] = ""
    acts_on: list[str] = []
    dc: str | None = None
    signal: SignalPart | None = None


class TransformerPart(_Strict):
    """[[transformer]]: an IF transformer of two coupled circuits: its cores, its frequency, Q of each circuit in its place, their coupling in
    units of critical, and by how much a clockwise turn of a core moves its circuit."""

    adjusters: list[str] = Field(min_length=2, max_length=2)
    frequency: str
    q: float = Field(gt=1, le=1000)
    coupling: float = Field(default=1.0, gt=0, le=10)
    per_turn: str


class DialPart(_Strict):
    """[[dial]]: a band that is tuned by a dial: its name, what it covers, the channels of the sheet that lie in it, and the first IF where no
    mixing line says where the oscillator runs (above the signal)."""

    band: str = Field(min_length=1)
    lowest: str
    highest: str
    intermediate: str | None = None
    channels: list[str] = []


class PllPart(_Strict):
    """[[pll]]: a synthesiser that is programmed by its pins: the mixing output whose N it makes, its pins with their weights, which of
    them the channel switch drives (all where none is named), what an open pin reads, the programmed word (``adds`` + ``counts``·N), the
    mixing output that its VCO runs at, the window of tuning voltage in which it locks, and that voltage at some frequencies of the VCO."""

    id: str = Field(min_length=1)
    output: str
    pins: dict[str, int] = Field(min_length=1, max_length=24)
    driven: list[str] = []
    pull: Literal["up", "down"] = "down"
    adds: int = 0
    counts: Literal[1, -1] = 1
    vco: str
    window: str = "1 V … 6 V"
    volts: dict[str, str] = {}


class TracingPart(_Strict):
    """[tracing]: the standard output that injected levels are told for, and how the front panel stands meanwhile."""

    output: str = "0.5 V"
    panel: str = "volume 30 %"


class StimulusPart(_Strict):
    """What the generator, or the microphone input, is given."""

    level: str | None = None
    tone: str | None = None
    deviation: str | None = None
    depth: str | None = None
    microphone: str | None = None


class ReadPart(_Strict):
    """What is read with which meter, and where."""

    meter: str = Field(default="", alias="with")
    at: str = ""


class LimitPart(_Strict):
    """Ends, or nominal with a tolerance (absolute, %, ppm or dB)."""

    min: str | None = None
    max: str | None = None
    nominal: str | None = None
    tolerance: str | None = None


class StepPart(_Strict):
    """[[step]]"""

    id: str
    phase: Literal["inspection", "rails", "synthesiser", "transmit", "receive", "settings", "verify"]
    title: str
    quantity: str
    aim: Literal["peak", "null", "set", "level", "check"]
    adjust: list[str | list[str]] = []
    channels: list[str] = []
    bands: list[str] = []
    modes: list[str] = []
    test_point: str | None = None
    stimulus: StimulusPart = StimulusPart()
    #: The scan of the page that the step comes from, and what of it cannot be read.
    picture: str = ""
    illegible: str = ""
    inject: InjectPart | None = None
    read: ReadPart | None = None
    #: Steps that this one's adjusters pull: they are worked again until none moves any more.
    pulls: list[str] = []
    limit: str | LimitPart
    target: str | None = None
    set_channel: str | None = None
    source: str = "sheet"
    hook_up: Literal["probe", "receive", "transmit"]
    way: Literal["receive", "transmit", "either"] | None = None
    panel: str | dict[str, str] = {}
    #: The marks of a meter of LEDs, weakest first; the one of S9 is set.
    leds: list[str] = []
    stage: str = ""
    role: Literal["detector", "detector-coarse", "front-end", "if", ""] = ""
    after: list[str] = []
    caution: list[str] = []
    note: str = ""


class SheetFile(_Strict):
    """A whole sheet file."""

    format: Literal["unitone-sheet/1"]
    model: ModelPart
    channels: ChannelsPart
    oscillator: list[OscillatorPart] = []
    mixing: list[MixingPart] = []
    control: list[ControlPart] = []
    supply: SupplyPart = SupplyPart()
    final: FinalPart = FinalPart()
    ceiling: CeilingPart = CeilingPart()
    voltage: list[VoltagePart] = []
    inspect: list[InspectPart] = []
    known_fault: list[KnownFaultPart] = []
    conventions: dict[str, str] = {}
    picture: list[PicturePart] = []
    adjuster: list[AdjusterPart] = []
    part: list[PartPart] = []
    action: list[ActionPart] = []
    test_point: list[TestPointPart] = []
    stage: list[StagePart] = []
    tracing: TracingPart = TracingPart()
    transformer: list[TransformerPart] = []
    dial: list[DialPart] = []
    pll: list[PllPart] = []
    step: list[StepPart] = Field(min_length=1)
