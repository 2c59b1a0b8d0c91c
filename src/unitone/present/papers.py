"""A job's papers from its state: the certificate and the handover page, with or without its owner."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Literal

from unitone.errors import UnitoneError
from unitone.files import write_file
from unitone.job.entries.opening import CardAmended, Opened
from unitone.job.privacy import names_in, record_without
from unitone.job.state import JobState
from unitone.present.bench.sentences import position_text
from unitone.present.card.found_and_left import readings_view
from unitone.report import before_after as charts
from unitone.report import formats as paper
from unitone.report import handover as page
from unitone.report import readings_sheet
from unitone.report.certificate import Certificate, certificate
from unitone.report.handover import Handover, handover
from unitone.report.head import Head
from unitone.store.ports import Settings
from unitone.words import in_language, tr

Paper = Literal["certificate", "handover", "readings", "before-after"]
#: In which forms each paper can be had.
FORMS: dict[Paper, tuple[str, ...]] = {
    "certificate": paper.FORMATS,
    "handover": page.FORMS,
    "readings": readings_sheet.FORMS,
    "before-after": charts.FORMS,
}


def paper_head(settings: Settings) -> Head:
    """The workshop's head for its papers, as its settings have it."""
    return Head.from_data(settings.setting("head", {}), str(settings.setting("workshop", "") or ""))


def certificate_of(state: JobState, without_owner: bool = False) -> Certificate:
    """The job's certificate, with what was turned in the trade's words."""
    turned = tuple(
        (name, tr("swept") if name in state.swept else position_text(state.sheet.adjuster(name), mdeg))
        for name, mdeg in state.positions.items()
        if mdeg or name in state.swept
    )
    made = certificate(state, turned)
    return record_without(replace(made, owner=""), _names(state)) if without_owner else made


def handover_of(state: JobState, without_owner: bool = False) -> Handover:
    """The page that goes home with the radio."""
    made = handover(state)
    return record_without(replace(made, owner=""), _names(state)) if without_owner else made


def render_paper(
    state: JobState, kind: Paper, form: str, without_owner: bool = False, head: Head | None = None, language: str = ""
) -> bytes:
    """One of the papers in one of its forms, in a language ("": the head's, else the program's own).

    Raises UnitoneError for a form that it does not have.
    """
    _check(kind, form)
    head = head or Head()
    with in_language(language or head.paper_language):
        if kind == "readings":
            return _readings_sheet(state, head)
        if kind == "before-after":
            made = charts.before_after(state, head)
            return charts.render(record_without(made, _names(state)) if without_owner else made, form)
        if kind == "handover":
            return page.render(replace(handover_of(state, without_owner), head=head), form)
        return paper.render(replace(certificate_of(state, without_owner), head=head), form)


def _readings_sheet(state: JobState, head: Head) -> bytes:
    """The sheet to fill in: what is read already stands in its box."""
    view = readings_view(state)
    groups = []
    for group in view.groups:
        rows = []
        for row in group.rows:
            boxes: list[str | None] = [None] * len(view.columns)
            for cell in row.cells:
                boxes[cell.column] = cell.value
            rows.append(readings_sheet.BlankRow(row.title, row.how, row.limit, tuple(boxes)))
        groups.append(readings_sheet.BlankGroup(group.title, group.safety, tuple(rows)))
    card = state.card
    return readings_sheet.render_sheet(
        card.number, state.sheet.title, card.serial, state.entries[0].utc, card.simulated_seed is not None, view.columns, groups, head
    )  # fmt: skip


def write_paper(
    state: JobState,
    kind: Paper,
    form: str,
    path: Path,
    without_owner: bool = False,
    head: Head | None = None,
    language: str = "",
) -> None:
    """Write one of the papers to ``path``, whole or not at all. Raises UnitoneError."""
    write_file(path, render_paper(state, kind, form, without_owner, head, language))


def _check(kind: Paper, form: str) -> None:
    if form not in FORMS[kind]:
        raise UnitoneError(
            tr(
                "“{form}” is not a form of the {kind}. Use one of {list}.",
                form=form,
                kind=kind,
                list=", ".join(FORMS[kind]),
            )
        )


def _names(state: JobState) -> tuple[str, ...]:
    cards = [e.said.card for e in state.entries if isinstance(e.said, Opened | CardAmended)]
    return names_in(cards, (r.who for r in state.shop.on_air))
