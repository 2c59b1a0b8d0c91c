"""From the written shapes to the sheet: every cross-reference, unit and limit checked, every problem with its place."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise
from typing import Any

from pydantic import ValidationError

from unitone.errors import EntryError
from unitone.quantities.entry import parse_si
from unitone.quantities.registry import QUANTITIES, Quantity
from unitone.radio.channels import ChannelPlan
from unitone.radio.levels import mark_db, parse_level
from unitone.sheet.format import keys as form
from unitone.sheet.format._care import known_faults, looks, supply, voltages
from unitone.sheet.format._ceilings import above_ceiling, capped, final, overheated, rule
from unitone.sheet.format._channelled import (
    NO_CHANNELS,
    channel_plan,
    doubled_channels,
    impossible_mixing,
    mixing_line,
    oscillator,
)
from unitone.sheet.format._stages import inject, part_kind, stages
from unitone.sheet.format.cures import cure_of
from unitone.sheet.format.lines import Place
from unitone.sheet.model.effects import EVERYTHING, known, oscillator_affects, stage_effect, usual_effect
from unitone.sheet.model.limits import limit_from_text, make_limit, value_of
from unitone.sheet.model.sheet import (
    EIGHTH,
    TURN,
    Action,
    Adjuster,
    AdjusterKind,
    Conditions,
    Control,
    DialBand,
    Effect,
    IfTransformer,
    Inject,
    Limit,
    Part,
    Picture,
    Pll,
    ReadWith,
    Sheet,
    Step,
    TestPoint,
    Tracing,
    Way,
    led_point,
)
from unitone.words import replace_untranslated, tr

FORMAT = "unitone-sheet/1"
#: More steps than any radio has; a file beyond it is no sheet.
MAX_STEPS = 1000
#: The smallest sensible move of each kind of adjuster, in millidegrees.
DEFAULT_STEP: dict[AdjusterKind, int] = {
    "core": EIGHTH, "trimmer": 2_000, "preset": 2_500, "link": TURN, "part": TURN,
}  # fmt: skip
DEFAULT_TRAVEL: dict[AdjusterKind, int] = {
    "core": 8 * TURN, "trimmer": TURN, "preset": 270_000, "link": TURN, "part": TURN,
}  # fmt: skip


@dataclass(frozen=True)
class Problem:
    """What is wrong, where (``("step", 3, "limit")``), with the cure in the text."""

    place: Place
    text: str

    @property
    def key(self) -> str:
        """The place without its numbers: ``step.limit``."""
        return ".".join(str(p) for p in self.place if not isinstance(p, int)) or "file"


@dataclass
class Problems:
    """Collects problems while a sheet is put together."""

    found: list[Problem] = field(default_factory=list)

    def complain(self, place: Place, text: str) -> None:
        """One problem more."""
        self.found.append(Problem(place, text))


def check(
    raw: dict[str, Any], identifier: str, text: str = "", kept: bool = False
) -> tuple[Sheet | None, tuple[Problem, ...]]:
    """The sheet made of plain data, and everything that is wrong with it; no sheet while anything is.

    ``kept``: not whether its channels and mixing lines can be, which is asked when a sheet is written or taken.
    """
    problems = Problems()
    given = raw.get("format")
    if given != FORMAT:
        newer = isinstance(given, str) and given.startswith("unitone-sheet/")
        cure = tr("It needs a newer Unitone.") if newer else tr('Write format = "{what}" at the top.', what=FORMAT)
        problems.complain(("format",), tr("{given!r} is not {what!r}. {cure}", given=given, what=FORMAT, cure=cure))
        return None, tuple(problems.found)
    steps = raw.get("step")
    if isinstance(steps, list) and len(steps) > MAX_STEPS:
        problems.complain(
            ("step", MAX_STEPS),
            tr(
                "{n} steps; a sheet has at most {max_steps}. Split it into several sheets.",
                n=len(steps),
                max_steps=MAX_STEPS,
            ),
        )
        return None, tuple(problems.found)
    try:
        written = form.SheetFile.model_validate(raw)
    except ValidationError as error:
        for problem in error.errors():
            # Where a key may hold several forms, Pydantic names each form in the place; people name the key.
            place = tuple(p for p in problem["loc"] if p not in _FORMS)
            problems.complain(place, cure_of(problem))
        problems.found += _wrong_references(raw, error, identifier)
        return None, _once(problems.found)
    sheet = _build(written, problems, identifier, text)
    if not kept and not problems.found:
        doubled_channels(problems.complain, written.channels)
        impossible_mixing(problems.complain, sheet)
    return (None if problems.found else sheet), _once(problems.found)


#: Keys of a row that the rest of the row is judged by: where one is of the wrong shape, the row is not judged further.
_LEANS = frozenset(
    {
        "adjust",
        "aim",
        "quantity",
        "hook_up",
        "way",
        "channels",
        "bands",
        "modes",
        "limit",
        "id",
        "kind",
        "output",
        "terms",
    }
)


def _wrong_references(raw: dict[str, Any], error: ValidationError, identifier: str) -> list[Problem]:
    """What else is wrong with a sheet of which some keys are of the wrong shape: those are left out, and what follows from that is not told."""
    sound: dict[str, Any] = {
        k: [dict(r) if isinstance(r, dict) else r for r in v] if isinstance(v, list) else v for k, v in raw.items()
    }
    kept = {k: list(range(len(v))) for k, v in sound.items() if isinstance(v, list)}
    bad_keys: set[Place] = set()
    gone: set[str] = set()
    for _ in range(2):
        rows: set[tuple[str, int]] = set()
        for problem in error.errors():
            place = problem["loc"]
            table = str(place[0])
            if len(place) >= 3 and table in kept and isinstance(place[1], int):
                row = sound[table][place[1]]
                if problem["type"] != "missing" and isinstance(row, dict) and place[2] in row:
                    del row[place[2]]
                    bad_keys.add((table, kept[table][place[1]], place[2]))
                else:
                    rows.add((table, place[1]))
            elif len(place) == 2 and table in kept and isinstance(place[1], int):
                rows.add((table, place[1]))
            elif problem["type"] != "missing" and table in sound:
                del sound[table]
            else:
                return []
        for table, at in sorted(rows, reverse=True):
            row = sound[table].pop(at)
            kept[table].pop(at)
            gone |= {str(row["id"])} if isinstance(row, dict) and "id" in row else set()
        try:
            written = form.SheetFile.model_validate(sound)
            break
        except ValidationError as again:
            error = again
    else:
        return []
    more = Problems()
    sheet = _build(written, more, identifier, "")
    if not more.found:
        doubled_channels(more.complain, written.channels)
        impossible_mixing(more.complain, sheet)
    leaning = {p[:2] for p in bad_keys if p[2] in _LEANS}
    found = []
    for p in more.found:
        place = p.place
        if len(place) >= 2 and place[0] in kept and isinstance(place[1], int):
            place = (place[0], kept[str(place[0])][place[1]], *place[2:])
        if place[:2] not in leaning and place[:3] not in bad_keys and not any(repr(g) in p.text for g in gone):
            found.append(Problem(place, p.text))
    return found


_FORMS = ("str", "ReachPart", "list[str]", "LimitPart", "dict[str,str]")


def _once(problems: Sequence[Problem]) -> tuple[Problem, ...]:
    return tuple(dict.fromkeys(problems))


def _build(w: form.SheetFile, problems: Problems, identifier: str, text: str) -> Sheet:
    channels = channel_plan(problems.complain, w.channels)
    for table, ids in (
        ("adjuster", [a.id for a in w.adjuster]), ("test_point", [p.id for p in w.test_point]),
        ("stage", [s.id for s in w.stage]), ("step", [s.id for s in w.step]), ("part", [p.id for p in w.part]),
        ("action", [a.id for a in w.action]), ("picture", [p.id for p in w.picture]),
        ("oscillator", [o.id for o in w.oscillator]), ("control", [c.id for c in w.control]),
        ("voltage", [v.id for v in w.voltage]), ("inspect", [x.id for x in w.inspect]),
    ):  # fmt: skip
        _unique(problems, table, ids)
    oscillators = tuple(oscillator(problems.complain, i, o, w) for i, o in enumerate(w.oscillator))
    mixing = tuple(mixing_line(problems.complain, i, m, w) for i, m in enumerate(w.mixing))
    pictures = _pictures(problems, w)
    steps = tuple(s for i, part in enumerate(w.step) if (s := _step(problems, i, part, w, channels)) is not None)
    ruled = rule(problems.complain, w.ceiling)
    above_ceiling(problems.complain, [s.id for s in w.step], steps, ruled)
    fed, last = supply(problems.complain, w.supply, w.model.supply or ""), final(problems.complain, w.final)
    overheated(problems.complain, steps, fed, last)
    sheet = Sheet(
        id=identifier,
        maker=w.model.maker,
        name=w.model.name,
        kind=w.model.kind,
        supply=w.model.supply,
        plan=channels,
        oscillators=oscillators,
        mixing=mixing,
        controls=tuple(Control(c.id, c.positions, c.does) for c in w.control),
        conventions=_conventions(problems, w),
        adjusters=(),
        test_points=tuple(
            TestPoint(p.id, p.title, _pin(problems, ("test_point", i), p, pictures), p.picture)
            for i, p in enumerate(w.test_point)
        ),
        stages=stages(problems.complain, w),
        tracing=_tracing(problems, w),
        transformers=_transformers(problems, w),
        dials=_dials(problems, w, channels),
        plls=_plls(problems, w),
        steps=tuple(capped(s, ruled) for s in steps),
        pictures=pictures,
        cautions=tuple(w.model.caution),
        power=fed,
        final=last,
        rule=ruled,
        looks=looks(problems.complain, w),
        known_faults=known_faults(problems.complain, w),
        family=w.model.family,
        aliases=tuple(w.model.aliases),
        source_text=text,
    )
    _order(problems, w)
    sheet = replace_untranslated(sheet, adjusters=_adjusters(problems, w, sheet, pictures))
    return replace_untranslated(
        sheet,
        voltages=voltages(problems.complain, w, sheet),
        parts=tuple(_part(problems, i, p, sheet, pictures) for i, p in enumerate(w.part)),
        actions=tuple(
            Action(a.id, a.title, _affects(problems, ("action", i, "affects"), a.affects) or EVERYTHING)
            for i, a in enumerate(w.action)
        ),
    )


def _conventions(problems: Problems, w: form.SheetFile) -> tuple[tuple[str, str], ...]:
    from unitone.sheet.conventions.questions import QUESTIONS

    for question, choice in w.conventions.items():
        if question not in QUESTIONS:
            problems.complain(
                ("conventions", question), tr("no such question. Known: {list}.", list=", ".join(QUESTIONS))
            )
        elif choice not in QUESTIONS[question].choices:
            problems.complain(
                ("conventions", question),
                tr(
                    "{choice!r} is not a choice. Use one of {list}.",
                    choice=choice,
                    list=", ".join(QUESTIONS[question].choices),
                ),
            )
    return tuple(w.conventions.items())


def _unique(problems: Problems, table: str, identifiers: list[str]) -> None:
    seen: set[str] = set()
    for i, identifier in enumerate(identifiers):
        if not identifier.strip():
            problems.complain((table, i, "id"), tr("is empty. Give each {table} an id.", table=table))
        elif identifier in seen:
            problems.complain(
                (table, i, "id"),
                tr(
                    "{identifier!r} stands twice. Give each {table} an id of its own.",
                    identifier=identifier,
                    table=table,
                ),
            )
        seen.add(identifier)


def _pictures(problems: Problems, w: form.SheetFile) -> tuple[Picture, ...]:
    found = []
    if w.model.board:
        if w.picture:
            problems.complain(("model", "board"), tr("pictures are listed as [[picture]] already. Remove this key."))
        else:
            found.append(Picture("board", w.model.board, ""))
    for i, p in enumerate(w.picture):
        if "/" in p.file or "\\" in p.file or p.file.startswith(".") or not p.file:
            problems.complain(
                ("picture", i, "file"),
                tr("{file!r} is not a plain file name. Give the name without a folder.", file=p.file),
            )
        crop = p.crop or [0.0, 0.0, 1.0, 1.0]
        found.append(Picture(p.id, p.file, p.title, (crop[0], crop[1], crop[2], crop[3])))
    return tuple(found)


def _pin(
    problems: Problems, place: Place, part: form.AdjusterPart | form.TestPointPart | form.PartPart,
    pictures: tuple[Picture, ...],
) -> tuple[float, float] | None:  # fmt: skip
    picture = next((p for p in pictures if p.id == part.picture), None) if part.picture else (pictures or (None,))[0]
    if part.picture and picture is None:
        problems.complain(
            (*place, "picture"), tr("no picture {picture!r}. Add a [[picture]] with that id.", picture=part.picture)
        )
    if part.pin is None:
        return None
    across, down = part.pin
    if picture is not None:
        left, top, right, bottom = picture.crop
        if not (left <= across <= right and top <= down <= bottom):
            problems.complain(
                (*place, "pin"), tr("lies outside the part of the picture that is shown. Move it or widen the crop.")
            )
    return across, down


def _number(problems: Problems, place: Place, text: str, unit: str) -> float:
    try:
        return parse_si(text, unit)
    except EntryError as error:
        problems.complain(place, str(error))
        return 0.0


def _affects(problems: Problems, place: Place, given: Iterable[str | form.EffectPart]) -> tuple[Effect, ...]:
    found = []
    for r in given:
        reach = (
            Effect(r)
            if isinstance(r, str)
            else Effect(r.quantity, r.way, r.channel, r.band, r.mode, r.test_point, r.panel)
        )
        if not known(reach):
            problems.complain(
                place,
                tr(
                    "{pattern!r} is not a quantity. Use one of {list}, or a prefix like rx.*.",
                    pattern=reach.pattern,
                    list=", ".join(sorted(QUANTITIES)),
                ),
            )
        found.append(reach)
    return tuple(found)


def _adjusters(
    problems: Problems, w: form.SheetFile, sheet: Sheet, pictures: tuple[Picture, ...]
) -> tuple[Adjuster, ...]:
    used: dict[str, list[Step]] = {}
    for step in sheet.steps:
        for name in step.adjusters:
            used.setdefault(name, []).append(step)
    by_oscillator = {} if problems.found else oscillator_affects(sheet)
    stages = {s.id for s in w.stage}
    made = []
    for i, a in enumerate(w.adjuster):
        travel = DEFAULT_TRAVEL[a.kind]
        if a.turns is not None:
            travel = round(min(a.turns, 1e6) * TURN)
        if a.degrees is not None:
            travel = round(min(a.degrees, 1e9) * 1000)
        step_mdeg = DEFAULT_STEP[a.kind] if a.step is None else round(min(a.step, 1e9) * 1000)
        if travel <= 0 or step_mdeg <= 0 or step_mdeg > travel:
            problems.complain(
                ("adjuster", i), tr("{id}: travel and step must be above zero, the step within the travel.", id=a.id)
            )
        if a.stage and a.stage not in stages:
            problems.complain(
                ("adjuster", i, "stage"), tr("no stage {stage!r}. Add it or name another.", stage=a.stage)
            )
        declared = _affects(problems, ("adjuster", i, "affects"), a.affects)
        # The reach of an oscillator's trimmer is worked out from the mixing lines; without them it is taken widely.
        mixed = dict.fromkeys(r for o in sheet.oscillators if o.trim == a.id for r in by_oscillator.get(o.id, ()))
        affects = declared or (() if mixed else usual_effect(s.quantity_id for s in used.get(a.id, [])))
        affects += tuple(r for r in mixed if r not in affects)
        # What an adjuster is turned for it reaches, whether its sheet says so or not.
        for step in used.get(a.id, []):
            if not any(r.covers(step.quantity_id, c) for r in affects for c in step.required):
                affects += (Effect(step.quantity_id),)
            # What is left of a carrier adds to the peak of the envelope.
            if step.quantity_id == "tx.carrier_suppression" and not any(
                r.covers("tx.pep", c) for r in affects for c in step.required
            ):
                affects += (Effect("tx.pep"),)
        stops = a.kind != "trimmer" if a.stops is None else a.stops
        made.append(
            Adjuster(
                a.id, a.kind, a.where, _pin(problems, ("adjuster", i), a, pictures), a.tool, travel, stops, step_mdeg,
                affects, a.stage, a.note, a.picture, a.lock,
            )
        )  # fmt: skip
    return tuple(made)


def _part(problems: Problems, i: int, p: form.PartPart, sheet: Sheet, pictures: tuple[Picture, ...]) -> Part:
    if p.stage and p.stage not in {s.id for s in sheet.stages}:
        problems.complain(("part", i, "stage"), tr("no stage {stage!r}. Add it or name another.", stage=p.stage))
    affects = _affects(problems, ("part", i, "affects"), p.affects) or stage_effect(sheet, p.stage)
    pin = _pin(problems, ("part", i), p, pictures)
    return Part(p.id, p.what, p.where, pin, affects, p.stage, p.picture, part_kind(p), p.value)


def _step(problems: Problems, i: int, s: form.StepPart, w: form.SheetFile, channels: ChannelPlan) -> Step | None:
    if s.quantity not in QUANTITIES:
        problems.complain(
            ("step", i, "quantity"),
            tr(
                "{quantity!r} is not a quantity. Use one of {list}.",
                quantity=s.quantity,
                list=", ".join(sorted(QUANTITIES)),
            ),
        )
        return None
    q = QUANTITIES[s.quantity]
    groups = tuple((g,) if isinstance(g, str) else tuple(g) for g in s.adjust)
    if any(len(group) not in (1, 2) for group in groups):
        problems.complain(("step", i, "adjust"), tr("a coupled pair names two adjusters."))
    _references(problems, i, s, w, channels, [name for group in groups for name in group])
    way: Way = s.way or ("transmit" if s.hook_up == "transmit" else "receive" if s.hook_up == "receive" else "either")
    if (q.way == "transmit" and s.hook_up != "transmit") or (way == "transmit" and s.hook_up != "transmit"):
        problems.complain(
            ("step", i, "hook_up"), tr('{quantity} is measured on transmit: hook_up = "transmit".', quantity=s.quantity)
        )
    limit = _limit(problems, i, s, q)
    target = None
    if s.target is not None:
        try:
            target = value_of(s.target, q)
        except EntryError as error:
            problems.complain(("step", i, "target"), str(error))
        if target is not None and not limit.holds(target):
            problems.complain(
                ("step", i, "target"),
                tr("{target!r} lies outside the step's own limit. Correct one of them.", target=s.target),
            )
    if s.set_channel is not None and s.set_channel not in s.channels:
        problems.complain(
            ("step", i, "set_channel"),
            tr("{set_channel!r} is not among the step's channels. Add it there.", set_channel=s.set_channel),
        )
    if s.aim in ("peak", "null") and q.hill_slope == 0:
        problems.complain(("step", i, "aim"), tr('{title} has no peak. Use aim = "set" or "check".', title=q.title))
    if s.aim != "check" and not groups:
        problems.complain(
            ("step", i, "adjust"), tr('aim = "{aim}" needs an adjuster. Name one or use aim = "check".', aim=s.aim)
        )
    leds = _leds(problems, i, s)
    required = _required(problems, i, s, way, q, _panel(problems, ("step", i, "panel"), s.panel, w))
    if s.inject is not None and s.inject.stage:
        required = tuple(replace(c, inject=s.inject.stage) for c in required)
    return Step(
        s.id, s.phase, s.title, s.quantity, s.aim, groups, required, limit, s.source, s.hook_up, target, s.set_channel,
        s.stage, tuple(s.after), tuple(s.caution), s.note, s.role, leds=leds, inject=_inject(problems, i, s, w),
        picture=_scan(problems, i, s, w), illegible=s.illegible,
        read=None if s.read is None else ReadWith(s.read.meter, s.read.at), pulls=tuple(s.pulls),
    )  # fmt: skip


def _inject(problems: Problems, i: int, s: form.StepPart, w: form.SheetFile) -> Inject | None:
    """The generator's point and frequency, where it does not feed the aerial socket."""
    if s.inject is None:
        return None
    place = ("step", i, "inject")
    if s.hook_up != "receive":
        problems.complain(place, tr('the generator is connected on receive steps only: hook_up = "receive".'))
    return inject(problems.complain, place, s.inject, w)


def _scan(problems: Problems, i: int, s: form.StepPart, w: form.SheetFile) -> str:
    if s.picture and s.picture not in {p.id for p in w.picture}:
        problems.complain(
            ("step", i, "picture"), tr("no picture {picture!r}. Add a [[picture]] with that id.", picture=s.picture)
        )
    return s.picture


def _leds(problems: Problems, i: int, s: form.StepPart) -> tuple[str, ...]:
    """The marks of a meter of LEDs: they go upward, and S9 is among them."""
    place = ("step", i, "leds")
    if s.quantity != "rx.led_lights":
        if s.leds:
            problems.complain(place, tr("only a step of rx.led_lights has “leds”. Leave it out, or use that quantity."))
        return ()
    try:
        marks = [mark_db(m) for m in s.leds]
    except EntryError as error:
        problems.complain(place, str(error))
        return ()
    if 0.0 not in marks or any(b <= a for a, b in pairwise(marks)):
        problems.complain(
            place,
            tr('name the marks from weak to strong, S9 among them. Write leds = ["S3", "S6", "S9", "+20"].'),
        )
    return tuple("S9" if db == 0.0 else m.strip() for m, db in zip(s.leds, marks, strict=True))


def _references(
    problems: Problems, i: int, s: form.StepPart, w: form.SheetFile, channels: ChannelPlan, adjusters: list[str]
) -> None:
    have = {a.id for a in w.adjuster}
    for name in adjusters:
        if name not in have:
            problems.complain(
                ("step", i, "adjust"), tr("no adjuster {name!r}. Add an [[adjuster]] with that id.", name=name)
            )
    if s.stage and s.stage not in {x.id for x in w.stage}:
        problems.complain(("step", i, "stage"), tr("no stage {stage!r}. Add a [[stage]] with that id.", stage=s.stage))
    if s.test_point is not None and s.test_point not in {p.id for p in w.test_point}:
        problems.complain(
            ("step", i, "test_point"),
            tr("no test point {test_point!r}. Add a [[test_point]] with that id.", test_point=s.test_point),
        )
    for name in s.channels:
        if channels is not NO_CHANNELS and name not in channels.names:
            problems.complain(
                ("step", i, "channels"),
                tr("plan {id} has no channel {name!r}. Name one of its channels.", id=channels.id, name=name),
            )
    for name in s.bands:
        if name not in dict(channels.bands):
            have_bands = ", ".join(n for n, _ in channels.bands) or "none"
            problems.complain(
                ("step", i, "bands"),
                tr("no band {name!r}. Bands under [channels] are: {have_bands}.", name=name, have_bands=have_bands),
            )


def _panel(
    problems: Problems, place: Place, given: str | dict[str, str], w: form.SheetFile
) -> tuple[tuple[str, str], ...]:
    """Controls with their positions, as the file writes them."""
    if isinstance(given, dict):
        panel = dict(given)
    else:
        panel = {}
        for piece in (p.strip() for p in given.split(",")):
            control, _, position = piece.replace("=", " ").partition(" ")
            if piece:
                panel[control] = position.strip()
                if not position.strip():
                    problems.complain(
                        place, tr("{piece!r} names no position. Write it like: squelch open.", piece=piece)
                    )
    for control in panel:
        if control not in {c.id for c in w.control}:
            problems.complain(place, tr("no control {control!r}. Add a [[control]] with that id.", control=control))
    return tuple(sorted(panel.items()))


def _transformers(problems: Problems, w: form.SheetFile) -> tuple[IfTransformer, ...]:
    """The IF transformers that a sheet describes, whose cores it has."""
    own, found = {a.id for a in w.adjuster}, []
    for n, t in enumerate(w.transformer):
        place = ("transformer", n)
        missing = [a for a in t.adjusters if a not in own]
        if missing:
            problems.complain((*place, "adjusters"), tr("the sheet has no adjuster {a!r}.", a=missing[0]))
        try:
            found.append(
                IfTransformer(
                    (t.adjusters[0], t.adjusters[1]),
                    parse_si(t.frequency, "Hz"),
                    t.q,
                    t.coupling,
                    parse_si(t.per_turn, "Hz"),
                )
            )
        except EntryError as error:
            problems.complain(place, str(error))
    if any(t.centre_hz <= 0 for t in found):
        problems.complain(("transformer",), tr('must be above zero. Write it like "465 kHz".'))
    return tuple(found)


def _dials(problems: Problems, w: form.SheetFile, plan: ChannelPlan) -> tuple[DialBand, ...]:
    """The bands of a dial; each channel that one names is the sheet's and lies inside its ends."""
    found: list[DialBand] = []
    for n, d in enumerate(w.dial):
        place = ("dial", n)
        lowest, highest = (_number(problems, (*place, key), getattr(d, key), "Hz") for key in ("lowest", "highest"))
        if d.band in {x.name for x in found}:
            problems.complain(
                (*place, "band"), tr("band {name!r} is there twice. Give each its own name.", name=d.band)
            )
        if 0.0 in (lowest, highest):
            continue
        if not 0.0 < lowest < highest:
            problems.complain(place, tr("lowest and highest are the two ends of the band, the lower one first."))
            continue
        for name in d.channels:
            if name not in plan.names:
                problems.complain((*place, "channels"), tr("the sheet has no channel {name!r}.", name=name))
            elif not lowest <= plan.frequency(name) <= highest:
                problems.complain((*place, "channels"), tr("channel {name!r} lies outside this band.", name=name))
        middle = None if d.intermediate is None else _number(problems, (*place, "intermediate"), d.intermediate, "Hz")
        found.append(DialBand(d.band, lowest, highest, tuple(d.channels), middle or None))
    return tuple(found)


def _plls(problems: Problems, w: form.SheetFile) -> tuple[Pll, ...]:
    """The programmed synthesisers: their outputs are mixing lines (that of the divider with N in it), their weights above zero and each once."""
    found: list[Pll] = []
    outputs_of = {m.output: m for m in w.mixing}
    for n, p in enumerate(w.pll):
        place = ("pll", n)
        line = outputs_of.get(p.output)
        if line is None or not any("N" in term for term in line.terms.values()):
            problems.complain(
                (*place, "output"), tr("no mixing line makes {name!r} with N. Name the one that does.", name=p.output)
            )
        if p.vco not in outputs_of:
            problems.complain((*place, "vco"), tr("no mixing line makes {name!r}. Name the one that does.", name=p.vco))
        if len(set(p.pins.values())) != len(p.pins) or min(p.pins.values()) < 1:
            problems.complain((*place, "pins"), tr("each pin has a weight of its own, above zero."))
        for name in p.driven:
            if name not in p.pins:
                problems.complain((*place, "driven"), tr("it has no pin {name!r}.", name=name))
        try:
            ends = limit_from_text(p.window)
            window = (parse_si(ends["min"], "V"), parse_si(ends["max"], "V"))
            volts = tuple(sorted((parse_si(hz, "Hz"), parse_si(v, "V")) for hz, v in p.volts.items()))
        except (EntryError, KeyError) as error:
            words = str(error) if isinstance(error, EntryError) else tr('Write both ends, like "1 V … 6 V".')
            problems.complain((*place, "window"), words)
            continue
        if not window[0] < window[1]:
            problems.complain((*place, "window"), tr("the lower end comes first."))
        pins = tuple(sorted(p.pins.items(), key=lambda pin: -pin[1]))
        driven = tuple(name for name, _ in pins if name in p.driven or not p.driven)
        found.append(Pll(p.id, p.output, pins, driven, int(p.pull == "up"), p.adds, p.counts, p.vco, window, volts))
    return tuple(found)


def _tracing(problems: Problems, w: form.SheetFile) -> Tracing:
    """The standard output of injected levels; a panel is only asked of a radio that has its controls."""
    own = {c.id for c in w.control}
    default = form.TracingPart()
    given = w.tracing.panel
    panel: tuple[tuple[str, str], ...] = ()
    if given != default.panel or "volume" in own:
        panel = _panel(problems, ("tracing", "panel"), given, w)
    try:
        output = parse_si(w.tracing.output, "V")
        if output <= 0:
            problems.complain(("tracing", "output"), tr('must be above zero. Write it like "0.5 V".'))
    except EntryError as error:
        problems.complain(("tracing", "output"), str(error))
        output = parse_si(default.output, "V")
    return Tracing(output, panel)


def _required(
    problems: Problems, i: int, s: form.StepPart, way: Way, q: Quantity, panel: tuple[tuple[str, str], ...]
) -> tuple[Conditions, ...]:
    stimulus, place = s.stimulus, ("step", i, "stimulus")

    def optional(key: str, text: str | None, unit: str) -> float | None:
        return None if text is None else _number(problems, (*place, key), text, unit)

    level = None
    if stimulus.level is not None:
        try:
            level = parse_level(stimulus.level)
        except EntryError as error:
            problems.complain((*place, "level"), str(error))
    elif q.id in ("rx.sinad", "rx.distortion", "rx.s_meter"):
        problems.complain(
            (*place, "level"), tr('{title} depends on the level. Write it, like level = "0.3 uV".', title=q.title)
        )
    microphone = optional("microphone", stimulus.microphone, "V")
    common = Conditions(
        way=way,
        test_point=led_point("S9") if q.id == "rx.led_lights" else s.test_point,
        level_dbm=level,
        tone_hz=optional("tone", stimulus.tone, "Hz"),
        deviation_hz=optional("deviation", stimulus.deviation, "Hz"),
        depth_pct=optional("depth", stimulus.depth, "%"),
        mic_mv=None if microphone is None else microphone * 1e3,
        panel=panel,
    )
    return tuple(
        replace(common, channel=channel, band=band, mode=mode)
        for band in s.bands or (None,)
        for mode in s.modes or (None,)
        for channel in s.channels or (None,)
    )


def _limit(problems: Problems, i: int, s: form.StepPart, q: Quantity) -> Limit:
    try:
        if isinstance(s.limit, str):
            return make_limit(limit_from_text(s.limit), q)
        return make_limit({k: v for k, v in s.limit.model_dump().items() if v is not None}, q)
    except EntryError as error:
        problems.complain(("step", i, "limit"), str(error))
        return Limit(0.0, 0.0, 0.0)


def _order(problems: Problems, w: form.SheetFile) -> None:
    """``after`` names steps that exist and never goes round in a circle."""
    after = {s.id: s.after for s in w.step}
    for i, s in enumerate(w.step):
        for name in s.after:
            if name not in after:
                problems.complain(("step", i, "after"), tr("no step {name!r}. Name a step of this sheet.", name=name))
        for name in s.pulls:
            if name not in after or name == s.id:
                problems.complain(("step", i, "pulls"), tr("no step {name!r}. Name a step of this sheet.", name=name))
    state: dict[str, int] = {}
    for i, s in enumerate(w.step):
        stack = [(s.id, iter(after.get(s.id, [])))] if s.id not in state else []
        state.setdefault(s.id, 1)
        while stack:
            name, rest = stack[-1]
            following = next((n for n in rest if n in after), None)
            if following is None:
                state[name] = 2
                stack.pop()
            elif state.get(following) == 1:
                circle = [n for n, _ in stack]
                loop = " → ".join([*circle[circle.index(following) :], following])
                problems.complain(
                    ("step", i, "after"), tr("goes round in a circle ({loop}). Take one of them out.", loop=loop)
                )
                return
            elif following not in state:
                state[following] = 1
                stack.append((following, iter(after[following])))
