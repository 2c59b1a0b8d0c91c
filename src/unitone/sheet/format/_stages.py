"""How the stages of a sheet are traced: where each is fed, what is expected there, what a scope or counter finds; and its parts."""

from __future__ import annotations

from collections.abc import Callable

from unitone.errors import EntryError
from unitone.quantities.entry import parse_si
from unitone.radio.levels import parse_level
from unitone.sheet.format import keys as form
from unitone.sheet.format.lines import Place
from unitone.sheet.model.injection import Terms, parse_terms, unknown_names
from unitone.sheet.model.sheet import Inject, PartKind, Signal, Stage
from unitone.words import tr

Complain = Callable[[Place, str], None]
#: What a part is, by the letters that its number begins with (common practice, no source).
_KINDS: dict[str, PartKind] = {
    "R": "resistor", "VR": "resistor", "RV": "resistor", "C": "capacitor", "CV": "capacitor", "L": "winding", "T": "winding",
    "TR": "device", "Q": "device", "V": "device", "D": "device", "IC": "device", "U": "device", "X": "crystal", "XL": "crystal",
    "FL": "winding", "K": "contact", "RL": "contact", "S": "contact", "SW": "contact", "P": "contact", "J": "contact",
}  # fmt: skip


def part_kind(part: form.PartPart) -> PartKind:
    """What a part is: as the sheet says, else by its number."""
    letters = part.id.rstrip("0123456789abcdefgh-").upper()
    return part.kind or _KINDS.get(letters, "")


def inject(complain: Complain, place: Place, part: form.InjectPart, w: form.SheetFile) -> Inject:
    """Where a generator goes, its frequency there, how it is coupled."""
    hz: float | None = None
    terms = _terms(complain, (*place, "frequency"), part.frequency, w)
    if len(terms) == 1 and isinstance(terms[0][1], float):
        hz, terms = terms[0][1], ()
    if hz is not None and not 20.0 <= hz <= 3e9:
        complain(
            (*place, "frequency"), tr("{frequency!r}: a generator gives 20 Hz to 3 GHz.", frequency=part.frequency)
        )
    stage = part.stage
    if stage and not any(s.id == stage and s.way == "receive" for s in w.stage):
        complain((*place, "stage"), tr("no stage {stage!r}. Add it or name another.", stage=stage))
    return Inject(part.at, hz, part.coupling, terms, stage)


def _terms(complain: Complain, place: Place, text: str | None, w: form.SheetFile) -> Terms:
    if text is None:
        return ()
    try:
        terms = parse_terms(text)
    except EntryError as error:
        complain(place, str(error))
        return ()
    known = frozenset({o.id for o in w.oscillator} | {m.output for m in w.mixing})
    for name in unknown_names(terms, known):
        complain(
            place,
            tr(
                "nothing is called {name!r}: name “channel”, an oscillator, an output of the mixing lines or rx.if1.",
                name=name,
            ),
        )
    return terms


def stages(complain: Complain, w: form.SheetFile) -> tuple[Stage, ...]:
    """The stages of the sheet, with everything that they name checked."""
    ids = {s.id for s in w.stage}
    modes = {m for s in w.step for m in s.modes} | {m.when.mode for m in w.mixing if m.when.mode}
    made = []
    for i, s in enumerate(w.stage):
        place: Place = ("stage", i)
        for name in s.after:
            if name not in ids:
                complain((*place, "after"), tr("no stage {stage!r}. Add it or name another.", stage=name))
        for name in s.acts_on:
            if name not in ids or name == s.id:
                complain((*place, "acts_on"), tr("no other stage {stage!r}. Add it or name another.", stage=name))
        for name in s.modes:
            if name not in modes:
                complain((*place, "modes"), tr("no step and no mixing line has the mode {mode!r}.", mode=name))
        expect, at = None, None
        if s.inject is not None:
            at = inject(complain, (*place, "inject"), s.inject, w)
            if s.way != "receive":
                complain((*place, "inject"), tr("a generator is connected to receive stages only."))
            try:
                expect = parse_level(s.inject.level)
            except EntryError as error:
                complain((*place, "inject", "level"), str(error))
        made.append(
            Stage(s.id, s.title, s.way, tuple(s.after), at, expect, s.watch, s.shows, _volts(complain, (*place, "dc"), s.dc),
                  _signal(complain, (*place, "signal"), s.signal, w), tuple(s.modes), tuple(s.acts_on))
        )  # fmt: skip
    _no_ring(complain, w)
    watched = [s for s in made if s.inject is not None and s.watch == "s_meter"]
    if watched and not any(s.shows == "rx.s_meter" and s.after for s in made):
        complain(
            ("stage",),
            tr('{stage} is watched on the S-meter: give the stage of the S-meter shows = "rx.s_meter" and after.',
               stage=watched[0].id),
        )  # fmt: skip
    return tuple(made)


def _volts(complain: Complain, place: Place, text: str | None) -> float:
    if text is None:
        return 0.0
    try:
        return parse_si(text, "V")
    except EntryError as error:
        complain(place, str(error))
        return 0.0


def _signal(complain: Complain, place: Place, part: form.SignalPart | None, w: form.SheetFile) -> Signal | None:
    if part is None:
        return None
    ends: tuple[float, float] | None = None
    terms: Terms = ()
    if isinstance(part.frequency, list):
        try:
            found = sorted(parse_si(x, "Hz") for x in part.frequency)
            ends = (found[0], found[-1]) if found else None
        except EntryError as error:
            complain((*place, "frequency"), str(error))
        if len(part.frequency) != 2:
            complain((*place, "frequency"), tr("a range has two ends: give both, or one frequency."))
    else:
        terms = _terms(complain, (*place, "frequency"), part.frequency, w)
    peak = _volts(complain, (*place, "level"), part.level) if part.level else None
    return Signal(part.at, terms, ends, peak)


def _no_ring(complain: Complain, w: form.SheetFile) -> None:
    """A stage that follows itself round a ring: signals pass one way."""
    after = {s.id: list(s.after) for s in w.stage}
    for i, s in enumerate(w.stage):
        seen, ahead = set[str](), list(s.after)
        while ahead:
            name = ahead.pop()
            if name == s.id:
                complain(("stage", i, "after"), tr("{stage} follows itself. Take one of the names out.", stage=s.id))
                break
            if name not in seen:
                seen.add(name)
                ahead += after.get(name, [])
