"""The sheet as it is written (format ``unitone-sheet/1``): shapes and words only, checked by Pydantic.

Quantities are text with units here; ``unitone.sheet.read`` parses them.
"""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator

Identifier = str


class _Strict(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True, strict=True)


class ModelPart(_Strict):
    """[model]: what radio this is."""

    maker: str
    name: str
    kind: str
    supply: str = ""
    board: str = ""
    caution: list[str] = []


class ChannelsPart(_Strict):
    """[channels]: the plan."""

    plan: str


class OscillatorPart(_Strict):
    """[[oscillator]]"""

    id: str
    nominal: str
    trim: str | None = None


class WhenPart(_Strict):
    """When a mixing line applies."""

    way: Literal["receive", "send", "either"] = "either"


class MixingPart(_Strict):
    """[[mixing]]: output = sum of terms; N = (carrier + offset) / raster."""

    when: WhenPart = WhenPart()
    output: str
    terms: dict[str, str]
    offset: str = "0 Hz"
    raster: str = "10 kHz"


class ControlPart(_Strict):
    """[[control]]: a knob or switch and its positions."""

    id: str
    positions: str


class ReachPart(_Strict):
    """A reach written as a table."""

    quantity: str
    way: Literal["receive", "send", "either"] = "either"
    channel: str | None = None


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
    reaches: list[str | ReachPart] = []
    stage: str = ""
    note: str = ""

    @field_validator("pin")
    @classmethod
    def _on_the_picture(cls, pin: list[float] | None) -> list[float] | None:
        if pin is not None and (len(pin) != 2 or not all(0.0 <= v <= 1.0 for v in pin)):
            raise ValueError("a pin is two numbers between 0 and 1: [across, down]")
        return pin


class TestPointPart(_Strict):
    """[[test_point]]"""

    __test__ = False

    id: str
    title: str = ""
    pin: list[float] | None = None


class StagePart(_Strict):
    """[[stage]]: the signal path."""

    id: str
    title: str
    way: Literal["receive", "send"]


class StimulusPart(_Strict):
    """What the generator, or the microphone input, is given."""

    level: str | None = None
    tone: str | None = None
    deviation: str | None = None
    microphone: str | None = None


class LimitPart(_Strict):
    """Ends, or nominal with a tolerance (absolute, %, ppm or dB)."""

    min: str | None = None
    max: str | None = None
    nominal: str | None = None
    tolerance: str | None = None


class StepPart(_Strict):
    """[[step]]"""

    id: str
    phase: Literal["rails", "synthesiser", "send", "receive", "settings"]
    title: str
    quantity: str
    aim: Literal["peak", "null", "set", "check"]
    adjust: list[str | list[str]] = []
    channels: list[str] = []
    test_point: str | None = None
    stimulus: StimulusPart = StimulusPart()
    limit: LimitPart
    target: str | None = None
    set_channel: str | None = None
    source: str = "sheet"
    hook_up: Literal["probe", "receive", "send"]
    way: Literal["receive", "send", "either"] | None = None
    panel: dict[str, str] = {}
    stage: str = ""
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
    schools: dict[str, str] = {}
    adjuster: list[AdjusterPart] = []
    test_point: list[TestPointPart] = []
    stage: list[StagePart] = []
    step: list[StepPart] = Field(min_length=1)
