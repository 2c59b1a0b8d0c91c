"""Before and after on one page: every quantity that was read at several places, as found and as left, over its limit."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import asdict, dataclass, field
from typing import Any
from xml.sax.saxutils import escape

from unitone.errors import UnitoneError
from unitone.job.modifications import describe_modification, standing
from unitone.job.state import JobState
from unitone.job.verdicts import lines
from unitone.quantities.show import microvolts, shown_scale
from unitone.report.certificate import limit_words
from unitone.report.head import Head
from unitone.sheet.model.sheet import Conditions, Step
from unitone.words import day, figure, tr

FORMAT = "unitone-before-after/1"
FORMS = ("pdf", "json")
#: Fewer places than this are no chart; so many charts are on the page, so many places in each.
_LEAST, _MOST, _PLACES = 2, 8, 40


@dataclass(frozen=True)
class ChartPoint:
    """One place: its label, the reading as found and as left (in the unit shown; None where there is none)."""

    label: str
    found: float | None
    left: float | None


@dataclass(frozen=True)
class Chart:
    """One quantity over its places, in the unit shown, with the ends of its limit (None: open)."""

    title: str
    unit: str
    limit: str
    low: float | None
    high: float | None
    points: tuple[ChartPoint, ...]


@dataclass(frozen=True)
class BeforeAfter:
    """The whole page."""

    number: int
    radio: str
    serial: str
    date: str
    simulated: bool
    modifications: tuple[str, ...]
    charts: tuple[Chart, ...]
    head: Head = field(default_factory=Head)

    def to_data(self) -> dict[str, Any]:
        """As plain data for JSON."""
        return {"format": FORMAT, **asdict(self), "head": {"name": self.head.name, "line": self.head.line}}


def _shown(step: Step, value: float | None) -> float | None:
    """In the unit of the screen, as exactly as it prints; levels stay in dBm, an S-meter's readings in decibels over S9."""
    if value is None:
        return None
    if step.quantity.kind in ("level", "s-units"):
        return value
    return round(value / shown_scale(step.quantity), step.quantity.decimals) + 0.0


def _unit(step: Step) -> str:
    kind = step.quantity.kind
    return "dBm" if kind == "level" else tr("dB over S9") if step.quantity_id == "rx.s_meter" else step.quantity.shown


def _label(at: Conditions, by_level: bool) -> str:
    if by_level and at.level_dbm is not None:
        return microvolts(at.level_dbm)
    return " ".join(x for x in (at.band, at.channel) if x) or (at.test_point or "")


def _hz(state: JobState, at: Conditions) -> float:
    plan = state.sheet.plan
    return float(state.sheet.carrier_hz(at.channel, at.band)) if at.channel in plan.names else 0.0


def charts_of(state: JobState) -> tuple[Chart, ...]:
    """The charts of a job, those of the most places first in the procedure's order; none where nothing was read both ways at two places."""
    made: list[Chart] = []
    for step in state.sheet.steps:
        read = lines(state, step)
        by_level = len({r.level_dbm for r in step.required}) > 1
        points = []
        places = sorted(zip(step.required, read, strict=True), key=lambda p: _hz(state, p[0]))
        for required, line in places:
            found = None if line.found is None else _shown(step, line.found.reading.value)
            left = None if line.now is None else _shown(step, line.now.reading.value)
            if found is not None or left is not None:
                points.append(ChartPoint(_label(required, by_level), found, left))
        if sum(p.found is not None and p.left is not None for p in points) >= _LEAST:
            low, high = (_shown(step, end) for end in (step.limit.low, step.limit.high))
            made.append(Chart(step.title, _unit(step), limit_words(step), low, high, tuple(points[:_PLACES])))
    kept = sorted(range(len(made)), key=lambda n: -len(made[n].points))[:_MOST]
    return tuple(made[n] for n in sorted(kept))


def before_after(state: JobState, head: Head | None = None) -> BeforeAfter:
    """Gather the page."""
    card = state.card
    return BeforeAfter(
        card.number, state.sheet.title, card.serial, day(state.finished or state.entries[-1].utc), card.simulated_seed is not None,
        tuple(describe_modification(m) for m in standing(state)), charts_of(state), head or Head(),
    )  # fmt: skip


def render(page: BeforeAfter, form: str) -> bytes:
    """The page as PDF or JSON. Raises UnitoneError for another form."""
    if form == "json":
        return json.dumps(page.to_data(), ensure_ascii=False, indent=1).encode()
    if form == "pdf":
        return _pdf(page)
    raise UnitoneError(tr("No such page in the form {form!r}. Use one of {list}.", form=form, list=", ".join(FORMS)))


def _pdf(page: BeforeAfter) -> bytes:
    from reportlab.lib.units import mm
    from reportlab.platypus import Flowable, Paragraph, Spacer, Table

    from unitone.report import paper

    paper.register()
    about = tr("serial {n}", n=page.serial) if page.serial else ""
    story: list[Flowable] = [
        Paragraph(escape(page.radio), paper.TITLE),
        Paragraph(escape(about), paper.SMALL),
        Spacer(1, 2 * mm),
    ]
    if page.simulated:
        story += paper.banner(tr("Simulated radio, not a real one."))
    story += paper.section(tr("Modified"), page.modifications, paper.BODY)
    if not page.charts:
        story.append(
            Paragraph(escape(tr("Nothing was read both as found and as left at several places yet.")), paper.PLAIN)
        )
    else:
        story.append(Paragraph(escape(tr("Rings: as found. Discs: as left. Green: in spec.")), paper.SMALL))
        cells = [[Paragraph(escape(f"{c.title} ({c.limit})"), paper.CAPTION), _drawing(c)] for c in page.charts]
        rows = [[cells[n], cells[n + 1] if n + 1 < len(cells) else ""] for n in range(0, len(cells), 2)]
        story.append(Table(rows, colWidths=[89 * mm, 89 * mm]))
    job = f"{page.number:04d}"
    return paper.build(
        story, f"{tr('Before and after')} {job} · {page.radio}", tr("Job {job}", job=job) + f" · {page.radio}", page.head,
        tr("Before and after"), tr("No. {job} · {date}", job=job, date=page.date),
    )  # fmt: skip


def _drawing(chart: Chart) -> Any:
    """One chart as a flowable: the limit as a band, found as rings on a thin line, left as discs on a bold one."""
    from reportlab.graphics.shapes import Circle, Drawing, Line, PolyLine, Rect, String
    from reportlab.lib.units import mm

    from unitone.report import paper

    wide, high = 84 * mm, 44 * mm
    left, bottom, top = 13 * mm, 7 * mm, 3 * mm
    drawing = Drawing(wide, high)

    def words(at: float, up: float, text: str, anchor: str = "start") -> None:
        drawing.add(String(at, up, text, fontName="B612", fontSize=5.5, textAnchor=anchor, fillColor=paper.QUIET))

    values = [v for p in chart.points for v in (p.found, p.left) if v is not None]
    ends = [e for e in (chart.low, chart.high) if e is not None]
    low, top_value = min(values + ends), max(values + ends)
    room = 0.12 * (top_value - low or abs(top_value) or 1.0)
    low, top_value = low - room, top_value + room

    def x(n: int) -> float:
        return float(left + (n + 0.5) * (wide - left) / len(chart.points))

    def y(value: float) -> float:
        return float(bottom + (value - low) / (top_value - low) * (high - bottom - top))

    band = (y(low if chart.low is None else chart.low), y(top_value if chart.high is None else chart.high))
    if ends:
        drawing.add(Rect(left, band[0], wide - left, band[1] - band[0], fillColor=paper.FILL, strokeColor=None))
        for end in ends:
            drawing.add(Line(left, y(end), wide, y(end), strokeColor=paper.OUTLINE, strokeWidth=0.7))
    for value in _ticks(low, top_value):
        drawing.add(Line(left - 2, y(value), left, y(value), strokeColor=paper.QUIET, strokeWidth=0.5))
        words(left - 4, y(value) - 2, figure(f"{value:g}").replace("-", "−"), "end")
    words(left, high - 5, chart.unit)
    drawing.add(Line(left, bottom, wide, bottom, strokeColor=paper.LINE, strokeWidth=0.7))
    every = max(1, -(-len(chart.points) // 8))
    for n, point in enumerate(chart.points):
        if n % every == 0:
            words(x(n), bottom - 8, point.label[:12], "middle")
    for series, ink, weight in (("found", paper.VIOLET, 0.6), ("left", paper.INK, 1.2)):
        places = [(x(n), y(v)) for n, p in enumerate(chart.points) if (v := getattr(p, series)) is not None]
        if len(places) > 1:
            drawing.add(PolyLine([c for place in places for c in place], strokeColor=ink, strokeWidth=weight))
        for place in places:
            fill = ink if series == "left" else None
            drawing.add(Circle(*place, 1.7, strokeColor=ink, strokeWidth=0.8, fillColor=fill))
    return drawing


def _ticks(low: float, high: float) -> Sequence[float]:
    """Round values between two ends, about four."""
    import math

    rough = (high - low) / 4.0
    power = 10.0 ** math.floor(math.log10(rough))
    step = next(power * m for m in (1, 2, 5, 10) if power * m >= rough)
    first = math.ceil(low / step)
    return [round(n * step, 9) for n in range(first, math.floor(high / step) + 1)]
