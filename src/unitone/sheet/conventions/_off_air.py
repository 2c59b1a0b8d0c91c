"""A procedure without a generator: receivers are fed by stations off the air, circuits peaked by ear, dials set by stations that are known."""

from __future__ import annotations

from dataclasses import replace

from unitone.quantities.registry import FOUND_BY, HEARD
from unitone.sheet.model.sheet import Conditions, Limit, Step
from unitone.words import N_, in_language

_LISTEN = N_(
    "A weak, steady station near that place of the dial. Louder as you turn: a weaker one, or a shorter aerial, so that the AVC sleeps."
)
_DANGER = N_("High voltage on chassis and top caps: one hand, and nothing but the trimming tool near it.")
_KNOWN = N_("A station whose frequency you know: how far from it the pointer stands where it is loudest.")


def off_air(steps: tuple[Step, ...]) -> tuple[tuple[Step, ...], frozenset[str]]:
    """The steps as they are done by stations, and the ids of those that need a generator and are left out."""
    made = [(s, _by_station(s)) for s in steps]
    return tuple(m for _, m in made if m is not None), frozenset(s.id for s, m in made if m is None)


def _by_station(step: Step) -> Step | None:
    if step.hook_up != "receive" or any(c.deviation_hz for c in step.required):
        # A limiter holds FM as loud however weak the station is: its steps stay as they are.
        return step
    if step.quantity_id == "rx.frequency_error":
        return _noted(replace(step, required=tuple(map(_fed, step.required))), _KNOWN)
    if step.aim == "peak":
        heard = replace(
            step,
            quantity_id=HEARD,
            read_by="",
            limit=Limit(),
            target=None,
            inject=None,
            read=None,
            required=(_fed(step.setting),),
        )
        return _noted(heard, _LISTEN)
    needs_one = step.quantity_id in FOUND_BY or any(c.level_dbm is not None for c in step.required)
    return None if needs_one else step


def _fed(at: Conditions) -> Conditions:
    return replace(at, level_dbm=None, tone_hz=None, depth_pct=None, offset_hz=None, inject=None, source="station")


def _noted(step: Step, words: str) -> Step:
    """What the sheet says of a generator, its level and its lead does not hold: the danger does."""
    caution = (_DANGER,) if step.caution else ()
    with in_language("en"):
        return replace(step, note=words, caution=caution)
