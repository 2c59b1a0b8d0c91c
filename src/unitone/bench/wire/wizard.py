"""A card tried live, line by line: what was sent, what came back, and what the card makes of it."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass

from unitone.bench.wire.instrument_card import InstrumentCard
from unitone.bench.wire.link import Link
from unitone.errors import BenchError
from unitone.quantities.registry import quantity
from unitone.quantities.show import show
from unitone.words import tr


@dataclass(frozen=True)
class TriedLine:
    """One line of the trial: sent, answered (empty: nothing is answered to it), what that means, and whether it is right."""

    sent: str
    answered: str
    means: str
    right: bool


def try_card(card: InstrumentCard, link: Link) -> Iterator[TriedLine]:
    """Who it is, RF off and its confirmation, then every reading once. A line that fails is told, and the next one is tried; the generator
    is never switched on."""
    yield _asked(link, card.identify, lambda a: _identity(card, a))
    if card.generator is not None:
        how = card.generator
        yield _sent(link, how.off)
        yield _asked(link, how.off_query, lambda a: _off(how.off_reply, a))
    for reads in card.read:
        for text in reads.prepare:
            yield _sent(link, text)

        def means(answer: str, r=reads) -> tuple[str, bool]:  # type: ignore[no-untyped-def]
            found = re.search(r.reply, answer)
            try:
                value = r.value_of(float(found[1])) if found else None
            except (ValueError, TypeError):
                value = None
            if value is None or not math.isfinite(value):
                return tr("no number in it; the pattern is {pattern}", pattern=r.reply), False
            return f"{tr(quantity(r.quantity).title)}: {show(quantity(r.quantity), value)}", True

        yield _asked(link, reads.ask, means)


def _identity(card: InstrumentCard, answer: str) -> tuple[str, bool]:
    if card.expects and not re.search(card.expects, answer):
        return tr("another instrument; the card expects {pattern}", pattern=card.expects), False
    return tr("it answers"), True


def _off(pattern: str, answer: str) -> tuple[str, bool]:
    return (tr("RF is off"), True) if re.search(pattern, answer) else (tr("does not say that RF is off"), False)


def _sent(link: Link, text: str) -> TriedLine:
    try:
        link.send(text)
        return TriedLine(text, "", tr("sent"), True)
    except BenchError as error:
        return TriedLine(text, "", str(error), False)


def _asked(link: Link, text: str, means: Callable[[str], tuple[str, bool]]) -> TriedLine:
    try:
        answer = link.ask(text)
    except BenchError as error:
        return TriedLine(text, "", str(error), False)
    words, right = means(answer)
    return TriedLine(text, answer[:120], words, right)
