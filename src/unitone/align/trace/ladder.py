"""The ladder of a job: its stages from the aerial to the loudspeaker, where and at which frequency each is fed, and what was found there.

It comes from the sheet's stage graph and the job's log alone. What was read before a repair does not count any more: the ladder is
measured again.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import zip_longest
from typing import Literal

from unitone.align.trace.finder import ChainStage, Finder, Told, Way
from unitone.align.trace.noise_hunt import Maker
from unitone.errors import EntryError, SheetError
from unitone.job.checks import Check
from unitone.job.entries.readings import Reading
from unitone.job.records import Logged
from unitone.job.state import JobState
from unitone.job.voltages import RowState, row_states
from unitone.quantities.registry import FOUND_BY
from unitone.sheet.model.injection import injected_hz, terms_hz
from unitone.sheet.model.sheet import Conditions, Sheet, Stage, Step
from unitone.words import tr

INJECTION, S_METER, AF, PROBED = "rx.injection", "rx.s_meter", "rx.af_voltage", "tx.stage_voltage"
Traced = Literal["receive", "transmit"]
WAYS: tuple[Traced, ...] = ("receive", "transmit")
#: A generator without a told range gives so much more than is expected anywhere (dB).
_MOST_DB = 60.0
#: What a circuit that nobody has aligned yet costs a stage, and what one without adjusters differs by (dB, standard; common practice, no
#: source).
_OUT_OF_LINE_DB, _LEVEL_DB = 4.0, 1.0
#: How likely nothing is wrong in the chain of a radio that is traced, and after a part of it was repaired (common practice, no source).
_SOUND_BEFORE, _SOUND_AFTER = 0.02, 0.7
#: Within this of the expected level a stage is taken for sound, beyond it for weak (dB): specimens differ by four (standard).
SOUND_DB = 10.0
#: Passive circuits fail less often than those with a device; what was seen to be wrong, what the kind is known for, and every earlier
#: job of this model that found its cause there, weigh more (common practice, no source).
_PASSIVE, _SEEN, _KNOWN, _EARLIER = 0.4, 4.0, 2.0, 1.0
#: A stage that is fed under this frequency is audio.
_AUDIO_HZ = 20e3
#: A stage without a device makes a noise by itself so rarely (common practice, no source).
_SILENT = 0.1
#: The trouble of a test, where a point on the board for a generator is 1: the aerial socket, a pin that carries high voltage, each
#: row of a voltage table and the set-up for it, a look, a scope or counter at a test point.
_SOCKET, _LIVE, _ROW, _METER, _LOOK, _SCOPE = 0.6, 1.3, 0.15, 0.4, 0.5, 0.8
#: Above this a pin is high voltage (V DC; common practice, no source: the usual limit of touch voltage is 60 V).
HIGH_V = 60.0


@dataclass(frozen=True)
class Rung:
    """One stage of the ladder: where its generator is tuned (Hz, None where the sheet does not say), what feeds it from the side, and
    what stands of it: the level that was enough, how much more than expected (dB), its voltages and checks."""

    stage: Stage
    conditions: Conditions
    frequency_hz: float | None
    beside: tuple[Stage, ...]
    logged: Logged | None
    excess_db: float | None
    not_heard: bool
    rows: tuple[RowState, ...]
    checks: tuple[Check, ...]

    @property
    def is_tested(self) -> bool:
        """Was a level found here, or no level enough?"""
        return self.logged is not None

    @property
    def is_bad(self) -> bool:
        """Does it need clearly more than it should?"""
        return self.not_heard or (self.excess_db is not None and self.excess_db > SOUND_DB)

    @property
    def highest_v(self) -> float:
        """The most that stands at the pins round this point (V DC): where the probe goes."""
        return max([abs(self.stage.dc_v), *(abs(r.row.nominal) for r in self.rows)], default=0.0)


def chain(sheet: Sheet, way: Traced = "receive", mode: str | None = None) -> tuple[Stage, ...]:
    """The stages that a generator can be carried along in that mode (those of all modes where none is told), from the aerial on; or
    those whose output a probe is put to, on to the aerial."""
    served = (s for s in sheet.stages if s.way == way and s.serves(mode))
    if way == "transmit":
        return tuple(s for s in served if s.signal is not None and s.signal.peak_v)
    return tuple(s for s in served if s.inject is not None)


def traced_modes(sheet: Sheet, way: Traced = "receive") -> tuple[str, ...]:
    """The modes whose signals take ways of their own through the stages; empty where all take the same."""
    return tuple(dict.fromkeys(m for s in chain(sheet, way) for m in s.modes))


def tap(sheet: Sheet, mode: str | None = None) -> str:
    """The stage behind which the S-meter takes its signal; empty for a sheet that does not say."""
    ids = [s.id for s in chain(sheet, "receive", mode)]
    named = [name for s in sheet.stages if s.shows == S_METER for name in s.after if name in ids]
    return max(named, key=ids.index, default="")


def dial(state: JobState, way: Traced = "receive") -> Conditions:
    """What the generator and the panel stand at while a stage is fed: as the first receive step that gives a tone asks, on the channel
    that is set. Keyed: as the first transmit step asks."""
    if way == "transmit":
        keyed = next((s.setting for s in state.sheet.steps if s.hook_up == "transmit"), Conditions("transmit"))
        return replace(keyed, way="transmit", level_dbm=None, test_point=None)
    steps = [s for s in state.sheet.steps if s.hook_up == "receive"]
    with_tone = [s for s in steps if s.setting.tone_hz is not None]
    base = (with_tone or steps)[0].setting if steps else Conditions()
    here = state.set_up if state.set_up.way == "receive" and state.set_up.channel else base
    modes = traced_modes(state.sheet)
    if here.mode != base.mode and here.mode in modes:
        # Tone, deviation and depth go with the mode.
        base = next((s.setting for s in with_tone if s.setting.mode == here.mode), base)
    elif modes and base.mode not in modes and base is here:
        base = here = replace(base, mode=modes[0])
    names = state.sheet.plan.names
    return Conditions(
        "receive", here.channel or names[len(names) // 2], tone_hz=base.tone_hz or 1000.0, deviation_hz=base.deviation_hz,
        panel=state.sheet.tracing.panel, band=here.band or base.band, mode=here.mode or base.mode, depth_pct=base.depth_pct,
    )  # fmt: skip


def quantity_of(way: Traced) -> str:
    """What is read at the rungs of a ladder."""
    return PROBED if way == "transmit" else INJECTION


def repaired_at(state: JobState, way: Traced = "receive") -> int:
    """The last entry by which a part was fitted or repaired in reach of the ladder; 0 for none."""
    return max((t.seq for t in state.touches if t.covers(quantity_of(way), Conditions(way))), default=0)


def if_input(rungs: Sequence[Rung]) -> str:
    """The first stage that is fed at another frequency than the aerial socket; empty where the sheet does not tell the frequencies."""
    hz = [r.frequency_hz for r in rungs]
    return next((r.stage.id for r in rungs if hz[0] and r.frequency_hz and r.frequency_hz != hz[0]), "")


def noise_answers(state: JobState) -> dict[str, bool]:
    """What the questions of the noise hunt were answered with, since the last repair."""
    since = repaired_at(state)
    return {q: a.yes for q, a in state.noise.items() if a.seq > since}


def makes_noise(state: JobState, rungs: Sequence[Rung]) -> dict[str, Maker]:
    """Every stage as one that may make a noise by itself, from the aerial on: one whose parts are known and hold no device hardly does."""
    known = {p.stage for p in state.sheet.parts}
    devices = {p.stage for p in state.sheet.parts if p.kind == "device"}
    first_if = if_input(rungs)
    at_if = [r.stage.id for r in rungs].index(first_if) if first_if else 0
    made: dict[str, Maker] = {}
    for at, rung in enumerate(rungs):
        silent = rung.stage.id in known and rung.stage.id not in devices
        lies: tuple[str, ...] = ("front", "if") if not first_if else ("if",) if at >= at_if else ("front",)
        if rung.frequency_hz is not None and rung.frequency_hz < _AUDIO_HZ:
            lies = ("preamp", "output")
        made[rung.stage.id] = Maker(_SILENT if silent else 1.0, lies, rung.stage.id == first_if)
    return made


def counts_since(state: JobState, way: Traced = "receive") -> dict[str, int]:
    """The entry after which each stage's level counts, in whatever mode. A generator: a repair changes what is measured there and at
    every point before it, up to the aerial; what lies behind it is as it was. A probe: there, and behind it. A part that the sheet puts
    in no stage may reach them all."""
    main = chain(state.sheet, way)
    at = {s.id: n for n, s in enumerate(main)}
    for n, stage in enumerate(main):
        at |= {a: n for a in stage.after if a not in at}
    # A line that holds several stages reaches as far as the last of them (a probe's: from the first on).
    for stage in state.sheet.stages:
        held = [at[s] for s in stage.acts_on if s in at]
        if held and stage.id not in at:
            at[stage.id] = min(held) if way == "transmit" else max(held)
    stages = {p.id: p.stage for p in state.sheet.parts}
    made = dict.fromkeys((s.id for s in main), 0)
    for touch in state.touches:
        if touch.covers(quantity_of(way), Conditions(way)):
            here = at.get(stages.get(touch.name, touch.name))
            reached = main if here is None else main[here:] if way == "transmit" else main[: here + 1]
            made |= {s.id: max(made[s.id], touch.seq) for s in reached}
    return made


def ladder(state: JobState, way: Traced = "receive") -> tuple[Rung, ...]:
    """Every rung, from the aerial on (or to it); empty for a sheet that does not say where to inject, or what a probe finds."""
    sheet, since, base = state.sheet, counts_since(state, way), dial(state, way)
    by_id = {s.id: s for s in sheet.stages}
    main = chain(sheet, way, base.mode)
    modes = traced_modes(sheet, way)
    ids, all_ids = {s.id for s in main}, {s.id for s in chain(sheet, way)}
    read: dict[str, Logged] = {}
    for logged in state.read_of(quantity_of(way)):
        of = logged.reading.conditions.inject or ""
        # A level of another mode is held against what is expected there, not here.
        if logged.seq > since.get(of, 0) and (not modes or logged.reading.conditions.mode == base.mode):
            read[of] = logged
    rows = row_states(state)
    made = []
    for stage in main:
        beside = tuple(by_id[a] for a in stage.after if a not in ids and a not in all_ids)
        own = {stage.id, *(b.id for b in beside)}
        # What stood here while a line held it down says nothing of it any more.
        touched = touched_at(state, own | {s.id for s in sheet.stages if own & set(s.acts_on)})
        level = read.get(stage.id)
        excess, silent = _excess(stage, level)
        try:
            terms = stage.signal.terms if stage.signal is not None and way == "transmit" else ()
            hz = terms_hz(sheet, terms, base) if terms else None
            if way == "receive" and stage.inject is not None:
                hz = injected_hz(sheet, stage.inject, base)
        except SheetError:
            hz = None
        made.append(
            Rung(
                stage, replace(base, inject=stage.id), hz, beside, level, excess, silent,
                tuple(row_since(r, touched) for r in rows if r.row.stage in own),
                tuple(c for c in state.checks if c.stage in own and c.seq > touched),
            )
        )  # fmt: skip
    return tuple(made)


def row_since(row: RowState, seq: int) -> RowState:
    """A row as it stands after entry ``seq``: what was read before is to be read again."""
    return row if row.now is None or row.now.seq > seq else replace(row, now=None, verdict="todo")


def touched_at(state: JobState, stages: set[str]) -> int:
    """The last entry by which a part of these stages was fitted or repaired; 0 for none."""
    stage_of = {p.id: p.stage for p in state.sheet.parts}
    return max((t.seq for t in state.touches if stage_of.get(t.name, t.name) in stages), default=0)


def _excess(stage: Stage, logged: Logged | None) -> tuple[float | None, bool]:
    if logged is None:
        return None, False
    value = logged.reading.value
    if stage.way == "transmit":
        wanted = 0.0 if stage.signal is None else stage.signal.peak_v or 0.0
        if value is None or value < wanted * 10.0 ** (-_MOST_DB / 20.0):
            return None, True
        return 20.0 * math.log10(wanted / value), False
    if stage.expect_dbm is None:
        return None, False
    if value is None or not_heard(logged.reading):
        return None, True
    return value - stage.expect_dbm, False


def not_heard(reading: Reading) -> bool:
    """Was no level enough?"""
    return reading.value is None or reading.bound == ">"


def told(state: JobState, rungs: Sequence[Rung]) -> tuple[Told, ...]:
    """Everything that is known of the chain, as evidence."""
    found = list(_symptoms(state, rungs))
    for rung in rungs:
        of = rung.stage.id
        if rung.logged is not None and (rung.stage.expect_dbm is not None or rung.stage.way == "transmit"):
            most = _MOST_DB
            if (
                rung.logged.reading.bound == ">"
                and rung.logged.reading.value is not None
                and rung.stage.expect_dbm is not None
            ):
                most = rung.logged.reading.value - rung.stage.expect_dbm
            found.append(Told(of, "inject", None if rung.not_heard else rung.excess_db, most))
        judged = [r.verdict for r in rung.rows if r.verdict in ("in_spec", "low", "high")]
        if any(v != "in_spec" for v in judged):
            found.append(Told(of, "volts", wrong=True))
        elif judged and len(judged) == len([r for r in rung.rows if r.row.is_known]):
            found.append(Told(of, "volts"))
        for way, ways in (("look", ("look", "flex")), ("signal", ("signal",))):
            checks = [c for c in rung.checks if c.way in ways]
            if checks:
                found.append(Told(of, "look" if way == "look" else "signal", wrong=any(c.wrong for c in checks)))
        parts = [c for c in rung.checks if c.part and c.way in ("ohms", "substitute")]
        if parts:
            own = {p.id for p in state.sheet.parts if p.stage in {of, *(b.id for b in rung.beside)}}
            if any(c.wrong for c in parts):
                found.append(Told(of, "parts", wrong=True))
            elif own <= {c.part for c in parts}:
                found.append(Told(of, "parts"))
    return tuple(found)


def _symptoms(state: JobState, rungs: Sequence[Rung]) -> list[Told]:
    """What the readings of the steps say of the whole chain, as far as they still stand."""
    if not rungs:
        return []
    first, found = rungs[0].stage.id, []
    if rungs[0].stage.way == "transmit":
        return _power(state, rungs)
    since, mode = repaired_at(state), rungs[0].conditions.mode
    meter, ids = tap(state.sheet, mode), [r.stage.id for r in rungs]
    for step in state.sheet.steps:
        logged = next(
            (x for i in range(len(step.required)) if (x := state.latest.get((step.id, i))) and x.seq > since), None
        )
        if logged is None:
            continue
        there = [s.id for s in chain(state.sheet, "receive", step.setting.mode or mode)]
        if there != ids:
            found += _by_another_mode(ids, there, step, logged.reading)
            continue
        reading, limit = logged.reading, step.limit
        dead = reading.word == "nothing" or reading.bound == ">"
        if step.quantity_id in FOUND_BY and limit.high is not None:
            excess = None if dead or reading.value is None else max(reading.value - limit.high, 0.0)
            if excess is None or excess > SOUND_DB:
                found.append(Told(first, "inject", excess, 40.0, until=rungs[-1].stage.id))
        elif step.quantity_id == S_METER and meter and reading.value is not None and limit.nominal is not None:
            low = limit.nominal - reading.value
            # A meter at its stop tells only that it is not lower than that.
            if low > SOUND_DB:
                found.append(Told(first, "inject", None, low, until=meter))
            elif low < SOUND_DB / 2.0 and not dead:
                found.append(Told(first, "inject", max(low, 0.0), until=meter))
        elif step.quantity_id == AF and limit.low is not None:
            found += _by_output(rungs, meter, 0.0 if dead or reading.value is None else reading.value, limit.low)
    unique: dict[tuple[str, str], Told] = {}
    for one in found:
        unique.setdefault((one.stage, one.until), one)
    return list(unique.values())


def _by_another_mode(ids: Sequence[str], there: Sequence[str], step: Step, reading: Reading) -> list[Told]:
    """What is in order in a mode whose signal takes another way (``there``) clears what both ways share, before they part and after they
    meet. What is bad there tells nothing: it may be what they do not share."""
    if reading.value is None or reading.word == "nothing" or reading.bound == ">":
        return []
    apart = next(n for n, (a, b) in enumerate(zip_longest(ids, there)) if a != b)
    back = next(n for n, (a, b) in enumerate(zip_longest(reversed(ids), reversed(there))) if a != b)
    before = [Told(ids[0], "inject", 0.0, until=ids[apart - 1])] if apart else []
    after = [Told(ids[-back], "inject", 0.0, until=ids[-1])] if back else []
    if step.quantity_id in FOUND_BY and step.limit.high is not None:
        return [*before, *after] if reading.value - step.limit.high < SOUND_DB / 2.0 else []
    if step.quantity_id == S_METER and step.limit.nominal is not None:
        return before if step.limit.nominal - reading.value < SOUND_DB / 2.0 else []
    if step.quantity_id == AF and step.limit.low is not None:
        return after if reading.value >= 0.5 * step.limit.low else []
    return []


def _power(state: JobState, rungs: Sequence[Rung]) -> list[Told]:
    """What the power of the steps says of the transmitter's chain: the last rung, as long as it was not probed itself."""
    since = repaired_at(state, "transmit")
    for step in state.sheet.steps:
        logged = next(
            (x for i in range(len(step.required)) if (x := state.latest.get((step.id, i))) and x.seq > since), None
        )
        if step.quantity_id not in ("tx.power", "tx.pep") or logged is None or step.limit.low is None:
            continue
        watts = 0.0 if logged.reading.word == "nothing" else logged.reading.value or 0.0
        short = 10.0 * math.log10(step.limit.low / max(watts, 1e-6))
        if rungs[-1].is_tested:
            return []
        return [Told(rungs[-1].stage.id, "inject", max(short, 0.0) if short < _MOST_DB else None)]
    return []


def _by_output(rungs: Sequence[Rung], meter: str, volts: float, wanted: float) -> list[Told]:
    """What the output at a strong signal tells: gain control hides what is lost before it, so far as it goes."""
    last = rungs[-1].stage.id
    if volts >= 0.5 * wanted:
        behind = [r.stage.id for r in rungs if r.stage.watch != "s_meter"]
        return [Told(behind[0], "inject", 0.0, until=last)] if meter and behind else []
    return [Told(rungs[0].stage.id, "inject", None, 20.0 * math.log10(wanted / max(volts, 1e-3)), until=last)]


def weights(state: JobState, rungs: Sequence[Rung], earlier: Mapping[str, int] | None = None) -> dict[str, float]:
    """How likely each stage is the bad one before anything is tested; ``earlier``: in how many jobs on this model it was."""
    made = {}
    known = {f.stage for f in state.sheet.known_faults if f.stage}
    devices = {p.stage for p in state.sheet.parts if p.kind == "device"}
    parts = {p.id: p.stage for p in state.sheet.parts}
    seen = {parts.get(on, "") for f in state.shop.standing_findings() if f.look == "wrong" for on in f.on}
    seen |= {f.stage for f in state.shop.standing_findings() if f.look == "wrong" and f.stage}
    for rung in rungs:
        own = {rung.stage.id, *(b.id for b in rung.beside)}
        weight = 1.0 + 0.5 * len(rung.beside)
        if devices and not own & devices:
            weight = _PASSIVE
        if own & seen:
            weight *= _SEEN
        if own & known:
            weight *= _KNOWN
        made[rung.stage.id] = weight * (1.0 + _EARLIER * sum((earlier or {}).get(s, 0) for s in own))
    return made


def troubles(rung: Rung) -> dict[Way, float]:
    """How much work each test at a rung is."""
    socket = rung.stage.inject is not None and not rung.stage.inject.coupling
    live = _LIVE if rung.highest_v > HIGH_V else 1.0
    found: dict[Way, float] = {"inject": _SOCKET if socket else live}
    if rung.stage.way == "transmit":
        found["inject"] = _SCOPE * live
    unread = [r for r in rung.rows if r.row.is_known and r.now is None]
    if unread:
        found["volts"] = (_METER + _ROW * len(unread)) * live
    found["look"] = _LOOK
    if any(b.signal is not None for b in rung.beside) or (
        rung.stage.signal is not None and rung.stage.way == "receive"
    ):
        found["signal"] = _SCOPE
    return found


def finder(state: JobState, rungs: Sequence[Rung], earlier: Mapping[str, int] | None = None) -> Finder:
    """The search as it stands. Raises EntryError for a ladder of fewer than two rungs."""
    if len(rungs) < 2:
        raise EntryError(tr("The sheet does not say where to inject: add inject to its stages (Sheets)."))
    weight, meter = weights(state, rungs, earlier), tap(state.sheet, rungs[0].conditions.mode)
    way: Traced = "transmit" if rungs[0].stage.way == "transmit" else "receive"
    there, moved = Conditions(way), (S_METER, AF) if way == "receive" else ("tx.power", "tx.pep")
    adjusted = Counter(a.stage for a in state.sheet.adjusters if any(a.can_change(q, there) for q in moved))
    stages = [
        ChainStage(
            r.stage.id,
            weight[r.stage.id],
            troubles(r),
            meter if r.stage.watch == "s_meter" else "",
            math.hypot(_LEVEL_DB, _OUT_OF_LINE_DB * math.sqrt(adjusted[r.stage.id])),
        )
        for r in rungs
    ]
    sound = _SOUND_AFTER if repaired_at(state, way) else _SOUND_BEFORE
    return Finder(stages, told(state, rungs), sound, way == "transmit")
