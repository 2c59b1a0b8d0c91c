"""Conventions: the choices where practitioners differ, and the sheet as it stands after they have been applied.

Who decides, first to last: this job, the sheet, the workshop, the default. A
sheet that names no convention but gives an order (``after``) keeps its order against
the workshop; a job may override both.
"""

from __future__ import annotations

import heapq
from collections.abc import Mapping
from dataclasses import dataclass, replace

from unitone.quantities.registry import HEARD, QUIETING
from unitone.radio.levels import EMF_DB
from unitone.sheet.conventions._off_air import off_air
from unitone.sheet.conventions._second_radio import second_radio
from unitone.sheet.model.sheet import Aim, Limit, Role, Sheet, Step
from unitone.words import N_, in_language, joined, replace_untranslated, tr, translated


@translated("title", "choices", "why", "effect")
@dataclass(frozen=True)
class Convention:
    """One question with its choices; the first is the default. ``effect`` says what it changes."""

    question: str
    title: str
    choices: dict[str, str]
    why: str
    effect: str

    @property
    def default(self) -> str:
        """The first choice."""
        return next(iter(self.choices))


CONVENTIONS: tuple[Convention, ...] = (
    Convention(
        "detector", N_("FM detector"), {"last": N_("last"), "first": N_("first")},
        N_("last suits the final IF; a coarse check comes first all the same"), N_("the order"),
    ),
    Convention(
        "if-order", N_("IF transformers"),
        {"sheet": N_("as the sheet lists them"), "last-first": N_("last transformer first"), "front-to-back": N_("front to back")},
        N_("the sheet's own order; vintage sets are usually done from the last transformer back"), N_("the order"),
    ),
    Convention(
        "in-spec", N_("What is in spec"), {"leave": N_("leave alone"), "try": N_("nudge it, then decide"), "optimise": N_("optimise anyway")},
        N_("a radio in spec needs no turning"), N_("the coach"),
    ),
    Convention(
        "s9", N_("S9"), {"iaru": N_("50 µV PD (100 µV EMF)"), "100uv-pd": N_("100 µV PD"), "50uv-emf": N_("50 µV EMF (25 µV PD)")},
        N_("50 µV PD after IARU Region 1 R.1; some makers set 100 µV PD, some generators are marked in EMF"), N_("the level of S-meter steps"),
    ),
    Convention(
        "after-peak", N_("After the peak"), {"exact": N_("leave it at the peak"), "back-off": N_("turned back slightly")},
        N_("the exact peak; some turn back slightly for stability"), N_("what the step says"),
    ),
    Convention(
        "channel", N_("Peaking channel"),
        {"sheet": N_("as the sheet says"), "middle": N_("the middle, then confirm the ends"), "ends": N_("the ends, then confirm the middle"),
         "stagger": N_("front end: one circuit for the low end, one for the high")},
        N_("the sheet's own; most peak at the middle channel and confirm the ends"), N_("the channel that a step is peaked on"),
    ),
    Convention(
        "sealing", N_("Cores when all is done"),
        {"remind": N_("only say so"), "measure": N_("sealed, covers on, and measured once more")},
        N_("wax and covers move a core slightly: measure once more what was peaked"), N_("the end of the work"),
    ),
    Convention(
        "if-shape", N_("IF shape"), {"peaked": N_("all peaked"), "staggered": N_("staggered for sound")},
        N_("all circuits on one peak; staggering gives a wider, flatter top"), N_("what IF steps say"),
    ),
    Convention(
        "reading", N_("Peaked by"),
        {"sheet": N_("what the sheet reads"), "quieting": N_("quieting (tone off)"), "af": N_("AF output voltage"),
         "ear": N_("ear: louder, softer, same"), "s-meter": N_("S-meter"), "avc": N_("AVC voltage"),
         "scope": N_("scope: AF height in divisions"), "needle": N_("any needle, unmarked scale"),
         "attenuator": N_("attenuator: dB in until the signal just goes")},
        N_("the sheet's own; by ear a peak comes within half a decibel"), N_("what is read while receive coils are peaked"),
    ),
    Convention(
        "source", N_("Receiver fed by"), {"generator": N_("a signal generator"), "station": N_("a weak, steady station off air")},
        N_("a generator stays where it is put; a station costs nothing, and fades"), N_("receive steps: by ear, and what needs a generator left out"),
    ),
    Convention(
        "carrier", N_("SSB carriers set by"),
        {"counter": N_("counter"), "clarifier": N_("second radio, its clarifier, by ear"), "voice": N_("second radio, its sound in the sound card")},
        N_("a counter reads to the hertz; a second radio some metres away needs no instrument at all"), N_("the steps that count oscillators"),
    ),
    Convention(
        "modulation", N_("Modulated by"), {"tone": N_("tone generator"), "voice": N_("voice, the highest of five seconds")},
        N_("tones repeat to the hertz; a voice needs nothing but the microphone"), N_("deviation, depth and PEP steps"),
    ),
    Convention(
        "deviation", N_("Deviation"),
        {"ceiling": N_("the rule's ceiling"), "sheet": N_("the sheet's value"), "louder": N_("the louder workshop habit")},
        N_("what the rule allows and no more: louder splatters"), N_("what deviation steps say"),
    ),
    Convention(
        "power", N_("Power across the band"),
        {"sheet": N_("as the sheet says"), "flattest": N_("flattest within the limit"), "middle": N_("most at the middle")},
        N_("the sheet's own; even power costs a little at the middle"), N_("power steps with several places"),
    ),
    Convention(
        "electrolytics", N_("Electrolytics"), {"bad": N_("only the bad ones"), "all": N_("all of them")},
        N_("keep the good ones; when most of a sample is bad, replace all"), N_("the verdict on a sample"),
    ),
)  # fmt: skip
QUESTIONS: dict[str, Convention] = {s.question: s for s in CONVENTIONS}


@dataclass(frozen=True)
class Choice:
    """How a question stands: the choice, and who made it (job, sheet, workshop, default)."""

    question: str
    choice: str
    by: str


def choices(sheet: Sheet, job: Mapping[str, str], workshop: Mapping[str, str]) -> tuple[Choice, ...]:
    """How every question stands for a job on this sheet."""
    own = dict(sheet.conventions)
    found = []
    for convention in CONVENTIONS:
        q = convention.question
        for by, given in (("job", job), ("sheet", own), ("workshop", workshop)):
            if given.get(q) in convention.choices:
                found.append(Choice(q, given[q], by))
                break
        else:
            found.append(Choice(q, convention.default, "default"))
    return tuple(found)


#: What a step that peaks is for, by its stage.
_ROLE_OF_STAGE: dict[str, Role] = {"if": "if", "aerial": "front-end", "rf": "front-end"}


def role_of(step: Step) -> Role:
    """What a step is for: as it says itself, else by its stage and its quantity."""
    if step.role:
        return step.role
    if step.quantity_id == "rx.distortion" and step.aim == "null":
        return "detector"
    if step.phase == "receive" and step.aim == "peak":
        return _ROLE_OF_STAGE.get(step.stage, "")
    return ""


def ordered(steps: tuple[Step, ...], after: Mapping[str, frozenset[str]] | None = None) -> tuple[Step, ...]:
    """The steps in the order given, moved only where ``after`` demands it (stable topological order).

    ``after`` maps step ids to those that come before; the steps' own where not given.
    """
    place = {s.id: i for i, s in enumerate(steps)}
    before = {s.id: set(after[s.id] if after else s.after) & set(place) for s in steps}
    followers: dict[str, list[str]] = {}
    for name, needed in before.items():
        for n in needed:
            followers.setdefault(n, []).append(name)
    ready = [place[n] for n, needed in before.items() if not needed]
    heapq.heapify(ready)
    placed: list[Step] = []
    while ready:
        step = steps[heapq.heappop(ready)]
        placed.append(step)
        for name in followers.get(step.id, []):
            before[name].discard(step.id)
            if not before[name]:
                heapq.heappush(ready, place[name])
    return tuple(placed)


def apply(sheet: Sheet, job: Mapping[str, str], workshop: Mapping[str, str]) -> tuple[Sheet, str]:
    """The sheet with its steps in procedure order and its conventions applied, and one line on why it stands so."""
    stand = {c.question: c for c in choices(sheet, job, workshop)}
    steps = sheet.steps
    reasons: list[str] = []
    after = {s.id: frozenset(s.after) for s in steps}
    steps, moved = _if_order(steps, stand["if-order"], after)
    reasons += moved
    steps, moved = _detector(steps, stand["detector"], after)
    reasons += moved
    steps = _levels(sheet, steps, stand["s9"])
    if stand["source"].choice == "station":
        steps, without_one = off_air(steps)
        after = {s.id: after[s.id] - without_one for s in steps}
        reasons += [tr("by a station off air")]
    if stand["carrier"].choice != "counter":
        steps, without_one = second_radio(sheet, steps, stand["carrier"].choice)
        after = {s.id: after[s.id] - without_one for s in steps}
        reasons += [tr("carriers by a second radio")]
    steps = tuple(
        _told(
            _channel(
                sheet,
                _power(
                    _spoken(_read_by(s, stand["reading"].choice), stand["modulation"].choice), stand["power"].choice
                ),
                stand["channel"].choice,
            ),
            stand,
            sheet.rule.ceiling(s.quantity_id),
        )
        for s in steps
    )
    if stand["after-peak"].choice == "back-off":
        steps = tuple(_with_note(s, N_("Then turn back slightly.")) if s.aim == "peak" else s for s in steps)
    procedure = ordered(steps, after)
    if not reasons:
        return replace_untranslated(sheet, steps=procedure), tr("as the sheet lists it")
    line = tr("as the sheet: ") if procedure == ordered(sheet.steps) else ""
    return replace_untranslated(sheet, steps=procedure), line + " · ".join(reasons)


def _by(choice: Choice) -> str:
    return {
        "job": tr("this job's choice"), "sheet": tr("the sheet's"), "workshop": tr("the workshop's"),
        "default": tr("the default"),
    }[choice.by]  # fmt: skip


def _has_own_order(steps: list[Step], after: Mapping[str, frozenset[str]]) -> bool:
    """Does the sheet itself say which of these comes first?"""
    ids = {s.id for s in steps}
    return any(after[s.id] & ids for s in steps)


def _reach_back(name: str, after: Mapping[str, frozenset[str]]) -> set[str]:
    """Every step that must come before ``name``."""
    seen: set[str] = set()
    waiting = list(after.get(name, ()))
    while waiting:
        n = waiting.pop()
        if n not in seen:
            seen.add(n)
            waiting += after.get(n, ())
    return seen


def _detector(
    steps: tuple[Step, ...], choice: Choice, after: dict[str, frozenset[str]]
) -> tuple[tuple[Step, ...], list[str]]:
    """Fine detector step before or after the peaking steps."""
    fine = [s for s in steps if role_of(s) == "detector" and s.aim != "check"]
    peaks = [s for s in steps if role_of(s) in ("if", "front-end")]
    if not fine or not peaks:
        return steps, []
    fine_ids, peak_ids = {s.id for s in fine}, {s.id for s in peaks}
    says_last = any(_reach_back(f, after) & peak_ids for f in fine_ids)
    says_first = any(_reach_back(p, after) & fine_ids for p in peak_ids)
    if (says_last or says_first) and choice.by in ("workshop", "default"):
        return steps, [tr("detector last") if says_last else tr("detector first")]
    if choice.choice == "first":
        for f in fine_ids:
            after[f] = frozenset(n for n in after[f] if n not in peak_ids and not _reach_back(n, after) & peak_ids)
        for p in peak_ids:
            after[p] |= fine_ids
        kept = [s for s in steps if s.id not in fine_ids]
        at = next(i for i, s in enumerate(kept) if s.id in peak_ids)
        kept[at:at] = fine
        steps = tuple(kept)
    else:
        for p in peak_ids:
            after[p] = frozenset(n for n in after[p] if n not in fine_ids and not _reach_back(n, after) & fine_ids)
        for f in fine_ids:
            after[f] |= peak_ids
    words = tr("detector first") if choice.choice == "first" else tr("detector last")
    return steps, [f"{words} ({_by(choice)})" if choice.by in ("job", "workshop") else words]


def _if_order(
    steps: tuple[Step, ...], choice: Choice, after: dict[str, frozenset[str]]
) -> tuple[tuple[Step, ...], list[str]]:
    """IF steps, and the transformers within one step, from the last back or from the front on."""
    if choice.choice == "sheet":
        return steps, []
    cans = [s for s in steps if role_of(s) == "if"]
    if not cans or (_has_own_order(cans, after) and choice.by == "workshop"):
        return steps, []
    # A sheet lists its transformers along the signal's way: last first is that list from its end.
    wanted = list(reversed(cans)) if choice.choice == "last-first" else cans
    ids = {s.id for s in cans}
    outside = frozenset().union(*(after[s.id] - ids for s in cans))
    outside = frozenset(n for n in outside if not _reach_back(n, after) & ids)
    for number, step in enumerate(wanted):
        after[step.id] = outside | ({wanted[number - 1].id} if number else frozenset())
    for name, needed in list(after.items()):
        if name not in ids and needed & ids:
            after[name] = needed | ids
    queue = iter(wanted)
    steps = tuple(next(queue) if s.id in ids else s for s in steps)
    if choice.choice == "last-first":
        steps = tuple(replace_untranslated(s, adjust=tuple(reversed(s.adjust))) if s.id in ids else s for s in steps)
    words = tr("last IF transformer first") if choice.choice == "last-first" else tr("IF front to back")
    return steps, [f"{words} ({_by(choice)})"]


#: S9 by convention, against 50 µV PD (dB).
S9_DB = {"iaru": 0.0, "100uv-pd": EMF_DB, "50uv-emf": -EMF_DB}


def _levels(sheet: Sheet, steps: tuple[Step, ...], choice: Choice) -> tuple[Step, ...]:
    """The level of the S-meter steps where a job sets S9 another way than its sheet."""
    written = dict(sheet.conventions).get("s9", "iaru")
    if choice.by != "job" or choice.choice == written:
        return steps
    shift = S9_DB[choice.choice] - S9_DB[written]

    def moved(value: float | None) -> float | None:
        return None if value is None else value + shift

    def one(s: Step) -> Step:
        if s.quantity_id == "rx.s_meter":
            return replace_untranslated(s, required=tuple(replace(c, level_dbm=moved(c.level_dbm)) for c in s.required))
        if s.quantity_id == "rx.led_lights":
            limit = Limit(moved(s.limit.low), moved(s.limit.high), moved(s.limit.nominal))
            return replace_untranslated(s, limit=limit, target=moved(s.target))
        return s

    return tuple(one(s) for s in steps)


#: What a receive coil is peaked by, by the convention's choice.
_READ_BY = {
    "quieting": QUIETING, "af": "rx.af_voltage", "ear": HEARD, "s-meter": "rx.s_meter", "avc": "rx.agc_voltage", "scope": "rx.scope_height",
    "needle": "rx.needle", "attenuator": "rx.attenuation",
}  # fmt: skip


def _read_by(step: Step, choice: str) -> Step:
    """Receive coils are peaked by something else than what the sheet reads; the closing reading stays the sheet's."""
    wanted = _READ_BY.get(choice, "")
    if not wanted or wanted == step.quantity_id or step.aim != "peak" or step.hook_up != "receive":
        return step
    if choice in ("af", "scope", "ear") and any(c.deviation_hz for c in step.required):
        # A limiter keeps the audio of FM as loud however weak the signal is: it would tell nothing.
        return step
    return replace_untranslated(step, read_by=wanted)


def _spoken(step: Step, choice: str) -> Step:
    """Modulation read while somebody speaks. Two tones stay two tones where the carrier left is read."""
    if choice != "voice" or step.quantity_id not in ("tx.deviation", "tx.am_depth", "tx.pep"):
        return step
    return replace_untranslated(step, spoken=True)


def _power(step: Step, choice: str) -> Step:
    """Power of several places: brought even, or peaked at the middle."""
    if step.quantity_id != "tx.power" or step.aim not in ("peak", "level") or len(step.required) < 2:
        return step
    aims: dict[str, Aim] = {"flattest": "level", "middle": "peak"}
    return replace_untranslated(step, aim=aims.get(choice, step.aim))


def _channel(sheet: Sheet, step: Step, choice: str) -> Step:
    """A peaking step that is read on several channels: on which of them it is peaked; or a front end shared out over the band."""
    if choice == "stagger":
        return _staggered(sheet, step)
    names = [c.channel for c in step.required if c.channel]
    if choice == "sheet" or step.aim not in ("peak", "null") or len(set(names)) < 2:
        return step
    if choice == "middle":
        return replace_untranslated(step, set_channel=names[len(names) // 2])
    words = N_("One circuit at the low end, the other at the high end; then confirm the middle.")
    return _with_note(replace_untranslated(step, set_channel=names[0]), words)


#: What the ends of a band may be short of the middle when a front end is shared out (dB of ratio; common practice, no source).
#: The note of such a step names it.
_ENDS_DB = 4.0


def _staggered(sheet: Sheet, step: Step) -> Step:
    """A front end of two circuits or more, peaked at one place, is brought to serve the lowest and the highest channel too."""
    ends = (sheet.plan.names[0], sheet.plan.names[-1])
    single = len(step.required) == 1 and step.setting.channel not in ends
    if step.aim != "peak" or role_of(step) != "front-end" or len(step.adjusters) < 2 or not single or step.read_by:
        return step
    places = (step.setting, *(replace_untranslated(step.setting, channel=name) for name in ends))
    # The sheet's figure is the middle's: the ends may be short of it. What counts there is the sensitivity, which has its own step.
    limit = step.limit if step.limit.low is None else replace_untranslated(step.limit, low=step.limit.low - _ENDS_DB)
    words = N_("One circuit for the low end, the other for the high end; 4 dB less is enough there.")
    return _with_note(replace_untranslated(step, aim="level", required=places, limit=limit), words)


def _told(step: Step, stand: Mapping[str, Choice], most: float | None) -> Step:
    """What a step says of the conventions that leave its order and its limit alone."""
    if stand["if-shape"].choice == "staggered" and role_of(step) == "if":
        step = _with_note(step, N_("Staggered: one transformer 1 to 2 kHz below, the other as much above."))
    if step.quantity_id == "tx.deviation" and stand["deviation"].choice == "sheet":
        step = _with_note(step, N_("To the sheet's own value."))
    if step.quantity_id == "tx.deviation" and stand["deviation"].choice == "louder":
        step = _with_note(step, N_("Louder by habit, never above the rule's limit."))
    return _deviation_target(step, stand["deviation"].choice, most)


#: How near the rule's ceiling deviation is set (share of it): as the rule allows, and by the louder habit.
_NEAR_CEILING = {"ceiling": 0.95, "louder": 0.98}


def _deviation_target(step: Step, choice: str, most: float | None) -> Step:
    """Deviation that is set by the rule's ceiling, not by the sheet's own value."""
    if step.quantity_id != "tx.deviation" or step.aim != "set" or most is None or choice not in _NEAR_CEILING:
        return step
    wanted = _NEAR_CEILING[choice] * most
    return replace_untranslated(step, target=wanted) if step.limit.holds(wanted) else step


def _with_note(step: Step, words: str) -> Step:
    with in_language("en"):
        return replace(step, note=joined(step.note, words))
