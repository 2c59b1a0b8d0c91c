"""The radio's own sheet grows while it is worked on: what the sheet lacks is made on the spot, as a variant of this job."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from unitone.errors import EntryError
from unitone.sheet.editing.grown import with_adjuster, with_control, with_voltage, without_adjuster
from unitone.sheet.format.read import to_data
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

    def add_control(self, identifier: str, positions: str, does: str = "") -> None:
        """A control of the front panel. Raises EntryError, SheetError, TapeError."""
        self._make(
            tr("control {name} added", name=identifier.strip()),
            lambda data: with_control(data, identifier, positions, does),
        )
