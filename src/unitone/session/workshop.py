"""The session's workshop side: card, inspection, rails, capacitors, parts, time, reports, controls, handing over."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from unitone.errors import EntryError, HookUpError, TapeError
from unitone.job.card import Card
from unitone.job.entries.notes import Loosened
from unitone.job.entries.opening import Archived, CardAmended, HandedOver, StatusSet
from unitone.job.entries.readings import Reading
from unitone.job.entries.workshop import (
    CapacitorMeasured,
    ControlTold,
    FindingMade,
    HeardOnAir,
    LeavingNoted,
    Modified,
    PageWanted,
    PartFitted,
    PutBack,
    ReadBeside,
    SectionFound,
    StopsCounted,
    SupplySet,
    TimeSpent,
)
from unitone.job.modifications import MODIFIED, ModifiedWhat
from unitone.job.shop import (
    BESIDE,
    LOOKS,
    SECTION_LOOKS,
    SPEAKS_OF,
    SUPPLY_PATHS,
    BesideWhat,
    SectionLook,
    SpeaksOf,
    StopsOf,
)
from unitone.quantities.entry import EXPECTED, parse_entry, parse_si
from unitone.quantities.registry import quantity
from unitone.radio.levels import canonical
from unitone.radio.parts import Dielectric, judge_capacitor
from unitone.radio.substitutes import describe_substitute, judge_substitute, parse_spec
from unitone.sheet.format.pictures import check_picture
from unitone.sheet.model.sheet import Conditions, Effect
from unitone.words import tr

if TYPE_CHECKING:
    from unitone.session.session import Session

#: Where a job may stand besides being worked on.
STATUSES = ("open", "waiting", "later")
#: Every state in which a job can be found.
STATES = (*STATUSES, "finished", "handed over", "archived")
#: Longer than this is a slip of the pen, not a day's work (minutes).
_LONGEST = 24 * 60.0
#: No dial is tuned lower than this.
_LOWEST_STOP_HZ = 10e3
#: As which quantity each is typed that is read of two radios.
_BESIDE_AS: dict[BesideWhat, str] = {
    "S-meter": "rx.s_meter", "sensitivity": "rx.sensitivity", "field strength": "tx.field_strength",
}  # fmt: skip
_MOST_SPLITTER_DB = 30.0
_HOURS = re.compile(r"^(?:(\d+(?:\.\d+)?)\s*h)?\s*(?:(\d+(?:\.\d+)?)\s*(?:m|min|minutes)?)?$")


def minutes_of(typed: str) -> float:
    """``25``, ``1 h 25``, ``1:25``, ``0,5 h`` as minutes. Raises EntryError."""
    plain = typed.strip().lower().replace(",", ".")
    clock = re.match(r"^(\d+):(\d\d)$", plain)
    match = _HOURS.match(plain)
    if clock:
        minutes = 60.0 * int(clock[1]) + int(clock[2])
    elif plain and match and (match[1] or match[2]):
        minutes = 60.0 * float(match[1] or 0) + float(match[2] or 0)
    else:
        raise EntryError.not_understood(typed, tr("a time, like 25, 1 h 25 or 0,5 h"))
    if not 0 < minutes <= _LONGEST:
        raise EntryError.impossible(typed, tr("a time lies between a minute and a day. Enter each day by itself."))
    return minutes


class Workshop:
    """What a session can do for the workshop's side of a job. Every change is an entry."""

    def __init__(self, session: Session) -> None:
        self._session = session

    # -- card and inspection -------------------------------------------------------------------

    def amend_card(self, fields: Mapping[str, Any]) -> None:
        """Change fields of the job's card. What does not differ is left; number, sheet and simulated radio stay as they are."""
        now = self._session.state.card.to_data()
        given = {k: list(v) if isinstance(v, tuple) else v for k, v in fields.items()}
        fixed = {"number", "sheet_id", "simulated_seed"} & set(given)
        if fixed:
            raise TapeError(tr("The card's {list} cannot be changed. Open another job.", list=", ".join(sorted(fixed))))
        changed = {k: v for k, v in given.items() if v != (now.get(k) or ([] if isinstance(v, list) else ""))}
        if changed:
            Card.from_data({**now, **changed})
            self._session.append(CardAmended(changed))

    def look_at(
        self, item: str, look: str, words: str = "", on: tuple[str, ...] = (), done: str = "", stage: str = "",
        pictures: Mapping[str, bytes] | None = None,
    ) -> None:  # fmt: skip
        """Something was looked at: fine, wrong (in whose words, on which parts), or mended (what was done).

        Raises TapeError where something is wrong and nothing is said of it, SheetError
        for a photograph that is no picture. What was mended once readings were taken
        makes those stale that the parts can reach.
        """
        if look not in LOOKS:
            raise TapeError(tr("“{look}” is not a finding. Use one of: {list}.", look=look, list=", ".join(LOOKS)))
        if not item.strip():
            raise TapeError(tr("Say what was looked at."))
        if look == "wrong" and not words.strip():
            raise TapeError(tr("Say what is wrong: it is shown beside the step and on the papers."))
        if look == "repaired" and not (done.strip() or words.strip()):
            raise TapeError(tr("Say what was done."))
        if stage and stage not in {s.id for s in self._session.state.sheet.stages}:
            raise TapeError(tr("The sheet has no stage “{stage}”.", stage=stage))
        for name, content in (pictures or {}).items():
            check_picture(name, content)
        names = [n.strip() for n in on if n.strip()]
        kept = {n: self._session.logbook.put_blob(content) for n, content in (pictures or {}).items()}
        self._session.append(FindingMade(item.strip(), look, words.strip(), tuple(names), done.strip(), stage, kept))
        if look == "repaired" and self._session.state.readings:
            for name in names:
                if name in {p.id for p in self._session.state.sheet.parts}:
                    self._session.touch(name, done.strip() or words.strip(), working=False)

    # -- rails and capacitors ---------------------------------------------------------------------

    def set_supply(self, path: str = "", limit: str = "", meter: str = "") -> None:
        """How the radio is fed now, the current limit that is set, and the input resistance of the meter in hand.

        Another path than the radio's usual one is a loose end until it is back.
        Raises EntryError, TapeError.
        """
        if path and path not in SUPPLY_PATHS:
            raise TapeError(
                tr(
                    "“{path}” is not a way to feed a radio. Use one of: {list}.",
                    path=path,
                    list=", ".join(SUPPLY_PATHS),
                )
            )
        said = SupplySet(
            path if path != self._session.state.shop.path else "",
            _above_zero(limit, "A", tr("a current, like 2 A or 500 mA")) if limit.strip() else None,
            _above_zero(meter.replace("Ω", "ohm"), "ohm", tr("an input resistance, like 10 Mohm"))
            if meter.strip()
            else None,
        )
        if said != SupplySet():
            self._session.append(said)
        if said.path:
            self._loose_supply(path)

    def _loose_supply(self, path: str) -> None:
        usual = self._session.state.sheet.power.usual_path
        for end in self._session.state.open_ends:
            if end.supply:
                self._session.tie(end.entry_id)
        if path != usual and (usual == "battery" or path == "lamp limiter"):
            self._session.append(Loosened(supply=path))

    def read_volts(self, row_id: str, typed: str) -> Reading:
        """Log a typed reading of a row of the voltage table. Raises EntryError, TapeError."""
        row = next((v for v in self._session.state.sheet.voltages if v.id == row_id), None)
        if row is None:
            raise TapeError(tr("The voltage table has no row “{row_id}”.", row_id=row_id))
        reading = self._session.measuring.typed_reading(typed, row.quantity_id, row.conditions)
        self._session.append(reading)
        return reading

    def measure_volts(self, row_id: str) -> Reading:
        """Let the bench read a row of the voltage table and log it. Raises TapeError, BenchError, HookUpError."""
        row = next((v for v in self._session.state.sheet.voltages if v.id == row_id), None)
        if row is None:
            raise TapeError(tr("The voltage table has no row “{row_id}”.", row_id=row_id))
        if row.conditions.way == "transmit" and self._session.state.hook_up != "transmit":
            raise HookUpError.wrong_way("transmit", self._session.state.hook_up)
        got = self._session.bench.measure(row.quantity_id, row.conditions)
        reading = Reading(
            row.quantity_id, row.conditions, got.value, got.instrument, got.source, got.std, got.bound, got.word, got.raw,
            got.correction,
        )  # fmt: skip
        self._session.append(reading)
        return reading

    def read_current(self, way: str, typed: str) -> Reading:
        """Log a typed supply current, at rest (``receive``) or keyed (``send``). It settles the sheet's own step for it."""
        wanted = Conditions(way="transmit" if way == "transmit" else "receive")
        for step in self._session.state.sheet.steps:
            for required in step.required if step.quantity_id == "supply.current" else ():
                keyed = required.way == "transmit" or step.hook_up == "transmit"
                if keyed == (way == "transmit"):
                    wanted = required
        reading = self._session.measuring.typed_reading(typed, "supply.current", wanted)
        self._session.append(reading)
        return reading

    def measure_capacitor(
        self, part: str, dielectric: Dielectric, marked: str, measured: str, esr: str = "", at_hz: float = 100.0
    ) -> None:
        """Log a capacitor as marked and measured (texts with units). Raises EntryError, UnitoneError, TapeError."""
        if not part.strip():
            raise TapeError(tr("Name the capacitor, such as C41."))
        farads = {typed: parse_si(typed, "F") for typed in (marked, measured)}
        for typed, value in farads.items():
            if value >= 1.0 and not re.search(r"[pnumµ]", typed):
                raise EntryError.impossible(typed, tr("that would be farads. Write the prefix: 47 uF, 100 nF."))
        ohm = parse_si(esr.replace("Ω", "ohm"), "ohm") if esr.strip() else None
        judge_capacitor(dielectric, farads[marked], farads[measured], ohm, at_hz)
        self._session.append(CapacitorMeasured(part.strip(), dielectric, farads[marked], farads[measured], at_hz, ohm))

    # -- parts, time, reports -----------------------------------------------------------------------

    def fit_part(self, part: str, count: int, fitted: str, instead: str = "", why: str = "", price: str = "") -> None:
        """A part was fitted. Why the substitute is right is worked out where both are stated and nothing else is said.

        Readings that the part can reach become stale. Raises EntryError, TapeError.
        """
        if not part.strip() or not fitted.strip():
            raise TapeError(tr("Say which part, and what was fitted."))
        if not 1 <= count <= 1000:
            raise TapeError(tr("{count} parts: a count lies between 1 and 1000.", count=count))
        cost = _above_zero(price, "", tr("a price, like 0.35 or 1,20")) if price.strip() else None
        why = why.strip() or substitute_why(instead, fitted)
        self._session.append(PartFitted(part.strip(), count, fitted.strip(), instead.strip(), why, cost))
        self._session.refit(part.strip())
        if self._session.state.readings:
            self._session.touch(part.strip(), tr("{fitted} fitted", fitted=fitted.strip()), working=False)

    def spend(self, typed: str, what: str = "") -> None:
        """Time spent on the job. Raises EntryError."""
        self._session.append(TimeSpent(minutes_of(typed), what.strip()))

    def heard(self, who: str, speaks_of: SpeaksOf, words: str) -> None:
        """What somebody said of the radio on the air. Raises TapeError."""
        if speaks_of not in SPEAKS_OF:
            raise TapeError(
                tr(
                    "“{speaks_of}” is nothing that a report speaks of. Use one of: {list}.",
                    speaks_of=speaks_of,
                    list=", ".join(SPEAKS_OF),
                )
            )
        if not words.strip():
            raise TapeError(tr("Say what was heard."))
        self._session.append(HeardOnAir(speaks_of, words.strip(), who.strip()))

    # -- handing over ----------------------------------------------------------------------------------

    def want_page(self, page: str, found: bool = False) -> None:
        """A page, a diagram or a legible copy is wanted, or has come. Raises TapeError without words."""
        if not page.strip():
            raise TapeError(tr("Say which page is wanted."))
        self._session.append(PageWanted(page.strip(), found))

    def find_section(self, band: str, section: str, look: SectionLook, words: str = "", following: str = "") -> None:
        """How a section stands on a band (empty: on all), what was found, what to try next. Raises TapeError."""
        if not section.strip():
            raise TapeError(tr("Say which section, such as oscillator."))
        if look not in SECTION_LOOKS:
            raise TapeError(
                tr("“{look}” is not a finding. Use one of: {list}.", look=look, list=", ".join(SECTION_LOOKS))
            )
        if look != "works" and not (words.strip() or following.strip()):
            raise TapeError(tr("Say what was found, or what to try next."))
        self._session.append(SectionFound(band.strip(), section.strip(), look, words.strip(), following.strip()))

    def count_stops(self, band: str, low: str, high: str, counted: StopsOf = "oscillator") -> None:
        """What was counted at the two stops of the dial (texts with units). Raises EntryError, TapeError."""
        if not band.strip():
            raise TapeError(tr("Name the band."))
        ends = tuple(
            _above_zero(end, "Hz", tr("a frequency with its unit, like 975 kHz or 2,065 MHz")) for end in (low, high)
        )
        for typed, hz in zip((low, high), ends, strict=True):
            if hz < _LOWEST_STOP_HZ:
                raise EntryError.impossible(typed, tr("that would be hertz. Write the prefix: 975 kHz, 2.065 MHz."))
        if ends[0] == ends[1]:
            raise TapeError(tr("Both stops read the same. Turn the dial from one stop to the other."))
        self._session.append(StopsCounted(band.strip(), min(ends), max(ends), counted))

    def read_beside(
        self, other: str, what: BesideWhat, mine: str, its: str, signal: str = "", splitter: str = ""
    ) -> None:
        """This radio and another on one signal (texts with units). What a splitter takes is taken off the levels. Raises EntryError, TapeError."""
        if what not in BESIDE:
            raise TapeError(
                tr("“{what}” is nothing to compare. Use one of: {list}.", what=what, list=", ".join(BESIDE))
            )
        if not other.strip():
            raise TapeError(tr("Name the other radio."))
        loss = parse_si(splitter.removesuffix("dB").strip(), "") if splitter.strip() else 0.0
        if not 0.0 <= loss <= _MOST_SPLITTER_DB:
            raise EntryError.impossible(splitter, tr("a splitter takes between 0 and 30 dB."))
        q = quantity(_BESIDE_AS[what])
        values: list[float] = []
        for typed in (mine, its):
            entry = parse_entry(typed, q.kind, q.shown)
            if entry.value is None or entry.bound:
                raise EntryError.not_understood(typed, EXPECTED[q.kind])
            value = canonical(entry, q)
            if not q.low <= value <= q.high:
                raise EntryError.impossible(typed, EXPECTED[q.kind])
            values.append(value - (loss if what == "sensitivity" else 0.0))
        self._session.append(ReadBeside(other.strip(), what, values[0], values[1], signal.strip(), loss))

    def modify(
        self, what: ModifiedWhat, where: str, was: str = "", now: str = "", why: str = "",
        pictures: Mapping[str, bytes] | None = None, pins: tuple[tuple[str, float, float], ...] = (),
        sets: tuple[tuple[str, str, str], ...] = (), affects: tuple[Effect, ...] | None = None,
    ) -> None:  # fmt: skip
        """The radio was changed: what kind, where, what was there and is there now, why, with photographs and the place on them. Readings
        become stale (those that it ``affects``). ``sets``: what of a simulated radio's physics changes. Raises TapeError, SheetError."""
        if what not in MODIFIED:
            raise TapeError(tr("“{what}” is not a change. Use one of: {list}.", what=what, list=", ".join(MODIFIED)))
        if not where.strip():
            raise TapeError(tr("Say where: the part, the pin, the wire’s colour."))
        if what in ("part added", "part changed", "wire moved") and not now.strip():
            raise TapeError(tr("Say what is there now."))
        if what == "part changed" and not was.strip():
            raise TapeError(tr("Say what was there: without it nobody can undo it."))
        for name, content in (pictures or {}).items():
            check_picture(name, content)
        kept = {n: self._session.logbook.put_blob(content) for n, content in (pictures or {}).items()}
        self._session.append(Modified(what, where.strip(), was.strip(), now.strip(), why.strip(), 0, sets, kept, pins))
        self._changed(where.strip(), tr(what), affects)

    def put_back(self, entry_id: str) -> None:
        """A change is undone. Readings become stale. Raises TapeError for one that does not stand."""
        made = self._session.state.shop.modifications.get(entry_id)
        if made is None or made.put_back:
            raise TapeError(tr("That change does not stand any more."))
        self._session.append(PutBack(entry_id))
        self._changed(made.where, tr("put back"))

    def _changed(self, where: str, words: str, affects: tuple[Effect, ...] | None = None) -> None:
        if self._session.state.readings:
            self._session.touch(where, f"{where}: {words}", affects, working=False)

    def tell_control(self, control: str, does: str) -> None:
        """What a switch or knob of this radio now does, in plain words. Raises TapeError."""
        if not control.strip():
            raise TapeError(tr("Name the control."))
        self._session.append(ControlTold(control.strip(), does.strip()))

    def test_control(self, control: str, works: bool, words: str = "") -> None:
        """A control was function-tested. Raises TapeError where it does not work and nothing is said."""
        if not works and not words.strip():
            raise TapeError(tr("Say what the control does not do."))
        self._session.append(ControlTold(control, works=works, words=words.strip()))

    def leave(self, item: str, fine: bool, words: str = "", pictures: Mapping[str, bytes] | None = None) -> None:
        """Something was looked at, or set, before the radio goes home. Raises TapeError, SheetError for a photograph that is no picture."""
        if not item.strip():
            raise TapeError(tr("Say what was looked at."))
        if not fine and not words.strip():
            raise TapeError(tr("Say what is wrong: it is printed on the handover page."))
        for name, content in (pictures or {}).items():
            check_picture(name, content)
        kept = {n: self._session.logbook.put_blob(content) for n, content in (pictures or {}).items()}
        self._session.append(LeavingNoted(item.strip(), fine, words.strip(), kept))

    def set_status(self, status: str, why: str = "", approved: str | None = None, worth: str | None = None) -> None:
        """Open, waiting (for the owner, a part, a manual) or left for later; ``approved`` is up to which cost, ``worth`` what the radio is
        worth. Raises TapeError."""
        if status not in STATUSES:
            raise TapeError(
                tr("“{status}” is not a state. Use one of: {list}.", status=status, list=", ".join(STATUSES))
            )
        texts = (None if x is None else x.strip() for x in (approved, worth))
        self._session.append(StatusSet(status, why.strip(), *texts))

    def hand_over(self, to: str = "") -> None:
        """The finished radio was given back. Raises TapeError while the job is not finished."""
        if not self._session.state.finished:
            raise TapeError(tr("This job is not finished. Finish it, then hand it over."))
        if self._session.state.shop.handed is None:
            self._session.append(HandedOver(to.strip()))

    def archive(self, archived: bool = True) -> None:
        """Put the job away from the list, or back into it. It is found by searching all the same."""
        if archived != self._session.state.shop.archived:
            self._session.append(Archived(archived))


def substitute_why(instead: str, fitted: str) -> str:
    """Why a substitute is right or wrong, in one line; empty where the two cannot be compared."""
    try:
        return describe_substitute(judge_substitute(parse_spec(instead), parse_spec(fitted)))
    except EntryError:
        return ""


def _above_zero(typed: str, unit: str, expected: str) -> float:
    try:
        value = parse_si(typed, unit)
    except EntryError:
        raise EntryError.not_understood(typed, expected) from None
    if not (math.isfinite(value) and value > 0):
        raise EntryError.impossible(typed, tr("must be above zero. Expected {expected}.", expected=expected))
    return value
