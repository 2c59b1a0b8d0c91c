"""The page that goes home with a radio, in plain words: what was wrong, found, done and set, and what to mind."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field
from typing import Any
from xml.sax.saxutils import escape

from unitone.errors import UnitoneError
from unitone.job.leaving import leaving_items
from unitone.job.modifications import describe_modification, standing
from unitone.job.shop import describe_finding
from unitone.job.state import JobState
from unitone.job.summary import reading_text, standing_variant, worst_found
from unitone.job.verdicts import inside, lines, verdict, worst
from unitone.report.certificate import part_lines
from unitone.report.head import Head
from unitone.sheet.model.front_panel import control_words
from unitone.sheet.model.looks import family_of
from unitone.sheet.model.sheet import Step
from unitone.words import N_, day, tr, tr_n

FORMAT = "unitone-handover/1"
FORMS = ("pdf", "html", "json")
#: What the main quantities are to somebody who never opened a radio.
PLAIN = {
    "rx.sensitivity": N_("Sensitivity: weakest station"), "rx.sensitivity_am": N_("Sensitivity: weakest station"),
    "tx.power": N_("Transmit power"), "tx.pep": N_("Transmit power, speech peaks"), "tx.frequency_error": N_("Transmit frequency error"),
    "tx.deviation": N_("Loudness on the air"), "tx.am_depth": N_("Loudness on the air"), "rx.s_meter": N_("Signal meter"),
    "rx.led_lights": N_("Signal meter"),
    "rx.squelch_opens": N_("Squelch opens at"), "supply.current": N_("Current drawn"), "rx.distortion": N_("Distortion of the sound"),
    "rx.frequency_error": N_("Dial"), "tx.field_strength": N_("Strength through its own aerial"),
}  # fmt: skip


@dataclass(frozen=True)
class SettingLine:
    """A quantity in plain words: how it was found, how it is left, and whether that is as it should be."""

    what: str
    found: str
    left: str
    right: bool | None
    words: str


@dataclass(frozen=True)
class ControlLine:
    """A control: what it now does, and what came of trying it."""

    name: str
    does: str
    tested: str


@dataclass(frozen=True)
class Handover:
    """The whole page."""

    number: int
    radio: str
    serial: str
    owner: str
    date: str
    finished: bool
    simulated: bool
    headline: str
    complaint: str
    came_with: tuple[str, ...]
    missing: tuple[str, ...]
    found: tuple[str, ...]
    done: tuple[str, ...]
    parts: tuple[str, ...]
    settings: tuple[SettingLine, ...]
    controls: tuple[ControlLine, ...]
    leaving: tuple[tuple[str, str], ...]
    to_test: tuple[str, ...]
    stays: tuple[str, ...]
    cautions: tuple[str, ...]
    work: str
    head: Head = field(default_factory=Head)

    @property
    def sections(self) -> tuple[tuple[str, tuple[str, ...]], ...]:
        """Lists above the settings, with their headings."""
        return ((tr("What we found"), self.found), (tr("What we did"), self.done), (tr("Parts fitted"), self.parts))

    def to_data(self) -> dict[str, Any]:
        """As plain data for JSON."""
        data = {"format": FORMAT, **asdict(self)}
        return {**data, "head": {"name": self.head.name, "line": self.head.line}}


def handover(state: JobState) -> Handover:
    """Gather the page; for a job that is not finished it says so."""
    shop, card, sheet = state.shop, state.card, state.sheet
    findings = [f for f in shop.standing_findings() if f.look != "fine"]
    found = [_sentence(describe_finding(f)) for f in findings]
    found += [tr("{what}: that was the cause.", what=t.suspected) for t in state.tried if t.outcome == "the cause"]
    done = [f.done or f.words for f in findings if f.look == "repaired"]
    done += [t.done for t in state.tried if t.outcome == "the cause"]
    done += [t.words for t in state.touches if t.name != "variant" and t.name not in {p.part for p in shop.parts}]
    turned = sum(1 for mdeg in state.positions.values() if mdeg)
    if turned:
        done.append(tr_n("One adjustment was set again.", "{n} adjustments were set again.", turned))
    if standing_variant(state):
        done.append(tr("This radio was modified: {what}.", what=standing_variant(state)))
    done += [tr("This radio was modified: {what}.", what=describe_modification(m)) for m in standing(state)]
    cautions = [tr("Transmit only on channels, in modes and with power that your licence and local rules allow.")]
    if family_of(sheet) in ("valve", "base"):
        cautions.insert(0, tr("High voltage inside: do not open it. Repairs are for qualified people, by local rules."))
    minutes = round(shop.minutes_spent)
    work = tr("{h} h {m:02d} of work", h=minutes // 60, m=minutes % 60) if minutes else ""
    if shop.parts_cost:
        work = " · ".join(x for x in (work, tr("parts {cost:.2f}", cost=shop.parts_cost)) if x)
    return Handover(
        card.number, sheet.title, card.serial, card.owner, day(state.finished or state.entries[-1].utc), bool(state.finished),
        card.simulated_seed is not None, _headline(state), card.complaint, card.accessories, card.missing, tuple(dict.fromkeys(found)),
        tuple(dict.fromkeys(_sentence(d) for d in done)), part_lines(state), _settings(state), _controls(state), _leaving(state), _to_test(state),
        tuple(f"{state.describe_loose(x)}: {x.stays or tr('still open')}" for x in state.loose.values() if x.stays or not x.tied),
        tuple(cautions), work,
    )  # fmt: skip


def _sentence(words: str) -> str:
    words = words.strip()
    return words if not words or words[-1] in ".!?" else words + "."


def _headline(state: JobState) -> str:
    if not state.finished:
        return tr("This radio is still being worked on: the page is not final.")
    out = [s for s in state.sheet.steps if verdict(state, s) in ("out_of_spec", "accepted", "undecided")]
    if not out:
        return tr("Everything that was measured is as it should be.")
    return tr("As it should be, except: {what}.", what=", ".join(_plain(s) for s in out))


def _plain(step: Step) -> str:
    return tr(PLAIN.get(step.quantity_id, "")) or step.title


def _settings(state: JobState) -> tuple[SettingLine, ...]:
    """The quantities that an owner notices, found and left, worst channel first; each kind once."""
    made: dict[str, SettingLine] = {}
    for step in state.sheet.steps:
        if step.quantity_id not in PLAIN or verdict(state, step) in ("not applicable", "todo"):
            continue
        parts = lines(state, step)
        now, found = worst(step, parts).now, worst_found(step, parts)
        if now is None or step.quantity_id in made:
            continue
        was = None if found is None else inside(step.limit, found.reading, state.rule)
        holds = inside(step.limit, now.reading, state.rule)
        same = found is not None and reading_text(step, found) == reading_text(step, now)
        if holds:
            words = (
                tr("in spec, left as found") if same else tr("in spec, before and after") if was else tr("put right")
            )
        else:
            words = tr("too close to tell") if holds is None else tr("not as it should be")
        made[step.quantity_id] = SettingLine(
            _plain(step), "—" if found is None else reading_text(step, found), reading_text(step, now), holds, words
        )
    return tuple(made.values())


def _controls(state: JobState) -> tuple[ControlLine, ...]:
    does = {c.id: c.does for c in state.sheet.controls} | state.shop.does
    made = []
    for name in dict.fromkeys([*does, *state.shop.works]):
        works, words = state.shop.works.get(name, (None, ""))
        tested = "" if works is None else tr("works") if works else tr("does not work: {what}", what=words)
        made.append(
            ControlLine(control_words(name), does.get(name, ""), tested + (f" ({words})" if works and words else ""))
        )
    return tuple(made)


def _leaving(state: JobState) -> tuple[tuple[str, str], ...]:
    """What was looked at and set before it went home: (what, how it is)."""
    return tuple(
        (i.title, i.found.words or tr("as it should be"))
        if i.found.fine
        else (i.title, tr("not as it should be: {words}", words=i.found.words))
        for i in leaving_items(state)
        if i.found is not None
    )


def _to_test(state: JobState) -> tuple[str, ...]:
    """Controls that nobody has tried yet."""
    names = dict.fromkeys([*(c.id for c in state.sheet.controls), *state.shop.does])
    return tuple(control_words(n) for n in names if n not in state.shop.works)


# -- written down -------------------------------------------------------------------------------


def render(page: Handover, form: str) -> bytes:
    """The page as PDF, HTML or JSON. Raises UnitoneError for another form."""
    if form == "json":
        import json

        return json.dumps(page.to_data(), ensure_ascii=False, indent=1).encode()
    if form == "html":
        from unitone.report.html import render_template

        return render_template("handover.html", c=page).encode()
    if form == "pdf":
        return _pdf(page)
    raise UnitoneError(
        tr("No handover page in the form {form!r}. Use one of {list}.", form=form, list=", ".join(FORMS))
    )


def _pdf(page: Handover) -> bytes:
    from reportlab.lib.units import mm
    from reportlab.platypus import Flowable, Paragraph, Spacer, Table, TableStyle

    from unitone.report import paper

    paper.register()
    about = [tr("serial {n}", n=page.serial)] if page.serial else []
    about += [tr("for {owner}", owner=page.owner)] if page.owner else []
    story: list[Flowable] = [
        Paragraph(escape(page.radio), paper.TITLE), Paragraph(escape(" · ".join(about)), paper.SMALL), Spacer(1, 3 * mm),
    ]  # fmt: skip
    if page.simulated:
        story += paper.banner(tr("Simulated radio, not a real one."))
    story += [Paragraph(f"<font name='B612-Bold'>{escape(page.headline)}</font>", paper.PLAIN), Spacer(1, 2 * mm)]
    told = [
        (tr("Your complaint"), page.complaint), (tr("Included"), ", ".join(page.came_with)), (tr("Missing"), ", ".join(page.missing)),
    ]  # fmt: skip
    story.append(paper.labelled([(name, words) for name, words in told if words], 32.0))
    for title, items in page.sections:
        story += paper.section(title, items, paper.PLAIN)
    grid = TableStyle(
        [("LINEBELOW", (0, 0), (-1, -1), 0.4, paper.LINE), ("VALIGN", (0, 0), (-1, -1), "TOP"),
         ("TOPPADDING", (0, 0), (-1, -1), 2), ("BOTTOMPADDING", (0, 0), (-1, -1), 2)]
    )  # fmt: skip

    def table(title: str, heads: tuple[str, ...], rows: list[tuple[str, ...]], widths: list[float]) -> None:
        if rows:
            body = [[Paragraph(escape(h), paper.SMALL) for h in heads]]
            body += [[Paragraph(escape(x), paper.BODY) for x in r] for r in rows]
            made = Table(body, colWidths=[w * mm for w in widths], repeatRows=1)
            made.setStyle(grid)
            story.extend([Paragraph(escape(title), paper.HEADING), made])

    table(
        tr("Settings, found and left"), (tr("What"), tr("found"), tr("as left"), ""),
        [(s.what, s.found, s.left, s.words) for s in page.settings], [66, 34, 34, 44],
    )  # fmt: skip
    table(
        tr("What each control does"), (tr("Control"), tr("does"), tr("tried")),
        [(c.name, c.does or "—", c.tested or tr("not yet")) for c in page.controls], [34, 100, 44],
    )  # fmt: skip
    table(
        tr("As it leaves the shop"), (tr("What"), ""), [(what, words) for what, words in page.leaving], [50, 128],
    )  # fmt: skip
    if page.to_test:
        story += paper.section(tr("Please try these"), [", ".join(page.to_test)], paper.PLAIN)
    for title, items in ((tr("Left as it is"), page.stays), (tr("Please note"), page.cautions)):
        story += paper.section(title, items, paper.PLAIN)
    if page.work:
        story += [Spacer(1, 3 * mm), Paragraph(escape(page.work), paper.SMALL)]
    number = tr("No. {job} · {date}", job=f"{page.number:04d}", date=page.date)
    return paper.build(
        story, f"{tr('Handover page')} {page.number:04d} · {page.radio}", tr("Job {job}", job=f"{page.number:04d}") + f" · {page.radio}",
        page.head, tr("Your radio is back"), number,
    )  # fmt: skip
