"""A sweep on the Bench: one core, one hand, a live reading; what the sweep coach says in words, and the trace of the last seconds."""

from __future__ import annotations

from dataclasses import dataclass

from unitone.align.sweep.coach import Said
from unitone.bench.ports import Measured
from unitone.present.bench.figures import figure_of
from unitone.quantities.show import number
from unitone.session.core_sweep import TOO_STRONG, CoreSweep
from unitone.session.session import Session
from unitone.words import tr


@dataclass(frozen=True)
class SweepView:
    """What is seen while a core is swept: the figure, the coach's line, the trace (seconds before now, dB of signal over the start), the top."""

    adjuster: str
    title: str
    code: str
    figure: str
    unit: str
    warning: str
    headline: str
    detail: str
    button: str
    trace: tuple[tuple[float, float], ...]
    top_db: float | None
    over: bool
    height_db: float | None
    #: Goes up with every command to the hand.
    count: int
    #: May a second peak be looked for?
    can_look: bool


class Sweeping:
    """A sweep as it is seen. Raises BenchError where the core cannot be swept."""

    def __init__(self, session: Session, adjuster: str) -> None:
        self.core = CoreSweep(session, adjuster)
        self._base = 0.0

    def tick(self, session: Session, seconds: float) -> SweepView:
        """The needle at ``seconds`` (any clock), taken along. Raises BenchError as the meter does."""
        read, high = self.core.take(session, seconds)
        return self._view(read, high)

    def _view(self, read: Measured | None, high: float | None) -> SweepView:
        core, said = self.core, self.core.said
        figure, unit, warning = "—", "", ""
        if read is not None:
            figure, unit = figure_of(core.reading(read))
            warning = read.warning
        if core.trace:
            self._base = core.trace[0][1] if said.code == "hold" else self._base
        headline, detail = describe(said, core.adjuster)
        return SweepView(
            core.adjuster, tr("Sweep {adjuster}: {title}", adjuster=core.adjuster, title=core.step.title), said.code, figure, unit, warning,
            headline, detail, button_of(said, core.adjuster), tuple((at - core.now, db - self._base) for at, db in core.trace),
            None if said.top_db is None else said.top_db - self._base, core.over, high, said.count, core.can_look,
        )  # fmt: skip


def describe(said: Said, adjuster: str) -> tuple[str, str]:
    """Headline and reason of what the sweep coach says."""
    gained = number(said.gained_db, 1, sign=True)
    below = number(said.below_db, 1)
    match said.code:
        case "hold":
            return tr("Hold {a} still.", a=adjuster), tr("The start is read first.")
        case "turn":
            return tr("Turn {a} slowly, either way.", a=adjuster), tr("Do not stop until you are told.")
        case "rising":
            return tr("Turn {a} on, same way.", a=adjuster), tr("Rising: {db} dB since the start.", db=gained)
        case "back":
            return tr("Turn {a} the other way.", a=adjuster), tr("It falls this way.")
        case "slowly back":
            return tr("Turn {a} back slowly.", a=adjuster), tr("{db} dB below the top you passed.", db=below)
        case "straight back":
            return tr("Turn {a} back, same speed.", a=adjuster), tr("{db} dB below the top you passed.", db=below)
        case "outwards":
            return tr("Turn {a} anticlockwise, steadily.", a=adjuster), tr("Of two peaks the outer one is right.")
        case "second peak":
            return tr("Turn {a} on, same way.", a=adjuster), tr("A second peak is coming.")
        case "no second peak":
            return tr("Turn {a} the other way.", a=adjuster), tr("No second peak there. Back over the first one.")
        case "stop":
            return tr("Stop."), tr("{db} dB below the top.", db=below)
        case "wait":
            return tr("Hold {a} still.", a=adjuster), tr("The end is read.")
        case "on a little":
            return tr("Turn {a} on a little, slowly.", a=adjuster), tr("Not quite there yet.")
        case "back a little":
            return tr("Turn {a} back a little, slowly.", a=adjuster), tr("A little past the top.")
        case "peaked":
            return tr("Log {a}: peaked.", a=adjuster), tr("{db} dB gained by sweep.", db=gained)
        case "at stop":
            return tr("Log {a}: at its stop.", a=adjuster), tr(
                "Still rising there: wrong core, or a part near it has changed."
            )
        case "too strong":
            return tr("Stop: the signal is too strong."), tr(
                "The top would look flat. Sweep {a} again with less level.", a=adjuster
            )
        case _:
            return tr("Log {a}: no effect.", a=adjuster), tr("The reading did not move. Is it the right core?")


def button_of(said: Said, adjuster: str) -> str:
    """What the main button says."""
    if said.code == TOO_STRONG:
        return tr("Lower the level")
    return tr("Log {a}", a=adjuster) if said.code in ("peaked", "at stop", "no effect") else tr("Break off")
