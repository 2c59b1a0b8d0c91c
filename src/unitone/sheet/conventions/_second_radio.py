"""Carriers set without a counter: the set on a dummy load, a second radio some metres away, in both sidebands."""

from __future__ import annotations

from dataclasses import replace

from unitone.sheet.model.sheet import Conditions, Limit, Sheet, Step
from unitone.words import N_, in_language

_COUNTED = ("ref.frequency", "osc.frequency", "rx.lo_error")
#: How near a carrier can be brought (Hz): by ear at a clarifier, and by the sound card.
_NEAR_HZ = {"clarifier": 50.0, "voice": 15.0}
_WORDS = {
    "clarifier": N_(
        "Set on the dummy load, second radio in the next room. Read a sentence; turn the other one’s clarifier until it is natural."
    ),
    "voice": N_(
        "Set on the dummy load, second radio in the next room, its sound in the sound card. Read a sentence aloud, five seconds."
    ),
}


def second_radio(sheet: Sheet, steps: tuple[Step, ...], source: str) -> tuple[tuple[Step, ...], frozenset[str]]:
    """The steps as a second radio tells them, and the ids of those that need a counter and are left out.

    What counts a carrier is heard in both sidebands instead; an oscillator that is counted by itself is heard on the air at the middle
    of the first band, in the sideband that it makes. Sheets without single sideband stay as they are.
    """
    modes = tuple(dict.fromkeys(m.mode for m in sheet.mixing if (m.mode or "").lower() in ("usb", "lsb") and m.mode))
    if not modes:
        return steps, frozenset()
    made, left_out = [], []
    for step in steps:
        if (
            step.quantity_id == "tx.frequency_error"
            and not step.adjust
            and not any(c.mode in modes for c in step.required)
        ):
            # A chart of AM is the same bands once more.
            left_out.append(step.id)
        elif step.quantity_id == "tx.frequency_error":
            made.append(_heard(step, _places(step, modes, source), source))
        elif step.quantity_id in _COUNTED:
            own = tuple(c.mode for c in step.required if c.mode in modes)
            if own and step.adjust and step.quantity_id == "osc.frequency":
                at = Conditions("transmit", _middle(sheet), band=_band(sheet), mode=own[0], source=source)
                made.append(_heard(step, (at,), source))
            else:
                left_out.append(step.id)
        else:
            made.append(step)
    return tuple(made), frozenset(left_out)


def _places(step: Step, modes: tuple[str, ...], source: str) -> tuple[Conditions, ...]:
    """Each band of a step once, at its middle channel, in both sidebands: channels of a band hang on the same crystals."""
    found: dict[str | None, list[Conditions]] = {}
    for c in step.required:
        found.setdefault(c.band, []).append(c)
    return tuple(
        Conditions("transmit", of[len(of) // 2].channel, band=band, mode=mode, panel=of[0].panel, source=source)
        for band, of in found.items()
        for mode in modes
    )


def _heard(step: Step, places: tuple[Conditions, ...], source: str) -> Step:
    near = _NEAR_HZ[source]
    with in_language("en"):
        return replace(
            step, quantity_id="tx.frequency_error", hook_up="transmit", required=places, limit=Limit(-near, near), target=None,
            set_channel=None, note=_WORDS[source],
        )  # fmt: skip


def _middle(sheet: Sheet) -> str:
    return sheet.plan.names[len(sheet.plan.names) // 2]


def _band(sheet: Sheet) -> str | None:
    bands = [name for name, _ in sheet.plan.bands]
    return bands[len(bands) // 2] if bands else None
