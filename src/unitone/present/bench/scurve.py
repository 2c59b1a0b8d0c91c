"""The detector's S-curve by ear: distortion against the generator's place beside the channel. Its cleanest place is the curve's middle."""

from __future__ import annotations

from unitone.align.beside_channel import read_so_far
from unitone.align.null.scurve import CENTRED_HZ, is_chart, middle_hz, next_conditions
from unitone.job.state import JobState
from unitone.present.bench.bench_shapes import HillView
from unitone.quantities.show import number
from unitone.sheet.model.sheet import Step
from unitone.words import tr


def next_words(state: JobState, step: Step) -> str:
    """The next place as the button says it."""
    wanted = next_conditions(state, step)
    return (
        ""
        if wanted is None
        else tr("generator {khz} kHz off", khz=number((wanted.offset_hz or 0.0) / 1e3, 1, sign=True))
    )


def curve(state: JobState, step: Step) -> HillView | None:
    """Distortion against the generator's place, kHz; None before three places are read."""
    points = tuple((x / 1e3, y) for x, y in sorted(read_so_far(state, step).items()))
    if len(points) < 3:
        return None
    middle = middle_hz(read_so_far(state, step))
    words = tr("Distortion against the generator's place beside the channel")
    here = (state.set_up.offset_hz or 0.0) / 1e3
    peak = None if middle is None else middle / 1e3
    text = "" if middle is None else tr("middle {khz} kHz", khz=number(middle / 1e3, 1, sign=True))
    return HillView(points, (), (), (), (), peak, text, here, words, "kHz", "%", None)


def words(state: JobState, step: Step) -> str:
    """Is the S-curve centred, and if not how far it is off."""
    if not is_chart(step):
        return ""
    middle = middle_hz(read_so_far(state, step))
    if middle is None:
        return ""
    if abs(middle) < CENTRED_HZ:
        return tr("S-curve centred: {hz} Hz from the channel.", hz=number(abs(middle), 0))
    side = tr("above") if middle > 0 else tr("below")
    return tr(
        "The S-curve's middle is {khz} kHz {side} the channel. Go on with {adjuster}.",
        khz=number(abs(middle) / 1e3, 1), side=side, adjuster=step.adjusters[0] if step.adjusters else tr("the detector"),
    )  # fmt: skip
