"""Tracing in a session: a level is found at a stage, things are checked, a part is repaired, and the ladder counts anew."""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import replace
from typing import TYPE_CHECKING

from unitone.align.trace.branches import branches
from unitone.align.trace.ladder import (
    INJECTION,
    PROBED,
    WAYS,
    Rung,
    dial,
    if_input,
    ladder,
    quantity_of,
    traced_modes,
)
from unitone.align.trace.noise_hunt import GROUNDED
from unitone.errors import BenchError, EntryError, HookUpError, TapeError
from unitone.job.checks import CheckWay
from unitone.job.entries.notes import Tried
from unitone.job.entries.readings import Reading
from unitone.job.entries.tracing import Checked, Intermittent, NoiseAnswered
from unitone.quantities.entry import normalise, parse_si
from unitone.sheet.model.effects import stage_effect
from unitone.simulator.noise_trials import NoiseTrial, try_noise
from unitone.simulator.simulated_bench import SimulatedBench
from unitone.simulator.stage_faults import signal_runs
from unitone.words import tr

if TYPE_CHECKING:
    from unitone.session.session import Session

#: How a reading is written that was only set as a mark; and decibels from it.
MARK = "mark"
_DECIBELS = re.compile(r"[+-]?\d+(\.\d+)?\s*dB", re.IGNORECASE)
#: So many jobs on the same model are looked at for where they found their cause.
_EARLIER = 60


class Tracing:
    """What a session does while a fault is traced."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self._earlier: dict[str, int] | None = None

    def stage(self, stage: str) -> Rung:
        """A stage of a ladder, or of one of its branches. Raises BenchError for one that is neither."""
        state = self._session.state
        beside = (b.rung for way in WAYS for b in branches(state, way) if b.stage.id == stage)
        return next(beside, None) or self.rung(stage)

    def rung(self, stage: str) -> Rung:
        """The rung of a stage. Raises BenchError for one that the sheet feeds nowhere."""
        state = self._session.state
        found = next((r for way in WAYS for r in ladder(state, way) if r.stage.id == stage), None)
        if found is None:
            raise BenchError(tr("The sheet does not say where to inject at {stage}.", stage=stage))
        return found

    def _need_hook_up(self, rung: Rung) -> None:
        state = self._session.state
        if state.finished:
            raise TapeError(tr("This job is finished. Its log takes notes only."))
        if (state.hook_up == "transmit") != (rung.stage.way == "transmit"):
            raise HookUpError.wrong_way(rung.stage.way, state.hook_up)

    def set_mode(self, mode: str) -> None:
        """The radio stands in another mode: the ladder is that of its signal. Raises BenchError for one that takes no way of its own."""
        state = self._session.state
        modes = traced_modes(state.sheet)
        if mode not in modes:
            raise BenchError(tr("The stages of this sheet name no mode {mode!r}.", mode=mode))
        here = dial(state)
        like = next(
            (
                s.setting
                for s in state.sheet.steps
                if s.hook_up == "receive" and s.setting.tone_hz and s.setting.mode == mode
            ),
            here,
        )
        self._session.set_up(
            replace(here, mode=mode, tone_hz=like.tone_hz, deviation_hz=like.deviation_hz, depth_pct=like.depth_pct)
        )

    def type_level(self, stage: str, typed: str) -> Reading:
        """Log the level that was enough at a stage, or that none was (``nothing``, ``> 100 mV``); keyed, the volts at its output. Raises
        EntryError, HookUpError."""
        rung = self.rung(stage)
        self._need_hook_up(rung)
        if rung.stage.way == "transmit":
            reading = self._session.measuring.typed_reading(typed, PROBED, rung.conditions)
            self._session.append(reading)
            return reading
        text = typed
        if _DECIBELS.fullmatch(normalise(typed)):
            mark = self._marked()
            if mark is None:
                raise EntryError.not_understood(
                    typed, tr("a level, like 85 µV. Decibels count from a mark: set one first (M)")
                )
            text = f"{mark + parse_si(typed, 'dB'):.2f} dBm"
        reading = self._session.measuring.typed_reading(text, INJECTION, rung.conditions)
        self._session.append(reading)
        return reading

    def set_mark(self, stage: str) -> Reading:
        """A generator without a scale: what it gives here now is the mark, taken as the level that is expected. What is typed at the
        next points counts from it, in decibels of the attenuator (``+6 dB``). Raises BenchError, HookUpError."""
        rung = self.rung(stage)
        self._need_hook_up(rung)
        if rung.stage.expect_dbm is None:
            raise BenchError(tr("The sheet tells no level for {stage}.", stage=rung.stage.title))
        reading = Reading(INJECTION, rung.conditions, rung.stage.expect_dbm, "", "manual", typed=MARK)
        self._session.append(reading)
        return reading

    def _marked(self) -> float | None:
        """The level (dBm) of the last mark that was set."""
        readings = reversed(self._session.state.read_of(INJECTION))
        return next((x.reading.value for x in readings if x.reading.typed == MARK), None)

    def measure_level(self, stage: str) -> Reading:
        """Let the bench find the level at a stage, or probe its output, and log it. Raises BenchError, HookUpError."""
        rung = self.rung(stage)
        self._need_hook_up(rung)
        asked = quantity_of("transmit" if rung.stage.way == "transmit" else "receive")
        got = self._session.bench.measure(asked, rung.conditions)
        reading = Reading(asked, rung.conditions, got.value, got.instrument, got.source, got.std, got.bound, got.word)
        self._session.append(reading)
        return reading

    def read_volts(self, stage: str) -> int:
        """Let the bench read every row of a stage's voltage table that was not read yet; returns how many. Raises BenchError."""
        rows = [r.row.id for r in self.stage(stage).rows if r.now is None]
        for row in rows:
            self._session.workshop.measure_volts(row)
        return len(rows)

    def check(self, stage: str, way: CheckWay, wrong: bool, part: str = "", words: str = "") -> None:
        """Log what a look, a flex, a signal or a part's check showed. Raises TapeError for a stage or part that the sheet does not have."""
        sheet = self._session.sheet
        if stage not in {s.id for s in sheet.stages}:
            raise TapeError(tr("The sheet has no stage “{stage}”.", stage=stage))
        if part and part not in {p.id for p in sheet.parts}:
            raise TapeError(tr("The sheet has no part “{part}”.", part=part))
        self._session.append(Checked(stage, way, wrong, part, words.strip()))

    def repaired(self, stage: str, part: str, words: str = "") -> None:
        """The part is repaired: it was the cause, what it reaches is measured again, and so is the ladder. Raises TapeError."""
        self._session.append(Tried(part or stage, words.strip() or tr("repaired"), "", "the cause"))
        affects = None if part else stage_effect(self._session.sheet, stage)
        self._session.touch(part or stage, words, affects, working=False)

    def wiggle(self, part: str) -> None:
        """A part is moved while its reading is watched: on a simulated radio the bench's hand does it."""
        bench = self._session.bench
        if isinstance(bench, SimulatedBench):
            bench.radio.wiggle(part, bench.seconds())

    def signal(self, stage: str) -> bool:
        """Let the simulated bench look for a stage's signal, and log it. Raises BenchError on a bench of one's own."""
        bench = self._session.bench
        if not isinstance(bench, SimulatedBench):
            raise BenchError(tr("Look for the signal yourself, and say what you found."))
        runs = signal_runs(bench.radio.physics, stage, bench.radio.part_fault)
        self.check(stage, "signal", not runs)
        return runs

    def watched(
        self,
        quantity: str,
        seconds: float,
        lowest: float,
        highest: float,
        drops: list[float],
        moved: list[tuple[float, str]],
    ) -> None:
        """Log a watch of an intermittent. Raises EntryError for one of no length."""
        if not seconds > 0:
            raise EntryError(tr("Nothing was watched yet."))
        self._session.append(Intermittent(quantity, round(seconds, 2), lowest, highest, tuple(drops), tuple(moved)))

    def answer_noise(self, question: str, yes: bool) -> None:
        """Log the answer to a question of the noise hunt."""
        self._session.append(NoiseAnswered(question, yes))

    def try_noise(self, question: str) -> NoiseTrial:
        """Do on the simulated radio what a question of the noise hunt asks for, and listen before and with it; nothing is logged. What
        changes nothing there (its aerial, a tap) sounds the same. Raises BenchError on a bench of one's own, HookUpError, TapeError."""
        bench, state = self._session.bench, self._session.state
        if state.finished:
            raise TapeError(tr("This job is finished. Its log takes notes only."))
        if not isinstance(bench, SimulatedBench):
            raise BenchError(tr("Try it on the radio, listen, and say what you heard."))
        if state.hook_up == "transmit":
            raise HookUpError.wrong_way("receive", state.hook_up)
        here = replace(dial(state), level_dbm=None, inject=None)
        grounded = question.partition(":")[2] if question.startswith(GROUNDED) else ""
        tried = here
        match question:
            case "volume":
                tried = replace(here, panel=(*(p for p in here.panel if p[0] != "volume"), ("volume", "0 %")))
            case "channel":
                names = state.sheet.plan.names
                tried = replace(here, channel=names[0] if here.channel == names[-1] else names[-1])
            case "grounded":
                grounded = if_input(ladder(state))
                if not grounded:
                    raise BenchError(tr("The sheet does not say which input is the IF's."))
        return try_noise(bench, here, tried, grounded, question == "amplifier")

    def earlier(self) -> dict[str, int]:
        """In how many earlier jobs on this model a part of each stage was the cause, or was replaced; looked up once. Raises StoreError."""
        if self._earlier is None:
            self._earlier = self._look_back()
        return self._earlier

    def _look_back(self) -> dict[str, int]:
        session = self._session
        stages = {p.id: p.stage for p in session.sheet.parts if p.stage}
        found: Counter[str] = Counter()
        card = session.state.card
        for row in session.logbook.like(sheet_id=card.sheet_id, limit=_EARLIER):
            if row.number < card.number:
                found.update({stages[p] for p in row.summary.get("causes", ()) if p in stages})
        return dict(found)
