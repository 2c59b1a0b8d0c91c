"""The session's bench side: readings typed, heard and sent in, with what this bench is known to do to them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from unitone.align.moves import Measure, conditions_of
from unitone.bench.instruments import Instrument, instrument_for
from unitone.bench.mybench import MyBench
from unitone.bench.path import Kit, dial
from unitone.bench.ports import Heard
from unitone.bench.second_radio import BY_CLARIFIER, CLOCK_U_HOURS, clock_hours, heard_as, is_heard
from unitone.errors import BenchError, DoubtfulEntry, EntryError, TapeError
from unitone.job.entries.bench import InstrumentsSet, KitSet
from unitone.job.entries.readings import Reading
from unitone.job.verdicts import RULES
from unitone.quantities.entry import EXPECTED, Bound, Typed, parse_entry
from unitone.quantities.registry import CANONICAL_UNIT, FOUND_BY, Quantity, quantity
from unitone.quantities.show import microvolts, number
from unitone.radio.levels import canonical
from unitone.radio.noise import least_level_dbm
from unitone.session._doubts import doubt
from unitone.sheet.model.mixing_model import Place, first_oscillator_hz
from unitone.sheet.model.sheet import Conditions
from unitone.store.ports import Store
from unitone.words import tr

if TYPE_CHECKING:
    from unitone.session.session import Session

#: Words for the ends of what can be tried or shown, and the kinds of which nothing is a zero.
_ENDS = frozenset({"never opens", "always open", "pegged", "nothing"})
_FROM_ZERO = frozenset({"volts", "amps", "watts", "ratio-db"})
#: A counter's reading without its unit: so many decimals, and so near to the channel (share).
_COUNTER_PLACES, _COUNTER_NEAR = 3, 0.05
#: A dial that was turned at comes in so near to its mark (share).
_DIAL_NEAR = 0.25
#: A bare figure under this is megahertz where a frequency is asked for.
_MEGAHERTZ_UNDER = 1000.0
#: A level this far under what thermal noise allows is not argued with, only refused (dB).
_BEYOND_DB = 2.0


def my_bench(logbook: Store) -> MyBench:
    """What is known of this workshop's bench. Raises BenchError for what a newer version kept."""
    return MyBench.from_data(logbook.setting("my_bench"))


class Measuring:
    """What a session can do with the instruments of this bench. Every change is an entry."""

    def __init__(self, session: Session) -> None:
        self._session = session
        #: What was asked back last: text, quantity, conditions. The same said again is taken.
        self._doubted: tuple[str, str, Conditions] | None = None

    def typed_reading(self, typed: str, quantity_id: str, wanted: Conditions) -> Reading:
        """What was typed as a reading, corrected and doubted as the instrument in hand asks. Raises EntryError, DoubtfulEntry."""
        q = quantity(quantity_id)
        by_knob = self._by_knob(typed, wanted)
        entry = by_knob or parse_entry(typed, q.kind, q.shown)
        nominal = self._nominal_hz(q.id, wanted)
        within = self._near(q.id, wanted)
        if q.id == "rx.frequency_error" and entry.value is not None and nominal:
            nominal = self._heard_at(entry.value, nominal, wanted)
        if (
            q.kind == "hertz-error"
            and entry.bare
            and nominal
            and entry.value
            and _off_a_counter(typed, entry.value, nominal, within)
        ):
            entry = parse_entry(f"{typed.strip()} MHz", q.kind)
        instrument = instrument_for(self._session.state.instruments, q.id, self._session.state.chosen.get(q.id, ""))
        value = raw = u = None
        warning = ""
        if instrument is not None and (unfit := instrument.unfit(q, self._at_hz(q.id, wanted))):
            raise EntryError(f"{instrument.name}: {unfit}")
        if entry.value is not None:
            raw = value = canonical(entry, q, nominal, within)
            if instrument is not None:
                value = instrument.correct(q, raw, nominal)
                u = instrument.uncertainty(q, nominal if nominal is not None else value)
                warning = instrument.warning(q, raw)
            if not q.low <= value <= q.high:
                raise EntryError.impossible(
                    typed, tr("that is no {title}. Expected {expected}.", title=q.title, expected=EXPECTED[q.kind])
                )
            self._ask_back(typed, q, value, wanted)
            if q.id in FOUND_BY and not entry.bound:
                ratio = FOUND_BY[q.id][1]
                floor = least_level_dbm(ratio, _modulation(q.id, wanted))
                if value < floor - _BEYOND_DB:
                    raise EntryError.impossible(
                        typed,
                        tr(
                            "{db} dB at so low a level is below what thermal noise allows (about {least} here). Check the pads "
                            "that are counted, and whether the generator leaks.",
                            db=number(ratio, 0),
                            least=microvolts(floor),
                        ),
                    )
            if q.id in ("rx.sinad", "rx.sn_ratio") and wanted.level_dbm is not None:
                warning = self.forbidden(wanted.level_dbm, value, wanted) or warning
            if q.kind == "level" and u is None:
                u = self.level_doubt(value)
        bound = entry.bound
        if is_heard(wanted):
            raw, value, bound = heard_as(entry, value, wanted)
            if by_knob is not None:
                u = CLOCK_U_HOURS * abs(my_bench(self._session.logbook).clarifier_hz or 0.0)
        if entry.word in _ENDS and value is None:
            value, bound = self._end_of(entry.word, q)
        if quantity_id in FOUND_BY:
            wanted = replace(wanted, level_dbm=None)
        corrected = raw is not None and value is not None and value != raw
        return Reading(
            quantity_id, wanted, value, instrument.name if instrument else "by hand", "hand", None, bound, entry.word,
            raw if corrected else None, value - raw if corrected and value is not None and raw is not None else 0.0,
            typed.strip(), u, warning,
        )  # fmt: skip

    def _by_knob(self, typed: str, wanted: Conditions) -> Typed | None:
        """Where the second radio's clarifier points, in the hertz that it was turned by; None where that was not typed. Raises EntryError."""
        hours = clock_hours(typed) if wanted.source == BY_CLARIFIER else None
        if hours is None:
            return None
        rate = my_bench(self._session.logbook).clarifier_hz
        if rate is None:
            raise EntryError(
                tr("“{text}”: nobody measured what an hour of that clarifier is. Do so in My bench, or type hertz.", text=typed.strip())
            )  # fmt: skip
        return Typed(hours * rate, "Hz")

    def _end_of(self, word: str, q: Quantity) -> tuple[float | None, Bound]:
        """What a word says in numbers: more than the highest, or less than the lowest, that this bench could try or this scale shows."""
        kit = self._session.state.kit
        if q.kind == "level":
            if word == "nothing":
                return None, ""
            highest = word == "never opens"
            end = kit.gives(kit.most_dbm if highest else kit.least_dbm) - (0.0 if kit.generator_knows else kit.fixed_db)
            return end, ">" if highest else "<"
        if word == "pegged":
            limit = self._session.step.limit
            end_of_scale = limit.high if limit.high is not None else limit.low
            known = self._session.step.quantity_id == q.id and end_of_scale is not None
            return (end_of_scale if known else None), ">" if known else ""
        return (0.0, "<") if q.kind in _FROM_ZERO else (None, "")

    def _ask_back(self, typed: str, q: Quantity, value: float, wanted: Conditions) -> None:
        """A value that can hardly be meant is asked back once. Raises DoubtfulEntry."""
        asked, self._doubted = self._doubted, None
        said = (typed.strip(), q.id, wanted)
        if asked != said and (words := doubt(self._session.state, q, value, wanted)):
            self._doubted = said
            raise DoubtfulEntry(f"“{typed.strip()}”: {words} " + tr("Enter it again to log it as typed."))

    def _at_hz(self, quantity_id: str, wanted: Conditions) -> float | None:
        """The frequency at which a quantity is picked off."""
        if quantity_id.startswith("tx."):
            return float(self._session.sheet.carrier_hz(wanted.channel, wanted.band))
        return self._nominal_hz(quantity_id, wanted)

    def _heard_at(self, hz: float, carrier_hz: float, wanted: Conditions) -> float:
        """What a frequency typed for a dial stands for: the station's, or the oscillator's as another receiver hears it."""
        place = Place("receive", wanted.band, wanted.mode, wanted.channel)
        own = first_oscillator_hz(self._session.sheet, place)
        # A counter or a scale is typed in megahertz as often as not, and without a unit.
        hz = hz if abs(hz) > _MEGAHERTZ_UNDER else hz * 1e6
        near = own is not None and hz > carrier_hz / 2.0 and abs(hz - own) < abs(hz - carrier_hz)
        return own if near and own is not None else carrier_hz

    def _near(self, quantity_id: str, wanted: Conditions) -> float:
        """How near to where it belongs a typed frequency lies (a share): a dial that was turned at may stand far off."""
        dialled = quantity_id == "rx.frequency_error" and self._session.sheet.dialled(wanted.channel)
        return _DIAL_NEAR if dialled else 0.02

    def _nominal_hz(self, quantity_id: str, wanted: Conditions) -> float | None:
        if quantity_id in ("tx.frequency_error", "rx.frequency_error"):
            return float(self._session.sheet.carrier_hz(wanted.channel, wanted.band))
        if quantity_id in ("ref.frequency", "osc.frequency"):
            return self._session.step.limit.middle
        return None

    def listening(self) -> Conditions:
        """The conditions that the bench stands at for the step at hand: as dialled, else as the coach or the step says."""
        state = self._session.state
        last = state.readings[-1].seq if state.readings else 0
        if not self._session.bench.simulated and state.set_up_seq > max(last, state.at_seq):
            # What was set up since, on a bench of one's own, was chosen.
            return state.set_up
        advice = self._session.advice()
        here = conditions_of(advice) if advice.step == self._session.step.id else None
        if here is not None and isinstance(advice, Measure):
            return here
        set_up = self._session.state.set_up
        for required in self._session.step.required:
            # Where a level is what is looked for, or is lowered while a hill is climbed, any level is one of the step's.
            climbed = self._session.step.aim in ("peak", "null", "level") and required.level_dbm is not None
            free = (climbed or self._session.step.quantity_id in FOUND_BY) and set_up.level_dbm is not None
            if set_up.settles(replace(required, level_dbm=set_up.level_dbm) if free else required):
                return set_up
        return here if here is not None else self._session.step.setting

    def listen(self, seconds: float) -> Heard | None:
        """The next stretch of what the radio on the bench gives; None where nothing is connected. Raises HookUpError."""
        if not self._session.bench.simulated:
            return None
        self._session.need_hook_up()
        return self._session.bench.listen(self.listening(), seconds)

    def from_recording(self, path: Path, conditions: Conditions | None = None) -> Reading:
        """Log what a recording says as a reading of the step at hand under these conditions. Raises BenchError (not read from it, too
        short, overloaded, a simulated bench), SignalError for what is no recording, HookUpError, TapeError."""
        # Nothing else of a session measures sound: its start does not wait for that.
        from unitone.bench.drivers.recorded_meter import RecordedMeter

        if self._session.bench.simulated:
            raise BenchError(tr("The simulated bench reads this by itself. A recording is read for a real radio."))
        return self._session.measure(conditions or self.listening(), RecordedMeter(path))

    def send_in(self, sends: Sequence[tuple[str, float, float | None]], name: str, source: str = "file") -> Reading:
        """Log what a meter measured as a reading of the step at hand: the first of ``sends`` (quantity id, value in its
        canonical unit, standard uncertainty) that the step reads. Raises TapeError, HookUpError, EntryError.

        At a sensitivity step a SINAD is taken at the level that is dialled. A counted frequency becomes the error from
        the step's channel where that is what the step reads.
        """
        self._session.need_hook_up()
        conditions = self.listening()
        wanted = self._session.reading_quantity(conditions)
        nominal = self._nominal_hz(wanted, conditions)
        for quantity_id, given, u in sends:
            value: float | None = given if quantity_id == wanted else None
            if quantity_id == "osc.frequency" and wanted.endswith("frequency_error") and nominal is not None:
                value = given - nominal
            if value is None:
                continue
            q = quantity(wanted)
            # A counter on another socket, a recording of another channel: the value itself says so.
            if not q.low <= value <= q.high or (
                nominal is not None
                and abs(value) > self._near(wanted, conditions) * nominal
                and wanted.endswith("error")
            ):
                raise EntryError(
                    tr(
                        "{name}: {value:g} {canonical_unit} cannot be a reading of {title}. Check what was measured.",
                        name=name,
                        value=value,
                        canonical_unit=CANONICAL_UNIT[q.kind],
                        title=q.title,
                    )
                )
            warning = self.level_warning(wanted, value, conditions)
            reading = Reading(wanted, conditions, value, name, source, u=u, warning=warning)
            self._session.append(reading)
            return reading
        have = " or ".join(dict.fromkeys(quantity(q).title for q, _, _ in sends))
        raise TapeError(
            tr(
                "The step at hand, {title}, reads {title2}; this is {have}.",
                title=self._session.step.title,
                title2=quantity(wanted).title,
                have=have,
            )
        )

    def level_warning(self, quantity_id: str, value: float | None, conditions: Conditions) -> str:
        """Why a ratio of signal to noise cannot be true at the level that is dialled; empty where nothing speaks against it."""
        if quantity_id not in ("rx.sinad", "rx.sn_ratio") or conditions.level_dbm is None or value is None:
            return ""
        return self.forbidden(conditions.level_dbm, value, conditions)

    def set_kit(self, kit: Kit) -> None:
        """Another generator, other pads; what is known of them on this bench goes with them."""
        self._session.append(KitSet(my_bench(self._session.logbook).kit(kit).to_data()))

    def set_instruments(self, instruments: tuple[Instrument, ...], rule: str | None = None) -> None:
        """The instruments of this bench, and the decision rule."""
        for instrument in instruments:
            instrument.check()
        if rule is not None and rule not in RULES:
            raise TapeError(
                tr("“{rule}” is not a decision rule. Use one of: {list}.", rule=rule, list=", ".join(RULES))
            )
        self._session.append(InstrumentsSet([i.to_data() for i in instruments], rule or ""))

    def choose_instrument(self, quantity_id: str, instrument_id: str) -> None:
        """From here on, typed readings of that quantity come from this instrument."""
        self._session.append(InstrumentsSet(chosen={quantity_id: instrument_id}))

    def take_bench(self) -> bool:
        """Take what is known of this bench by now: its pads, generator and instruments. True where that changes anything."""
        if self._session.state.finished or self._session.bench.simulated:
            return False
        known = my_bench(self._session.logbook)
        kit, instruments = known.kit(self._session.state.kit), known.instruments(self._session.state.instruments)
        if kit != self._session.state.kit:
            self._session.append(KitSet(kit.to_data()))
        elif instruments == self._session.state.instruments:
            return False
        if instruments != self._session.state.instruments:
            self._session.append(InstrumentsSet([i.to_data() for i in instruments]))
        return True

    def level_doubt(self, level_dbm: float) -> float | None:
        """Standard uncertainty (dB) of a level that this generator and its pads give; None where it is not known."""
        if self._session.bench.simulated:
            return None
        try:
            return dial(self._session.state.kit, level_dbm).u_db
        except BenchError:
            return self._session.state.kit.level_u_db

    def forbidden(self, level_dbm: float, ratio_db: float, conditions: Conditions) -> str:
        """A word where thermal noise forbids so good a ratio at so low a level; empty where it allows it."""
        floor = least_level_dbm(ratio_db, _modulation(self._session.step.quantity_id, conditions))
        if level_dbm >= floor:
            return ""
        return tr(
            "{db} dB at {level} is not possible (at least {least} needed): the generator leaks, or a pad is wrong",
            db=number(ratio_db, 1), level=microvolts(level_dbm), least=microvolts(floor),
        )  # fmt: skip


def _off_a_counter(typed: str, value: float, nominal_hz: float, within: float) -> bool:
    """27.4050 where an error in hertz is asked: no error has such decimals, it is the counter's own reading in MHz."""
    decimals = typed.strip().replace(",", ".").rpartition(".")
    return (
        bool(decimals[1])
        and len(decimals[2]) >= _COUNTER_PLACES
        and abs(value * 1e6 / nominal_hz - 1.0) < max(within, _COUNTER_NEAR)
    )


def _modulation(quantity_id: str, conditions: Conditions) -> str:
    """``fm``, ``am`` or ``ssb``: what the conditions say, else what the quantity is usually read on."""
    mode = (conditions.mode or "").lower()
    if mode in ("usb", "lsb", "ssb", "cw"):
        return "ssb"
    if mode == "am" or conditions.depth_pct or quantity_id == "rx.sensitivity_am":
        return "am"
    return "fm"
