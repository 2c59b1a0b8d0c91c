"""Which words of a job a search finds: its card, and what people wrote on its tape."""

from __future__ import annotations

from typing import Any

#: The keys of each kind of entry that hold a person's words, or the name of a part.
SEARCHED: dict[str, tuple[str, ...]] = {
    "note": ("text",), "touch": ("name", "words"), "judge": ("reason",), "variant": ("title", "why"),
    "tried": ("suspected", "done", "result"), "loose": ("what",), "status": ("why", "approved"),
    "finding": ("item", "words", "done", "on"), "capacitor": ("part",), "part": ("part", "fitted", "instead", "why"),
    "time": ("what",), "on-air": ("who", "words"), "control": ("control", "does", "words"), "card": ("card",),
    "handed": ("to",),
}  # fmt: skip
_CARD = ("serial", "owner", "call_sign", "complaint", "first_look", "accessories", "missing")


def _flat(value: Any) -> str:
    if isinstance(value, dict):
        return " ".join(_flat(v) for v in value.values())
    if isinstance(value, list | tuple):
        return " ".join(_flat(v) for v in value)
    return "" if value is None else str(value)


def card_words(number: int, radio: str, card: dict[str, Any]) -> str:
    """The words of a card: number, radio, whose, what is wrong, what came with it."""
    return " ".join([str(number), f"{number:04d}", radio, *(_flat(card.get(k)) for k in _CARD)])


def entry_words(kind: str, data: dict[str, Any]) -> str:
    """What a person wrote in an entry."""
    return " ".join(_flat(data.get(k)) for k in SEARCHED[kind])


def search_words(find: str) -> list[str]:
    """The words of a question to the search; none where it has no letter and no digit."""
    return [w for w in find.replace('"', " ").split() if any(c.isalnum() for c in w)]
