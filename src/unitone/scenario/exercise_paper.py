"""An exercise on paper, for a class: the mark, what it came from, the dear moments. PDF to print, JSON to collect."""

from __future__ import annotations

import json
from dataclasses import asdict
from typing import Any
from xml.sax.saxutils import escape

from unitone.errors import UnitoneError
from unitone.job.damages import damage
from unitone.report.head import Head
from unitone.scenario.cautions import CAUTIONS
from unitone.scenario.debrief import Debrief
from unitone.scenario.describe import describe_moment
from unitone.scenario.exercise import HELP, SKILLS, Help, in_words
from unitone.sheet.model.sheet import Sheet
from unitone.words import day, tr, tr_n

FORMAT = "unitone-exercise-mark/1"
FORMS = ("pdf", "json")


def render(made: Debrief, sheet: Sheet, how: Help, utc: str, head: Head, form: str) -> bytes:
    """The certificate as PDF or JSON. Raises UnitoneError for another form."""
    if form == "json":
        return json.dumps(to_data(made, sheet, how, utc), ensure_ascii=False, indent=1).encode()
    if form == "pdf":
        return _pdf(made, sheet, how, utc, head)
    raise UnitoneError(tr("No such page in the form {form!r}. Use one of {list}.", form=form, list=", ".join(FORMS)))


def to_data(made: Debrief, sheet: Sheet, how: Help, utc: str) -> dict[str, Any]:
    """As plain data; what was wrong with the radio is left out, so that a class can go on with it."""
    e = made.exercise
    return {
        "format": FORMAT,
        "exercise": e.id,
        "title": e.title,
        "skill": e.skill,
        "grade": e.grade,
        "radio": sheet.title,
        "seed": made.seed,
        "help": how,
        "utc": utc,
        **asdict(made.mark),
        "moments": [
            {
                "at_s": round(m.at_s, 1),
                "kind": m.kind,
                "step": m.step,
                "adjuster": m.adjuster,
                "marks": round(m.cost, 1),
            }
            for m in made.moments
        ],
    }


def _rows(made: Debrief, sheet: Sheet, how: Help) -> list[tuple[str, str]]:
    m, e = made.mark, made.exercise
    fault = tr("there was none") if m.named is None else tr("named") if m.named else tr("not named")
    return [
        (tr("Skill"), tr("{skill}, grade {n} of 5", skill=tr(SKILLS[e.skill]), n=e.grade)),
        (tr("Radio"), tr("{radio}, simulated, radio number {n}", radio=sheet.title, n=made.seed)),
        (tr("Help"), tr(HELP[how])),
        (tr("In spec"), tr("{n} of {all}", n=m.restored[0], all=m.restored[1])),
        (tr("Left as found"), tr("{n} of {all}", n=m.left_alone[0], all=m.left_alone[1])),
        (tr("Fault"), fault),
        (tr("Moves"), tr("{n}; a good hand needs {good}", n=m.moves, good=m.good_moves)),
        (tr("Broken"), ", ".join(damage(x).name for x in m.broken) or tr("nothing")),
        (tr("Cautions ignored"), ", ".join(tr(CAUTIONS[x]) for x in m.cautions) or tr("none")),
        (tr("Hints"), str(m.hints)),
        (tr("Time"), tr_n("{n} bench minute", "{n} bench minutes", max(1, round(m.seconds / 60)))),
    ]


def _pdf(made: Debrief, sheet: Sheet, how: Help, utc: str, head: Head) -> bytes:
    from reportlab.lib.units import mm
    from reportlab.platypus import Flowable, Paragraph, Spacer

    from unitone.report import paper

    paper.register()
    m = made.mark
    verdict = tr("passed") if m.passed else tr("not passed")
    story: list[Flowable] = [
        Paragraph(escape(in_words(made.exercise, "title")), paper.TITLE),
        Paragraph(escape(in_words(made.exercise, "purpose")), paper.SMALL),
        Spacer(1, 3 * mm),
        *paper.banner(tr("{n} of 100, {verdict}", n=m.score, verdict=verdict)),
        paper.labelled(_rows(made, sheet, how), 34.0),
        Spacer(1, 3 * mm),
    ]
    told = [describe_moment(x, sheet) for x in made.moments]
    story += paper.section(
        tr("Costly moments"),
        [" ".join(x for x in (f"{t}.", w, tr("Better: {what}", what=b) if b else "") if x) for t, w, b in told],
    )
    story += [Spacer(1, 10 * mm), paper.labelled([(tr("Name"), "_" * 40), (tr("Teacher"), "_" * 40)], 34.0)]
    title = in_words(made.exercise, "title")
    return paper.build(story, title, tr("Exercise on a simulated radio"), head, tr("Exercise"), day(utc))
