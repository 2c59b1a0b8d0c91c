"""An instrument on a wire: connected and told apart from another one, then a meter of the bench, or its generator."""

from __future__ import annotations

import math
import re
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass

from unitone.bench.path import Kit, dial
from unitone.bench.ports import Measured
from unitone.bench.wire.instrument_card import InstrumentCard, Reads
from unitone.bench.wire.link import Link
from unitone.errors import BenchError, LevelOutOfReach
from unitone.quantities.registry import quantity
from unitone.sheet.model.injection import SIDES, injected_hz
from unitone.sheet.model.sheet import Conditions, Sheet
from unitone.words import tr

_USUAL_TONE_HZ = 1000.0
#: A needle that is read ten times a second does not ask each time whether RF is still off (s). Keying always asks.
_CONFIRMED_S = 3.0


@dataclass
class Wired:
    """A card with the link that it is talked to by."""

    card: InstrumentCard
    link: Link
    address: str

    def connect(self) -> str:
        """Ask who it is, and send what it starts with; returns its answer. Raises BenchError for another instrument."""
        answer = self.link.ask(self.card.identify)
        if self.card.expects and not re.search(self.card.expects, answer):
            raise BenchError(
                tr("At {address} answers “{answer}”, not the {name}. Check the address, or choose another card.",
                   address=self.address, answer=answer[:80], name=self.card.name)
            )  # fmt: skip
        for text in self.card.start:
            self.link.send(text)
        return answer


class WireMeter:
    """Reads what its card says. ``trouble`` is called where it fails: RF goes off."""

    def __init__(
        self, wired: Wired, hz_of: Callable[[Conditions], float], trouble: Callable[[], None] = lambda: None
    ) -> None:
        self.wired, self._hz_of, self._trouble = wired, hz_of, trouble
        self._stopped = threading.Event()
        self._failed = False

    @property
    def name(self) -> str:
        """See ``Meter``."""
        return self.wired.card.name

    def measures(self, quantity_id: str) -> bool:
        """See ``Meter``."""
        return self.wired.card.reading(quantity_id) is not None

    def seconds_for(self, quantity_id: str) -> float:
        """See ``Meter``."""
        how = self.wired.card.reading(quantity_id)
        return 0.0 if how is None else how.seconds

    def measure(self, quantity_id: str, conditions: Conditions) -> Measured:
        """Several answers and their spread. Raises BenchError: no answer, one that is not understood, or that cannot be."""
        how = self.wired.card.reading(quantity_id)
        if how is None:
            raise BenchError(tr("{name} does not read that.", name=self.name))
        self._stopped.clear()
        try:
            for text in how.prepare:
                self.wired.link.send(text)
            values = []
            for _ in range(self.wired.card.readings):
                if self._stopped.is_set():
                    raise BenchError(tr("The reading was broken off."))
                values.append(self._one(how, conditions))
        except BenchError:
            self._trouble()
            raise
        self._failed = False
        mean = sum(values) / len(values)
        spread = sum((v - mean) ** 2 for v in values)
        std = math.sqrt(spread / (len(values) - 1) / len(values)) if len(values) > 1 else 0.0
        return Measured(mean, self.name, std or None, source="remote")

    def live(self, quantity_id: str, conditions: Conditions) -> Measured | None:
        """One answer, where the card says that it is fast enough. Raises BenchError."""
        how = self.wired.card.reading(quantity_id)
        if how is None or not how.live or self._failed:
            return None
        try:
            return Measured(self._one(how, conditions), self.name, source="remote")
        except BenchError:
            # Told once: the needle rests until a whole reading works again.
            self._failed = True
            self._trouble()
            raise

    def cancel(self) -> None:
        """See ``Meter``."""
        self._stopped.set()

    def _one(self, how: Reads, conditions: Conditions) -> float:
        answer = self.wired.link.ask(how.ask)
        found = re.search(how.reply, answer)
        try:
            number = float(found[1]) if found else math.nan
        except (ValueError, TypeError):
            number = math.nan
        value = how.value_of(number)
        if how.minus == "carrier":
            value -= self._hz_of(conditions)
        q = quantity(how.quantity)
        if not math.isfinite(value) or not q.low <= value <= q.high:
            self.wired.link.close()
            raise BenchError(
                tr("{name} answered “{answer}” to {ask}: no reading of {what}. Check the card, or type the reading.",
                   name=self.name, answer=answer[:60], ask=how.ask, what=q.title)
            )  # fmt: skip
        return value


def carrier_of(sheet: Sheet) -> Callable[[Conditions], float]:
    """Where a generator is tuned under these conditions, on that sheet (Hz): the channel's carrier, or a stage's own frequency."""

    def hz(c: Conditions) -> float:
        if c.inject is None:
            return float(sheet.carrier_hz(c.channel, c.band))
        known = [s.inject for s in sheet.steps if s.inject is not None] + [s.inject for s in sheet.stages if s.inject]
        where = next((i for i in known if i.stage == c.inject), None)
        found = None if where is None else injected_hz(sheet, where, c)
        if found is None:
            raise BenchError(tr("The sheet does not say which frequency feeds this stage. Set the generator by hand."))
        return found

    return hz


class WireGenerator:
    """The generator by wire: set to what the step asks, and off, confirmed, before anything is keyed. Sends only what changes."""

    def __init__(self, wired: Wired, hz_of: Callable[[Conditions], float], kit: Callable[[], Kit]) -> None:
        """Raises BenchError for a card that sets nothing."""
        if wired.card.generator is None:
            raise BenchError(tr("The card {name} does not say how a generator is set.", name=wired.card.name))
        self.wired, self._hz_of, self._kit = wired, hz_of, kit
        self._how = wired.card.generator
        self._sent: dict[str, str] = {}
        #: When it last confirmed that RF is off.
        self._confirmed = -math.inf
        #: How often its level or frequency was set.
        self.settings = 0

    def set(self, conditions: Conditions) -> None:
        """See ``SignalSource``. Without a level, or for transmit, RF goes off. Raises BenchError."""
        if conditions.way == "transmit" or conditions.level_dbm is None or conditions.source:
            if time.monotonic() - self._confirmed > _CONFIRMED_S or self._sent.get("rf") != self._how.off:
                self.off()
            return
        hz = self._hz_of(conditions) + (conditions.offset_hz or 0.0)
        # What a stage is fed with stands beside its carrier already.
        side = None if conditions.inject else SIDES.get((conditions.mode or "").lower())
        if side is not None:
            hz += side * (conditions.tone_hz or _USUAL_TONE_HZ)
        dbm = dial(self._kit(), conditions.level_dbm).dial_dbm
        how = self._how
        for value, least, most, unit in (
            (hz, how.least_hz, how.most_hz, "Hz"),
            (dbm, how.least_dbm, how.most_dbm, "dBm"),
        ):
            if not least <= value <= most:
                raise LevelOutOfReach(
                    tr("{name} gives {least} to {most} {unit}, not {value}. Change the pads, or set it by hand.",
                       name=self.wired.card.name, least=f"{least:g}", most=f"{most:g}", unit=unit, value=f"{value:g}")
                )  # fmt: skip
        fields = {
            "hz": hz, "dbm": dbm, "deviation": conditions.deviation_hz or 0.0, "depth": conditions.depth_pct or 0.0,
            "tone": conditions.tone_hz or _USUAL_TONE_HZ,
        }  # fmt: skip
        modulation = how.fm if conditions.deviation_hz else how.am if conditions.depth_pct else how.plain
        if side is not None:
            modulation = how.plain
        changed = self._tell("frequency", how.frequency.format(**fields))
        changed |= self._tell("modulation", "\n".join(text.format(**fields) for text in modulation))
        changed |= self._tell("level", how.level.format(**fields))
        changed |= self._tell("rf", how.on)
        if changed:
            try:
                # Its answer comes after it has done what was sent before: a meter on another wire would be asked too early.
                self.wired.link.ask(how.off_query)
            except BenchError:
                self._sent.clear()
                raise
            time.sleep(self.wired.card.settle)

    def _tell(self, what: str, text: str) -> bool:
        if not text or self._sent.get(what) == text:
            return False
        try:
            for line in text.split("\n"):
                self.wired.link.send(line)
        except BenchError:
            self._sent.clear()
            raise
        self._sent[what] = text
        self.settings += what in ("frequency", "level")
        return True

    def off(self) -> None:
        """RF off, and asked whether it is. Raises BenchError where the generator does not confirm it."""
        self._sent.pop("rf", None)
        try:
            self.wired.link.send(self._how.off)
            answer = self.wired.link.ask(self._how.off_query)
        except BenchError as error:
            self._sent.clear()
            raise BenchError(tr("{error} RF may still be on: switch it off by hand.", error=str(error))) from None
        if not re.search(self._how.off_reply, answer):
            raise BenchError(
                tr("{name} does not confirm that RF is off (it answered “{answer}”). Switch it off by hand before you key.",
                   name=self.wired.card.name, answer=answer[:60])
            )  # fmt: skip
        self._sent["rf"] = self._how.off
        self._confirmed = time.monotonic()
