"""What was changed in a radio and is not how it left its maker: parts off and on, tracks cut, links, wires; and how to undo it, last first."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from unitone.words import N_, tr

if TYPE_CHECKING:
    from unitone.job.state import JobState

ModifiedWhat = Literal["part removed", "part added", "part changed", "track cut", "link added", "wire moved"]
MODIFIED: tuple[ModifiedWhat, ...] = (
    N_("part removed"), N_("part added"), N_("part changed"), N_("track cut"), N_("link added"), N_("wire moved"),
)  # fmt: skip


@dataclass(frozen=True)
class Modification:
    """One change: what kind, where, what was there, what is there now, and why; ``job``: the earlier job in which it was made (0: this
    one); ``put_back``: it is as it was again; ``sets``: what it changes of a simulated radio's physics (key, how, value);
    ``pictures``: its photographs (name, hash); ``pins``: the place on each of them (name, x, y as parts of it)."""

    entry_id: str
    seq: int
    utc: str
    what: ModifiedWhat
    where: str
    was: str
    now: str
    why: str
    job: int = 0
    put_back: bool = False
    sets: tuple[tuple[str, str, str], ...] = ()
    pictures: tuple[tuple[str, str], ...] = ()
    pins: tuple[tuple[str, float, float], ...] = ()


def standing(state: JobState) -> tuple[Modification, ...]:
    """Changes that stand, in the order in which they were made."""
    return tuple(m for m in state.shop.modifications.values() if not m.put_back)


def undo_list(state: JobState) -> tuple[Modification, ...]:
    """Those that stand, the last one first: what was done last hides what was done before it."""
    return standing(state)[::-1]


def describe_modification(m: Modification) -> str:
    """A change in a line: ``track cut by IC3 pin 7``, ``D12 changed: 1N4148 → 1N60``."""
    if m.what == "part removed":
        words = tr("{where} removed", where=m.where) + (f" ({m.was})" if m.was else "")
    elif m.what == "part added":
        words = tr("{now} added at {where}", now=m.now, where=m.where)
    elif m.what == "part changed":
        words = tr("{where} changed: {was} → {now}", where=m.where, was=m.was or "?", now=m.now)
    elif m.what == "track cut":
        words = tr("track cut {where}", where=m.where)
    elif m.what == "link added":
        words = tr("link added {where}", where=m.where)
    else:
        words = tr("{where} wire moved: {was} → {now}", where=m.where, was=m.was or "?", now=m.now)
    return words


def describe_undo(m: Modification) -> str:
    """What undoes a change."""
    was = m.was or tr("what was there (not noted)")
    return {
        "part removed": tr("Fit {was} at {where} again.", was=m.was or m.where, where=m.where),
        "part added": tr("Remove {now} from {where}.", now=m.now, where=m.where),
        "part changed": tr("Put {was} back at {where}.", was=was, where=m.where),
        "track cut": tr("Bridge the cut {where}.", where=m.where),
        "link added": tr("Remove the link {where}.", where=m.where),
        "wire moved": tr("Move the {where} wire back to {was}.", where=m.where, was=was),
    }[m.what]
