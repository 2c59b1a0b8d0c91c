"""The workshop's instruments by wire: which cards at which addresses, connected once, and the ports they are for the job on the bench."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from unitone.bench.ports import Meter, SignalSource
from unitone.bench.wire.instrument import Wired, WireGenerator, WireMeter, carrier_of
from unitone.bench.wire.instrument_card import CardFile, cards
from unitone.bench.wire.link import VisaLink
from unitone.bench.wire.selectivity import TwoSettingsByWire
from unitone.bench.wire.squelch_ends import SquelchByWire
from unitone.errors import BenchError
from unitone.store.ports import Store
from unitone.words import tr

if TYPE_CHECKING:
    from unitone.session.session import Session


@dataclass(frozen=True)
class WireState:
    """An instrument of the list: its card and address, its name, whether it answers, and what it said (or why not)."""

    card: str
    address: str
    name: str
    there: bool
    words: str


def cards_of(logbook: Store) -> tuple[CardFile, ...]:
    """The cards that come with the program, and the workshop's own beside its logbook."""
    return cards(None if logbook.folder is None else logbook.folder / "instruments")


def kept_wires(logbook: Store) -> list[tuple[str, str]]:
    """(card, address) of every instrument that is connected, as the workshop chose them."""
    found: Any = logbook.setting("wires", []) or []
    rows = found if isinstance(found, list) else []
    return [(str(r.get("card", "")), str(r.get("address", ""))) for r in rows if isinstance(r, dict)]


def keep_wires(logbook: Store, rows: Sequence[tuple[str, str]]) -> None:
    """Into the logbook. Raises StoreError."""
    logbook.set_setting("wires", [{"card": c, "address": a} for c, a in rows])


class Wires:
    """Links that are open. One thread at a time."""

    def __init__(self) -> None:
        self._wired: list[Wired] = []
        self.states: tuple[WireState, ...] = ()

    def connect(self, logbook: Store) -> tuple[WireState, ...]:
        """Let go of what is open and connect what is chosen. One that does not answer is told, the others go on."""
        self.close()
        known = {f.made.id: f.made for f in cards_of(logbook) if f.made is not None}
        states = []
        for identifier, address in kept_wires(logbook):
            card = known.get(identifier)
            if card is None:
                states.append(WireState(identifier, address, identifier, False, tr("The card is gone.")))
                continue
            try:
                wired = Wired(card, VisaLink(address, card), address)
                answer = wired.connect()
            except BenchError as error:
                states.append(WireState(identifier, address, card.name, False, str(error)))
                continue
            self._wired.append(wired)
            states.append(WireState(identifier, address, card.name, True, answer))
        self.states = tuple(states)
        return self.states

    def ports(self, session: Session) -> tuple[tuple[Meter, ...], SignalSource | None]:
        """Meters and generator for the job of a session: its channels, its pads."""
        carrier = carrier_of(session.state.sheet)
        generator = next(
            (WireGenerator(w, carrier, lambda: session.state.kit) for w in self._wired if w.card.generator is not None),
            None,
        )
        trouble = _quietly(generator)
        return tuple(WireMeter(w, carrier, trouble) for w in self._wired if w.card.read), generator

    def close(self) -> None:
        """RF off, and let go of all of them."""
        for wired in self._wired:
            if wired.card.generator is not None:
                # One that is gone can be told nothing more.
                with contextlib.suppress(BenchError):
                    wired.link.send(wired.card.generator.off)
                    # Asked, so that it has been done before the line is closed.
                    wired.link.ask(wired.card.generator.off_query)
            wired.link.close()
        self._wired = []


def with_composed(meters: Sequence[Meter], source: SignalSource | None) -> tuple[Meter, ...]:
    """The same meters, and those that a generator by wire makes of them: squelch ends, selectivity, the rise of the audio."""
    if not isinstance(source, WireGenerator):
        return tuple(meters)
    made: list[Meter] = [TwoSettingsByWire(source, meters)]
    audio = next((m for m in meters if m.measures("rx.af_voltage")), None)
    if audio is not None:
        made.append(SquelchByWire(source, audio))
    return (*meters, *made)


def _quietly(generator: WireGenerator | None) -> Callable[[], None]:
    """RF off where a meter failed; a generator that does not confirm is told by the next thing that needs it."""

    def off() -> None:
        if generator is not None:
            with contextlib.suppress(BenchError):
                generator.off()

    return off
