"""What the first evening asks: which radios come to this bench, and what stands on it; and what follows from the answers."""

from __future__ import annotations

from collections.abc import Collection

from unitone.store.ports import Store
from unitone.words import N_

#: Radios by the names that a bench knows them by, and the general procedures that go with them, the likeliest first.
REPAIRED: dict[str, tuple[str, tuple[str, ...]]] = {
    "fm": (N_("FM mobiles"), ("fm-mobile", "fm-mobile-uk")),
    "am": (N_("AM mobiles"), ("am-mobile",)),
    "ssb": (N_("SSB sets"), ("ssb-set",)),
    "handheld": (N_("Handhelds"), ("fm-handheld", "handheld")),
    "valve": (N_("Valve transceivers"), ("hf-valve-transceiver",)),
    "broadcast": (N_("Broadcast receivers"), ("valve-receiver", "portable-receiver")),
}
#: What may stand on a bench.
ON_BENCH: dict[str, str] = {
    "generator": N_("Signal generator"),
    "sinad": N_("SINAD meter, or a sound card"),
    "af-voltmeter": N_("AF voltmeter"),
    "counter": N_("Frequency counter"),
    "tone": N_("Tone generator"),
}
_REPAIRED, _ON_BENCH, _CONVENTIONS, _DONE = "repaired", "on_bench", "conventions", "first_evening"
#: The exercise that shows the way, by what is repaired.
_FIRST_EXERCISE = {"valve": "vintage-1", "broadcast": "vintage-1"}


def is_first_evening(book: Store) -> bool:
    """Is this a workshop that has no job and was never asked?"""
    return not book.setting(_DONE) and not book.jobs(limit=1)


def end_first_evening(book: Store) -> None:
    """It is not asked again. Raises StoreError."""
    book.set_setting(_DONE, True)


def repaired(book: Store) -> frozenset[str]:
    """Which radios come to this bench; nothing where that was never said."""
    return frozenset(x for x in book.setting(_REPAIRED, []) or [] if x in REPAIRED)


def set_repaired(book: Store, what: Collection[str]) -> None:
    """Keep it. Raises StoreError."""
    book.set_setting(_REPAIRED, [x for x in REPAIRED if x in what])


def on_bench(book: Store) -> frozenset[str]:
    """What stands on this bench; all of it where that was never said."""
    kept = book.setting(_ON_BENCH)
    return frozenset(ON_BENCH) if kept is None else frozenset(x for x in kept if x in ON_BENCH)


def set_on_bench(book: Store, there: Collection[str]) -> None:
    """Keep it, and the conventions that follow from it; what else was chosen stays. Raises StoreError."""
    conventions = dict(book.setting(_CONVENTIONS) or {})
    for question, choice in conventions_for(there).items():
        if choice:
            conventions[question] = choice
        else:
            conventions.pop(question, None)
    book.set_setting(_CONVENTIONS, conventions)
    book.set_setting(_ON_BENCH, [x for x in ON_BENCH if x in there])


def conventions_for(there: Collection[str]) -> dict[str, str]:
    """The conventions of a bench by what stands on it; an empty choice leaves it to the sheet."""
    return {
        "source": "" if "generator" in there else "station",
        "reading": "" if "sinad" in there else "af" if "af-voltmeter" in there else "ear",
        "carrier": "" if "counter" in there else "clarifier",
        "modulation": "" if "tone" in there else "voice",
    }


def first_procedures(book: Store) -> tuple[str, ...]:
    """The general procedures of what is repaired here, the likeliest first."""
    mine = repaired(book)
    return tuple(dict.fromkeys(p for x, (_, procedures) in REPAIRED.items() if x in mine for p in procedures))


def first_exercise(book: Store) -> str:
    """The exercise that shows the way on a simulated radio of that kind."""
    mine = [x for x in REPAIRED if x in repaired(book)]
    return _FIRST_EXERCISE.get(mine[0], "receive-1") if mine else "receive-1"
