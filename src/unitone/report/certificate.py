"""The certificate's content, apart from how it is written: as found, as left, limits, verdicts, instruments."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field
from typing import Any

from unitone.bench.instruments import Instrument
from unitone.errors import TapeError
from unitone.job.entries.opening import Opened
from unitone.job.modifications import describe_modification, standing
from unitone.job.records import Logged
from unitone.job.shop import describe_finding
from unitone.job.state import JobState
from unitone.job.summary import band_on_bar, place_on_bar, reading_text, standing_variant
from unitone.job.verdicts import describe_verdict, inside, lines, verdict
from unitone.job.voltages import row_states
from unitone.quantities.registry import CANONICAL_UNIT
from unitone.quantities.show import number, show, show_value
from unitone.report.head import Head
from unitone.sheet.model.sheet import PHASE_TITLES, Step
from unitone.words import tr, tr_n

FORMAT = "unitone-certificate/1"


@dataclass(frozen=True)
class Row:
    """One requirement: what, limit and its source, found, left, verdict, instrument."""

    phase: str
    step: str
    title: str
    channel: str
    limit: str
    source: str
    found: str
    found_value: float | None
    found_verdict: str
    found_before_touch: bool
    left: str
    left_value: float | None
    verdict: str
    unit: str
    instrument: str
    adjusters: str
    remark: str = ""
    #: On a bar from 0 to 1: the part inside the limits, and where the readings lie (None: no figure).
    band: tuple[float, float] = (0.0, 1.0)
    found_place: float | None = None
    left_place: float | None = None
    #: Was an adjuster of its step turned between the two readings?
    adjusted: bool = False

    @property
    def outcome(self) -> str:
        """One word for the row: what was done where it is in spec, else its verdict."""
        if self.verdict not in ("in_spec", "left_as_found"):
            return describe_verdict(self.verdict)
        return tr("adjusted") if self.adjusted else tr("as found")


@dataclass(frozen=True)
class Certificate:
    """A job's certificate."""

    number: int
    job_id: str
    radio: str
    kind: str
    serial: str
    owner: str
    complaint: str
    sheet_id: str
    sheet_hash: str
    opened: str
    finished: str
    simulated: bool
    statement: str
    summary: str
    rows: tuple[Row, ...]
    turned: tuple[tuple[str, str], ...]
    notes: tuple[str, ...]
    cautions: tuple[str, ...]
    differs: tuple[str, ...] = ()
    touched: tuple[str, ...] = ()
    tried: tuple[str, ...] = ()
    stays: tuple[str, ...] = ()
    instruments: tuple[str, ...] = ()
    rule: str = ""
    seen: tuple[str, ...] = ()
    parts: tuple[str, ...] = ()
    volts: tuple[str, ...] = ()
    head: Head = field(default_factory=Head)

    @property
    def paragraph(self) -> str:
        """What was wrong, what was found and what was done, in one paragraph."""
        done = [*self.parts, *(t for t in self.touched if t not in self.parts)]
        said = (
            (tr("Complaint"), self.complaint), (tr("Found"), "; ".join(self.seen)), (tr("Done"), "; ".join(done)),
        )  # fmt: skip
        return " ".join(f"{name}: {words.rstrip('.')}." for name, words in said if words)

    @property
    def badge(self) -> tuple[str, str, str]:
        """The result in a nutshell: a verdict for its shape and colour, the headline, and one line below it."""
        bad = sum(r.verdict not in ("in_spec", "left_as_found", "not applicable", "accepted") for r in self.rows)
        accepted = sum(r.verdict == "accepted" for r in self.rows)
        adjusted = sum(r.adjusted for r in self.rows)
        below = tr("{adjusted} adjusted, {found} as found", adjusted=adjusted, found=len(self.rows) - adjusted)
        if not self.finished:
            return "todo", tr("Preliminary"), tr("This job is not finished.")
        if bad:
            return "out_of_spec", tr_n("{n} reading not in spec", "{n} readings not in spec", bad), below
        if accepted:
            return (
                "accepted",
                tr_n("{n} reading accepted with a reason", "{n} readings accepted with a reason", accepted),
                below,
            )
        return "in_spec", tr_n("The reading is in spec", "All {n} readings in spec", len(self.rows)), below

    @property
    def limit_sources(self) -> str:
        """Where the limits come from, each source once."""
        return "; ".join(dict.fromkeys(r.source for r in self.rows if r.source))

    @property
    def sections(self) -> tuple[tuple[str, tuple[str, ...]], ...]:
        """The lists below the results, with their headings, in the order in which every paper prints them."""
        return (
            (tr("Inspection findings"), self.seen), (tr("Voltages"), self.volts),
            (tr("How this radio differs from its sheet"), self.differs), (tr("Parts fitted"), self.parts),
            (tr("Parts and work"), self.touched), (tr("Fault finding log"), self.tried), (tr("Left as it is"), self.stays),
            (tr("Instruments"), self.instruments), (tr("Notes"), self.notes), (tr("Cautions"), self.cautions),
        )  # fmt: skip

    def to_data(self) -> dict[str, Any]:
        """As plain data for JSON."""
        data = {"format": FORMAT, **asdict(self)}
        return {**data, "head": {"name": self.head.name, "line": self.head.line}}


def limit_words(step: Step) -> str:
    """The limit as the paper prints it."""
    q, low, high = step.quantity, step.limit.low, step.limit.high
    if q.id in ("ref.frequency", "osc.frequency") and low is not None and high is not None:
        return f"{show(q, step.limit.middle)} ± {(high - low) / 2:.0f} Hz"
    if low is not None and high is not None:
        return f"{show_value(q, low)[0]} … {show(q, high)}"
    if low is None and high is None:
        return tr("as loud as it comes")
    return f"≥ {show(q, low)}" if low is not None else f"≤ {show(q, high or 0.0)}"


def certificate(state: JobState, turned: tuple[tuple[str, str], ...] = ()) -> Certificate:
    """Gather a job's certificate; an unfinished job gives a preliminary one that says so."""
    opening = state.entries[0]
    opened = opening.said
    if not isinstance(opened, Opened):
        raise TapeError(tr("A log begins with the opening of its job."))
    simulated = state.card.simulated_seed is not None
    rows = []
    for step in state.sheet.steps:
        v = verdict(state, step)
        for line in lines(state, step):
            mark = (
                v
                if len(step.required) == 1 or v in ("todo", "left_as_found", "accepted", "not applicable")
                else _line_verdict(line.inside, line.stale)
            )
            rows.append(
                Row(
                    tr(PHASE_TITLES[step.phase]), step.id, step.title, line.place, limit_words(step), step.source,
                    _text(step, line.found), _value(line.found), _found_verdict(state, step, line.found), line.found_clean,
                    _text(step, line.now), _value(line.now), mark, step.quantity.shown,
                    tr(line.now.reading.instrument) if line.now else "", ", ".join(step.adjusters), _remark(state, step, line.now),
                    band_on_bar(step), _place(step, line.found), _place(step, line.now),
                    _adjusted(state, line.found, line.now),
                )
            )  # fmt: skip
    fitted = {p.part for p in state.shop.parts}
    good = sum(r.verdict in ("in_spec", "left_as_found") for r in rows)
    decided = sum(r.verdict == "accepted" for r in rows)
    words = tr("{good} of {all} results in spec", good=good, all=len(rows))
    if decided:
        words += tr(", {n} accepted with a reason", n=decided)
    if state.unreadable:
        words += ". " + tr("Damaged and left out: entry {n} of the log", n=", ".join(map(str, state.unreadable)))
    if not state.finished:
        words = tr("Preliminary: this job is not finished.") + " " + words
    cautions = list(state.sheet.cautions)
    for step in state.sheet.steps:
        cautions += [c for c in step.caution if c not in cautions]
    cautions.append(tr("Local rules and licences decide what may be transmitted."))
    statement = (
        tr(
            "Simulated radio. These readings come from a simulated radio and simulated instruments, not from a real one."
        )
        if simulated
        else tr("Readings taken by hand with the instruments named.")
    )
    return Certificate(
        state.card.number, state.job_id, state.sheet.title, tr(state.sheet.kind), state.card.serial, state.card.owner,
        state.card.complaint, opened.sheet_id, opened.sheet_hash, opening.utc, state.finished, simulated,
        statement, words, tuple(rows), turned, tuple(text for _, text in state.notes), tuple(cautions), _differs(state),
        tuple(t.words if t.words == t.name else f"{t.name}: {t.words}" for t in state.touches if t.name != "variant" and t.name not in fitted),
        tuple(f"{t.suspected}: {t.done} → {t.result or '—'} ({tr(t.outcome)})" for t in state.tried),
        tuple(f"{state.describe_loose(x)}: {x.stays or tr('open')}" for x in state.loose.values() if x.stays or not x.tied),
        tuple(_instrument(i) for i in state.instruments), state.rule if state.instruments else "",
        tuple(describe_finding(f) for f in state.shop.standing_findings() if f.look != "fine"), part_lines(state), _volts(state),
    )  # fmt: skip


def told_below(c: Certificate) -> list[tuple[str, str]]:
    """What stands below the readings: a name, and its lines in one."""
    # What was found, fitted and done stands above the readings.
    elsewhere = (c.cautions, c.instruments, c.seen, c.parts, c.touched)
    told = [(name, "; ".join(items)) for name, items in c.sections if items and items not in elsewhere]
    if c.turned:
        told.insert(0, (tr("Turned"), ", ".join(f"{n} {a}" for n, a in c.turned)))
    if c.instruments:
        rule = tr("Decision rule: {rule} (w = U = 2u; ILAC-G8, JCGM 106).", rule=tr(c.rule))
        told.append((tr("Instruments"), "; ".join(c.instruments) + ". " + rule))
    elif not c.simulated:
        told.append((tr("Instruments"), c.statement))
    remarks = [f"{r.title}: {r.remark}" for r in c.rows if r.remark]
    if remarks:
        told.append((tr("Remarks"), "; ".join(dict.fromkeys(remarks))))
    if c.limit_sources:
        told.append((tr("Limits"), c.limit_sources))
    if any(r.found != "" and r.found_value is not None and not r.found_before_touch for r in c.rows):
        told.append(("*", tr("First read after something that affects it had been turned.")))
    told.append((tr("Cautions"), " ".join(c.cautions)))
    return told


def part_lines(state: JobState) -> tuple[str, ...]:
    """Parts that were fitted: how many, where, what, instead of what, and why that is right."""
    return tuple(
        f"{p.count} × {p.part}: {p.fitted}" + (tr(" for {was}", was=p.instead) if p.instead else "") + (f" ({p.why})" if p.why else "")
        for p in state.shop.parts
    )  # fmt: skip


def _volts(state: JobState) -> tuple[str, ...]:
    """The rows of the voltage table that were measured: as found, now, and what should stand there."""
    told = []
    for r in row_states(state):
        if r.now is None or r.row.quantity_id != "stage.voltage":
            continue
        now = _volts_text(r.now)
        found = "" if r.found is None or r.found is r.now else tr("found {v}, ", v=_volts_text(r.found))
        told.append(
            f"{r.row.title}: {found}{now} ({number(r.low, 2)} … {number(r.high, 2)} V), {describe_verdict(r.verdict)}"
        )
    return tuple(told)


def _volts_text(logged: Logged) -> str:
    reading = logged.reading
    return tr(reading.word) or (f"{reading.bound}{number(reading.value, 2)} V" if reading.value is not None else "—")


def _differs(state: JobState) -> tuple[str, ...]:
    """How this radio differs from its sheet, with what was there before."""
    changed = tuple(
        describe_modification(m) + (tr(" (job {number})", number=f"{m.job:04d}") if m.job else "")
        for m in standing(state)
    )
    if not standing_variant(state):
        return changed
    last = state.variants[-1]
    title = last.title + (f" ({last.why})" if last.why else "")
    return (title, *(f"{what}: {before or '—'} → {after or '—'}" for what, before, after in last.changes), *changed)


def _instrument(i: Instrument) -> str:
    standing = f"{tr('calibrated')} {i.calibrated}".strip() if i.standing == "calibrated" else tr("indicative only")
    corrected = tr("readings ×{n}", n=f"{i.times:g}") if i.times != 1 else ""
    reads = tr("reads {pct} % off, corrected", pct=f"{i.reads_pct:g}") if i.reads_pct else ""
    return ", ".join(x for x in (i.name, standing, *i.describe_error, corrected, reads) if x)


def _remark(state: JobState, step: Step, logged: Logged | None) -> str:
    """The reason of a decision, and what was done to the reading."""
    words = []
    judged = state.judged.get(step.id)
    if judged is not None:
        words.append(f"{tr(judged.verdict)}: {judged.reason}")
    if logged is not None and logged.reading.raw is not None:
        words.append(tr("read {raw}, corrected", raw=show(step.quantity, logged.reading.raw)))
    if logged is not None and logged.reading.u and logged.reading.value is not None:
        words.append(f"U = {2 * logged.reading.u:.3g} {CANONICAL_UNIT[step.quantity.kind]}")
    return "; ".join(words)


def _place(step: Step, logged: Logged | None) -> float | None:
    return None if logged is None else place_on_bar(step, logged)


def _adjusted(state: JobState, found: Logged | None, now: Logged | None) -> bool:
    """Was something turned between the two readings that affects them?"""
    if found is None or now is None or found is now:
        return False
    swept = {a for a, s in state.swept.items() if found.seq < s.seq < now.seq}
    turned = [
        a for a in state.sheet.adjusters if a.id in swept or found.positions.get(a.id, 0) != now.positions.get(a.id, 0)
    ]
    return any(a.can_change(now.reading.quantity_id, now.reading.conditions) for a in turned)


def _line_verdict(holds: bool | None, stale: bool) -> str:
    if stale:
        return "recheck"
    return "undecided" if holds is None else "in_spec" if holds else "out_of_spec"


def _found_verdict(state: JobState, step: Step, logged: Logged | None) -> str:
    if logged is None:
        return ""
    return _line_verdict(inside(step.limit, logged.reading, state.rule), False)


def _text(step: Step, logged: Logged | None) -> str:
    return tr("not read") if logged is None else reading_text(step, logged)


def _value(logged: Logged | None) -> float | None:
    return None if logged is None else logged.reading.value
