"""The radio's own sheet grows while it is worked on: what the sheet lacks is made on the spot, as a variant of this job."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from unitone.errors import EntryError, TapeError
from unitone.job.verdicts import verdict
from unitone.job.voltages import row_states
from unitone.session.own_sheets import library_of
from unitone.sheet.editing.grown import with_adjuster, with_control, with_pin, with_step, with_voltage, without_adjuster
from unitone.sheet.editing.left import Left, as_sheet
from unitone.sheet.format.bundle import Bundle
from unitone.sheet.format.read import parse_sheet, to_data
from unitone.sheet.format.write import to_toml
from unitone.sheet.library import slug
from unitone.words import tr

if TYPE_CHECKING:
    from unitone.session.session import Session


class Growing:
    """What a session can add to the job's sheet. Nothing that was read goes stale: the radio is what it was."""

    def __init__(self, session: Session) -> None:
        self._session = session

    def _make(self, title: str, change: Callable[[dict[str, Any]], dict[str, Any]]) -> None:
        text = self._session.state.written.source_text
        data = change(to_data(text, tr("the sheet of this job")))
        self._session.set_variant(title, to_toml(data, text), affects=())

    def add_adjuster(
        self, step_id: str, identifier: str, kind: str = "", where: str = "", pin: tuple[float, float] | None = None,
        picture: str = "",
    ) -> None:  # fmt: skip
        """An adjuster that the sheet does not name, at a step. Raises EntryError, SheetError, TapeError."""
        self._make(
            tr("{name} added", name=identifier.strip()),
            lambda data: with_adjuster(data, step_id, identifier, kind, where, pin=pin, picture=picture),
        )

    def drop_adjuster(self, identifier: str) -> None:
        """An adjuster of the sheet that this radio does not have. Raises EntryError, SheetError, TapeError where it was turned."""
        self._make(tr("no {name} in this radio", name=identifier), lambda data: without_adjuster(data, identifier))

    def add_voltage(self, title: str, where: str = "", volts: str = "", tolerance: str = "10 %") -> str:
        """A row of the voltage table, while the probe is on the point; returns its id. Raises EntryError, SheetError, TapeError."""
        if not title.strip():
            raise EntryError(tr("Name the point."))
        taken = {v.id for v in self._session.state.sheet.voltages}
        stem = slug(title)[:20].strip("-") or "point"
        name = next(n for n in (stem, *(f"{stem}-{k}" for k in range(2, 1000))) if n not in taken)
        self._make(
            tr("voltage row {name} added", name=title.strip()),
            lambda data: with_voltage(data, name, title, where, volts, tolerance),
        )
        return name

    def pin(self, table: str, identifier: str, at: tuple[float, float], picture: str = "") -> None:
        """Where an adjuster or a test point (``table``) sits, touched on a picture. Raises EntryError, SheetError, TapeError."""
        self._make(tr("{name} pinned", name=identifier), lambda data: with_pin(data, table, identifier, at, picture))

    def add_step(self, title: str, quantity_id: str, limit: str) -> str:
        """A check that the sheet does not have, after the step at hand; returns its id. Raises EntryError, SheetError, TapeError."""
        made: list[str] = []

        def change(data: dict[str, Any]) -> dict[str, Any]:
            grown, identifier = with_step(data, self._session.step.id, title, quantity_id, limit)
            made.append(identifier)
            return grown

        self._make(tr("step {name} added", name=title.strip()), change)
        self._session.go_to(made[-1])
        return made[-1]

    def as_sheet(self) -> tuple[str, str]:
        """(title, TOML) of a sheet for the next radio of this kind: limits from what was left. Raises TapeError before the job is finished."""
        state = self._session.state
        if not state.finished:
            raise TapeError(tr("Finish the job first: limits are taken from what was left."))
        readings, dropped = {}, set()
        for step in state.sheet.steps:
            if verdict(state, step) == "not applicable":
                dropped.add(step.id)
                continue
            index = step.required.index(step.setting)
            last = state.latest.get((step.id, index))
            if last is not None and last.reading.value is not None and not last.reading.bound:
                readings[step.id] = (step.quantity_id, last.reading.value, step.limit)
        volts = {
            r.row.id: r.now.reading.value
            for r in row_states(state)
            if r.now is not None and r.now.reading.value is not None and not r.now.reading.bound
        }
        number = state.card.number
        data = as_sheet(
            to_data(state.written.source_text, tr("the sheet of this job")),
            Left(tr("what was left in job {n}", n=number), readings, dropped, volts, state.shop.does),
        )
        return state.sheet.title, to_toml(data)

    def keep_as_sheet(self) -> str:
        """``as_sheet`` among the workshop's own sheets, with the job's pictures; its id. Raises TapeError, SheetError, StoreError."""
        title, text = self.as_sheet()
        logbook = self._session.logbook
        library = library_of(logbook)
        pictures = {name: logbook.blob(hashed) for name, hashed in self._session.state.pictures.items()}
        identifier = library.free_id(title)
        parse_sheet(text, identifier, identifier)
        library.save(identifier, Bundle(text, pictures))
        return identifier

    def add_control(self, identifier: str, positions: str, does: str = "") -> None:
        """A control of the front panel. Raises EntryError, SheetError, TapeError."""
        self._make(
            tr("control {name} added", name=identifier.strip()),
            lambda data: with_control(data, identifier, positions, does),
        )
