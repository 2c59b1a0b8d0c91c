"""Leaving the shop: what is looked at, set and told once before a radio goes home, and what was found."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from unitone.sheet.model.front_panel import control_words
from unitone.words import N_, tr

if TYPE_CHECKING:
    from unitone.job.state import JobState


@dataclass(frozen=True)
class Leaving:
    """An item as it was looked at last: as it should be or not, in whose words, with photographs (name, hash)."""

    entry_id: str
    item: str
    fine: bool
    words: str
    pictures: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True)
class LeavingItem:
    """What to look at: its key, its name, how, and what was found (None: not looked at)."""

    key: str
    title: str
    how: str
    found: Leaving | None


#: Common practice, no source: (key, name, how, control that the radio has to have; empty for every radio).
_ITEMS = (
    ("clarifier range", N_("Clarifier range"), N_("How far down and up, and where the middle stands"), ("clarifier", "fine tuning")),
    ("noise blanker", N_("Noise blanker"), N_("Heard on and off, beside something that crackles"), ("noise blanker", "blanker")),
    ("squelch tail", N_("Squelch tail"), N_("Heard at the end of a carrier, just closed and fully closed"), ("squelch",)),
    ("menu", N_("Menu settings"), N_("What is set, and what it was when the radio came in"), ()),
    ("switches", N_("Switches and lettering"), N_("What each does now; wrong lettering told or relabelled"), ()),
    ("microphone", N_("Microphone and plug"), N_("Keyed, spoken into, the cable moved"), ()),
    ("lamps", N_("Lamps and meter light"), N_("All lit"), ()),
    ("fuse", N_("Fuse and lead"), N_("The right value in the lead"), ()),
    ("screws", N_("Covers and screws"), N_("All in, nothing rattles, cores sealed"), ()),
)  # fmt: skip


def leaving_items(state: JobState) -> tuple[LeavingItem, ...]:
    """The list for this radio, then what the technician added; each with what was found last."""
    controls = {c.id.lower() for c in state.sheet.controls} | {x.lower() for x in state.shop.does}
    found = state.shop.leaving
    made = [
        LeavingItem(key, tr(title), tr(how), found.get(key))
        for key, title, how, needed in _ITEMS
        if not needed or controls & set(needed)
    ]
    own = [k for k in found if k not in {key for key, *_ in _ITEMS}]
    return (*made, *(LeavingItem(k, control_words(k), "", found[k]) for k in own))


def leaving_title(key: str) -> str:
    """An item's name, as the page says it."""
    return next((tr(title) for k, title, *_ in _ITEMS if k == key), key)
