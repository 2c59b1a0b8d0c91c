"""Eyes on the board: what is heard instead of seen. The pitch of a reading, and the coach's line as it is spoken."""

from __future__ import annotations

import math
import re

from unitone.align.hill_readings import is_null
from unitone.job.state import JobState
from unitone.quantities.registry import quantity
from unitone.sheet.model.sheet import Step
from unitone.words import tr

#: Where the pitch begins, a semitone for each decibel from there, and the ends that it nears but never passes (Hz).
REFERENCE_HZ, LOWEST_HZ, HIGHEST_HZ = 440.0, 110.0, 3520.0
_OCTAVE = 12.0
#: A setting's half width is heard as so many semitones.
_HALF_WIDTH = 7.0


def height(step: Step, quantity_id: str, value: float | None, level_dbm: float | None) -> float | None:
    """How well the step stands by a reading, in decibels of signal whatever level is dialled; None where nothing can be said.

    ``value`` in the canonical unit of ``quantity_id``, ``level_dbm`` the generator's level at the set. A reading that is peaked
    rises with it, one that is nulled falls; one that is set is heard by how far over its target it stands.
    """
    if value is None or not math.isfinite(value):
        return None
    q = quantity(quantity_id)
    if step.aim in ("peak", "level", "null") and q.hill_slope:
        db = value
        if q.kind in ("watts", "volts", "amps", "percent"):
            if value <= 0.0:
                return None
            db = (10.0 if q.kind == "watts" else 20.0) * math.log10(value)
        signal = db / q.hill_slope
        if is_null(step):
            return -signal
        by_level = level_dbm if step.hook_up == "receive" and level_dbm is not None else 0.0
        return float(signal - by_level)
    half = step.limit.half_width
    if quantity_id != step.quantity_id or not half:
        return None
    target = step.target if step.target is not None else step.limit.middle
    return _HALF_WIDTH * (value - target) / half


def pitch_hz(db: float, reference_db: float) -> float:
    """The tone for a height of ``db`` where ``reference_db`` is 440 Hz: a semitone a decibel near it, and never beyond hearing.

    Far away the semitones crowd, so that it goes on rising without an end being reached.
    """
    octaves = (db - reference_db) / _OCTAVE
    room = math.log2(HIGHEST_HZ / REFERENCE_HZ) if octaves > 0 else math.log2(REFERENCE_HZ / LOWEST_HZ)
    return float(REFERENCE_HZ * 2.0 ** (room * math.tanh(octaves / room)))


def reference_of(state: JobState, step: Step, quantity_id: str) -> float | None:
    """The height that sounds as 440 Hz at this step: its last logged reading before its adjusters were first turned in this visit,
    or its target. None before anything was read: then the first that is heard."""
    if step.aim not in ("peak", "level", "null"):
        return 0.0
    first = next(iter(state.read_of(quantity_id, state.at_seq)), None)
    if first is None:
        return None
    return height(step, quantity_id, first.reading.value, first.reading.conditions.level_dbm)


_SPOKEN: tuple[tuple[str, str], ...] = (
    (r"\((\d+):00 → (\d+:\d\d)\)", r", from \1 o'clock to \2"), (r"\((\d+:\d\d) → (\d+:\d\d)\)", r", from \1 to \2"),
    (r"(\d+)\s+(\d+)/16", r"\1 and \2 sixteenths"), (r"\b1/16", "a sixteenth"), (r"\b(\d+)/16", r"\1 sixteenths"),
    (r"(\d)⅛", r"\1 and an eighth"), (r"(\d)¼", r"\1 and a quarter"), (r"(\d)⅜", r"\1 and three eighths"), (r"(\d)½", r"\1 and a half"),
    (r"(\d)⅝", r"\1 and five eighths"), (r"(\d)¾", r"\1 and three quarters"), (r"(\d)⅞", r"\1 and seven eighths"),
    ("⅛", "an eighth"), ("¼", "a quarter"), ("⅜", "three eighths"), ("½", "a half"), ("⅝", "five eighths"), ("¾", "three quarters"),
    ("⅞", "seven eighths"), ("°", " degrees"), (r"\bµV\b", "microvolts"), (r"\bmV\b", "millivolts"), (r"\bdBm\b", "d B m"),
    (r"\bdBc\b", "decibels under the carrier"), (r"\bdB\b", "decibels"), (r"\bkHz\b", "kilohertz"), (r"\bMHz\b", "megahertz"),
    (r"\bHz\b", "hertz"), (r"\bmA\b", "milliamperes"), (r"\bW\b", "watts"), (r"\bV\b", "volts"), ("−", "minus "), ("±", "plus or minus "),
    ("≥", "at least "), ("≤", "at most "), ("%", " per cent"), ("·", ", "), (r"\(S\+N\)/N", "signal to noise"), (r"\s+", " "),
)  # fmt: skip


def spoken(line: str) -> str:
    """The coach's line with its fractions, units and signs as they are said."""
    for pattern, said in _SPOKEN:
        line = re.sub(pattern, tr(said), line)
    # An adjuster's name is said letter by letter, or it is heard as a word.
    return re.sub(r"\b([A-Z]{1,3})(\d+)\b", r"\1 \2", line).strip()
