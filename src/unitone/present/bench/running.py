"""A run of readings on the Bench: what was read, what hands have to do, and why it ended, in words."""

from __future__ import annotations

from dataclasses import dataclass

from unitone.align import moves
from unitone.align.squelch.two_ends import is_squelch
from unitone.job.entries.readings import Reading
from unitone.present.bench.figures import figure_of
from unitone.present.bench.instructions import instruction
from unitone.session.automatic import Automatic, Kind, Told
from unitone.session.session import Session
from unitone.sheet.model.front_panel import knob_words
from unitone.sheet.model.sheet import Conditions, Step
from unitone.words import tr, tr_n


@dataclass(frozen=True)
class RunView:
    """What is seen of a run: the last reading, the line of the moment, what hands have to do (``waits``), and the buttons' words."""

    title: str
    figure: str
    unit: str
    headline: str
    detail: str
    waits: bool
    over: bool
    lines: tuple[tuple[str, str], ...]


class Running:
    """A run as it is seen. Raises BenchError where nothing is to be read."""

    def __init__(self, session: Session, kind: Kind) -> None:
        self._automatic = Automatic(session, kind)
        self._since = session.state.seq

    def hands_ready(self, session: Session) -> RunView:
        """What was asked of the hands is done: what is read now."""
        told = self._automatic.hands_ready(session)
        return run_view(session, told, self._since)

    def tick(self, session: Session) -> RunView:
        """The next reading, or what it waits for. Raises as the meter does."""
        return run_view(session, self._automatic.tick(session), self._since)


def run_view(session: Session, told: Told, since: int) -> RunView:
    """The run after a tick; ``since`` is the log's position as it began."""
    logged = [x for x in session.state.readings if x.seq > since]
    figure, unit = figure_of(logged[-1].reading) if logged else ("—", "")
    headline, detail = _words(session, told)
    shown = tuple((_place(x.reading), " ".join(p for p in figure_of(x.reading) if p)) for x in reversed(logged[-8:]))
    return RunView(
        tr("Automatic readings: {title}", title=session.step.title), figure, unit, headline, detail, told.came == "hands",
        told.came in ("over", "typed", "hook-up"), shown,
    )  # fmt: skip


def _words(session: Session, told: Told) -> tuple[str, str]:
    count = tr_n("{n} reading logged.", "{n} readings logged.", told.count)
    wanted = moves.conditions_of(told.advice)
    match told.came:
        case "hands":
            assert wanted is not None
            words = ", ".join(_by_hand(wanted, told.stands, session.step))
            if wanted.way == "transmit":
                return tr("Key into the dummy load, then press Space."), words
            if not session.bench.source_by_wire and wanted.level_dbm is not None:
                return instruction(session.state, wanted, session.step), tr("Then press Space.")
            return tr("Set {what}, then press Space.", what=words) if words else tr(
                "Press Space when the radio is ready."
            ), count
        case "typed":
            return tr("The next reading is typed."), count
        case "hook-up":
            return tr("Change the hook-up to go on."), count
        case "over":
            return tr("All read."), count
        case _:
            by_wire = session.bench.source_by_wire
            return (
                instruction(session.state, wanted, session.step, by_wire) if wanted is not None else tr("Reading…")
            ), count


def _by_hand(wanted: Conditions, stands: Conditions | None, step: Step) -> list[str]:
    """What hands change of the radio: channel, band, mode, knobs, probe."""
    words, injects = [], [step.inject] if step.inject is not None else []
    if wanted.channel and (stands is None or stands.channel != wanted.channel):
        words.append(tr("channel {channel}", channel=wanted.channel))
    if wanted.band and (stands is None or stands.band != wanted.band):
        words.append(tr("band {b}", b=wanted.band))
    if wanted.mode and (stands is None or stands.mode != wanted.mode):
        words.append(wanted.mode.upper())
    before = () if stands is None else stands.panel
    for name, place in wanted.panel:
        if (name, place) not in before:
            # An open squelch holds on: it is closed first, then turned back to where it is read.
            back = is_squelch(step) and name == "squelch"
            words.append(tr("squelch fully up, then back to {place}", place=place) if back else knob_words(name, place))
    if wanted.test_point and (stands is None or stands.test_point != wanted.test_point):
        words.append(tr("meter on {point}", point=wanted.test_point))
    if wanted.inject and (stands is None or stands.inject != wanted.inject):
        words.append(
            tr("generator lead on {at}", at=next((i.at for i in injects if i.stage == wanted.inject), wanted.inject))
        )
    if wanted.mic_mv and (stands is None or stands.mic_mv != wanted.mic_mv):
        words.append(tr("{mv} mV into the microphone socket", mv=f"{wanted.mic_mv:g}"))
    return words


def _place(reading: Reading) -> str:
    at = reading.conditions
    parts = [tr("ch {channel}", channel=at.channel)] if at.channel else []
    parts += [at.band] if at.band else []
    parts += [at.mode.upper()] if at.mode else []
    return " ".join(parts)
