"""The chart by the generator: levels in µV, dBm and S-units, and what this bench's generator shows behind its pads for each."""

from __future__ import annotations

from dataclasses import dataclass
from xml.sax.saxutils import escape

from unitone.bench.path import Kit, dial, shown_on_dial
from unitone.errors import BenchError
from unitone.quantities.show import MINUS, microvolts, number, s_units
from unitone.radio.levels import EMF_DB, Dbm, report_level
from unitone.report.head import Head
from unitone.words import day, figure, tr

#: From under the noise to S9 + 60 dB, three decibels a line: half an S-unit (dBm).
_FROM, _TO, _STEP = -130, -13, 3


@dataclass(frozen=True)
class LevelRow:
    """One level: as an S-meter shows it, in dBm, in volts across 50 ohms and open circuit, in dBµV, and what is dialled for it."""

    dbm: float
    s_meter: str
    level: str
    pd: str
    emf: str
    dbuv: str
    dialled: str


def level_rows(kit: Kit) -> tuple[LevelRow, ...]:
    """The lines of the chart; where the generator cannot go, a dash."""
    rows = []
    for dbm in range(_FROM, _TO + 1, _STEP):
        told = report_level(Dbm(float(dbm)))
        try:
            at = dial(kit, float(dbm))
            shown = shown_on_dial(kit, at.dial_dbm)
            if at.switched_db:
                shown += " + " + "+".join(figure(f"{s:g}") for s in at.switched_db) + " dB"
        except BenchError:
            shown = "—"
        meter = s_units(told.over_s9_db) if told.over_s9_db > -54.5 else ""
        rows.append(
            LevelRow(
                float(dbm), meter, f"{dbm} dBm".replace("-", MINUS), microvolts(told.dbm), microvolts(told.dbm + EMF_DB),
                number(told.dbuv, 0), shown,
            )
        )  # fmt: skip
    return tuple(rows)


def render_chart(kit: Kit, utc: str, head: Head) -> bytes:
    """The chart as PDF, one page."""
    from reportlab.lib.units import mm
    from reportlab.platypus import Flowable, Paragraph, Spacer, Table, TableStyle

    from unitone.report import paper

    paper.register()
    pads = "+".join(f"{p:g}" for p in kit.pads_db) or "0"
    words = tr("50 Ω, S9 = 50 µV PD (IARU Region 1 R.1, below 30 MHz). Pads in line: {pads} dB.", pads=pads)
    words += " " + tr("A dash: out of the generator's reach with these pads.")
    if kit.corrected:
        words += " " + tr("Corrected by the calibrations of this bench.")
    story: list[Flowable] = [
        Spacer(1, 2 * mm), Paragraph(escape(words), paper.SMALL), Spacer(1, 2 * mm),
    ]  # fmt: skip
    heads = (tr("S-meter"), "dBm", tr("µV PD"), tr("µV EMF"), "dBµV", tr("generator shows"))
    body = [[Paragraph(escape(h), paper.SMALL) for h in heads]]
    body += [
        [Paragraph(escape(x), paper.BODY) for x in (r.s_meter, r.level, r.pd, r.emf, r.dbuv, r.dialled)]
        for r in level_rows(kit)
    ]
    table = Table(body, colWidths=[w * mm for w in (22, 30, 30, 30, 22, 44)], repeatRows=1)
    table.setStyle(
        TableStyle(
            [
                ("LINEBELOW", (0, 0), (-1, -1), 0.3, paper.LINE),
                ("TOPPADDING", (0, 0), (-1, -1), 0.8),
                ("BOTTOMPADDING", (0, 0), (-1, -1), 1.4),
            ]
        )
    )
    story.append(table)
    title = tr("Levels at this bench")
    return paper.build(story, title, title, head, title, day(utc))
