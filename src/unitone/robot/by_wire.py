"""A radio aligned through wires: its bench served over TCP, instruments talked to through PyVISA, cables pulled at random moments.

The robot stands beside the radio: it turns cores, the channel switch and the knobs there, keys it, moves the probe, and reads by eye what no
instrument on a wire reads. What a wire fails to read is typed.
"""

from __future__ import annotations

import time
from dataclasses import dataclass
from typing import Any

import numpy as np

from unitone.align import moves
from unitone.bench.path import Kit
from unitone.bench.ports import Bench, Measured, Meter
from unitone.bench.wire.instrument import Wired, WireGenerator, WireMeter, carrier_of
from unitone.bench.wire.instrument_card import InstrumentCard, cards, parse_card
from unitone.bench.wire.link import VisaLink
from unitone.errors import BenchError
from unitone.job.card import Card
from unitone.job.fold import fold
from unitone.quantities.registry import FOUND_BY
from unitone.robot.many import many, simulated
from unitone.robot.technician import MOVES_AT_MOST
from unitone.robot.whole_radios import SetResult, judge, losses
from unitone.session.session import Session, open_job
from unitone.sheet.model.sheet import Conditions, Sheet
from unitone.simulator.radio import SimulatedRadio
from unitone.simulator.served import BenchServer, ServedBench
from unitone.simulator.simulated_bench import SimulatedBench
from unitone.store.logbook import Logbook

#: What stands between the served generator and the radio (dB).
_PAD_DB = 40.0
_PANEL_CARD = parse_card(
    'format = "unitone-instrument/1"\nid = "panel"\nname = "Front panel"\nkind = "radio"\n[[read]]\nquantity = "rx.s_meter"\nask = "SMET?"\n',
    "panel",
)
#: A simulated instrument settles at once, averages by itself, and takes as long as a busy machine needs (s).
_QUICK = {"settle": 0.0, "timeout": 10.0, "readings": 1}
_CUT = ("generator", "audio analyser", "power meter", "counter")


@dataclass(frozen=True)
class WireResult:
    """One radio: the referee's view, how many cables were pulled, how many readings were typed instead, the slowest RF off (s), how
    often RF stayed on after a wire had failed, and whether the log is whole."""

    result: SetResult
    cuts: int
    typed: int
    slowest_off_s: float
    left_on: int
    whole: bool


class _Beside:
    """Hands, eyes and clock at the served radio."""

    name = "by eye"

    def __init__(self, served: ServedBench, panel: VisaLink) -> None:
        self._served, self._panel = served, panel

    def turn(self, adjuster: str, asked_mdeg: int) -> tuple[int, bool]:
        """See ``Hands``."""
        moved, _, stop = self._panel.ask(f"TURN {adjuster} {asked_mdeg / 1000.0:.3f}").partition(",")
        return round(1000.0 * float(moved)), stop == "1"

    def seen(self, adjuster: str) -> float | None:
        """See ``Hands``."""
        return self._served.bench.seen(adjuster)

    def seconds(self) -> float:
        """See ``Clock``."""
        return self._served.bench.seconds()

    def stand(self, at: Conditions) -> None:
        """The front panel and the probe as these conditions want them."""
        lines = ["KEY OFF", "PANEL"]
        lines += [f"LEAD {at.inject or ''}"]
        lines += [f"CHAN {at.channel}"] if at.channel else []
        lines += [f"BAND {at.band}"] if at.band else []
        lines += [f"MODE {at.mode}"] if at.mode else []
        lines += [f"PANEL {k}={v}" for k, v in at.panel]
        lines += [f"PROBE {at.test_point or ''}", f"MIC {at.mic_mv or 0.0:g}", f"TONE {at.tone_hz or 1000.0:g}"]
        lines += ["KEY ON"] if at.way == "transmit" else []
        for line in lines:
            self._panel.send(line)
        error = self._panel.ask("SYST:ERR?")
        if not error.startswith("0"):
            raise BenchError(f"front panel: {error}")

    def measures(self, quantity_id: str) -> bool:
        """See ``Meter``."""
        return self._served.bench.can_measure(quantity_id)

    def seconds_for(self, quantity_id: str) -> float:
        """See ``Meter``."""
        del quantity_id
        return 1.0

    def measure(self, quantity_id: str, conditions: Conditions) -> Measured:
        """See ``Meter``."""
        return self._served.bench.measure(quantity_id, conditions)

    def live(self, quantity_id: str, conditions: Conditions) -> Measured | None:
        """See ``Meter``."""
        del quantity_id, conditions
        return None

    def cancel(self) -> None:
        """See ``Meter``."""


class WiredBench(Bench):
    """Real instruments by wire round a radio that stands elsewhere."""

    def __init__(self, server: BenchServer, served: ServedBench, sheet: Sheet) -> None:
        """Raises BenchError where one of them does not answer, or is another one."""
        known: dict[str, InstrumentCard] = {
            f.made.kind: f.made.model_copy(update=_QUICK) for f in cards() if f.made is not None
        }

        def wired(kind: str) -> Wired:
            address = f"127.0.0.1:{server.ports[kind]}"
            made = Wired(known[kind], VisaLink(address, known[kind]), address)
            made.connect()
            return made

        carrier = carrier_of(sheet)
        self.generator = WireGenerator(wired("generator"), carrier, lambda: Kit(pads_db=(_PAD_DB,)))
        self.panel = VisaLink(f"127.0.0.1:{server.ports['radio']}", _PANEL_CARD)
        self.beside = _Beside(served, self.panel)
        self.wires = [
            WireMeter(wired(kind), carrier, self._rf_off)
            for kind in (
                "audio analyser",
                "power meter",
                "counter",
                "modulation meter",
                "multimeter",
                "spectrum analyser",
            )
        ]
        self._served = served
        self.slowest_off_s, self.left_on = 0.0, 0
        super().__init__((*self.wires, self.beside), self.generator, self.beside, self.beside)

    def _rf_off(self) -> None:
        began = time.monotonic()
        self.generator.off()
        self.slowest_off_s = max(self.slowest_off_s, time.monotonic() - began)
        self.left_on += self._served.state.rf

    def measure(self, quantity_id: str, conditions: Conditions, by: Meter | None = None) -> Measured:
        """The panel first, as a technician does; RF is off before it is keyed."""
        if conditions.way == "transmit":
            self.generator.off()
        self.beside.stand(conditions)
        return super().measure(quantity_id, conditions, by)

    def close(self) -> None:
        """Let go of all of them."""
        for link in (self.panel, self.generator.wired.link, *(m.wired.link for m in self.wires)):
            link.close()


def run_by_wire(sheet_name: str, seed: int, cuts: int = 0) -> WireResult:
    """One radio of a seed through wires, ``cuts`` cables pulled at random moments. Raises SheetError, BenchError."""
    path, sheet, physics = simulated(sheet_name)
    book = Logbook(None)
    served = ServedBench(SimulatedBench(SimulatedRadio(sheet, physics, seed)), sheet, _PAD_DB)
    server = BenchServer(served)
    bench = WiredBench(server, served, sheet)
    try:
        job = open_job(
            book, str(path), Card(book.next_number(), path.stem, serial=f"seed {seed}"), Kit(pads_db=(_PAD_DB,))
        )
        session = Session(book, job, bench)
        rng = np.random.default_rng(np.random.SeedSequence([seed, 27]))
        when = set(rng.choice(np.arange(5, 60), cuts, replace=False).tolist()) if cuts else set()
        typed, measured, steps = 0, 0, 0
        while steps < MOVES_AT_MOST and (advice := session.advice()).act != "done":
            steps += 1
            if isinstance(advice, moves.Measure):
                measured += 1
                if measured in when:
                    server.cut(str(rng.choice(_CUT)))
                typed += _read(session, bench, advice)
            else:
                session.follow(advice)
        whole = fold(book.tape(job), job).seq == session.state.seq
        result = judge(session, sheet, physics, seed, len(session.state.readings), steps, steps < MOVES_AT_MOST)
        return WireResult(result, cuts, typed, bench.slowest_off_s, bench.left_on, whole and not served.bench.damaged)
    finally:
        bench.close()
        server.close()
        book.close()


def _read(session: Session, bench: WiredBench, advice: moves.Measure) -> int:
    """By wire; where the wire fails, by eye, and typed (1). What this radio has not is put aside."""
    session.go_to(advice.step)
    try:
        session.follow(advice)
        return 0
    except BenchError as error:
        quantity_id = advice.quantity or session.reading_quantity(advice.conditions)
        quantity_id = FOUND_BY.get(quantity_id, (quantity_id,))[0]
        if not bench.beside.measures(quantity_id):
            session.judge("not applicable", str(error))
            return 0
        bench.beside.stand(advice.conditions)
        try:
            read = bench.beside.measure(quantity_id, advice.conditions)
        except BenchError as again:
            session.judge("not applicable", str(again))
            return 0
        unit = " dB" if quantity_id in ("rx.sinad", "rx.sn_ratio") else ""
        session.type_in(read.word or f"{read.bound}{read.value:.6g}{unit}", advice.conditions)
        return 1


def _one(arguments: tuple[str, int, int]) -> WireResult:
    return run_by_wire(*arguments)


def run_by_wire_trial(sheet: str, sets: int, seed: int = 1, workers: int = 1, cuts: int = 10) -> dict[str, Any]:
    """The report of ``./unitone robot SHEET --task by-wire``: every radio with ``cuts`` cables pulled. Raises SheetError without physics."""
    path, _, _ = simulated(sheet)
    started = time.monotonic()
    found = many(_one, [(sheet, s, cuts) for s in range(seed, seed + sets)], workers)
    told = [f.result for f in found]
    return {
        "task": "by-wire", "sheet": path.stem, "sets": sets, "seed": seed, "recovered": sum(r.recovered for r in told),
        "readings_per_set": round(sum(r.readings for r in told) / len(told), 1), "wrong_verdicts": sum(r.wrong_verdicts for r in told),
        "loss_db": losses(told), "cuts_per_set": cuts, "typed_instead": sum(f.typed for f in found), "logs_whole": sum(f.whole for f in found),
        "slowest_off_s": round(max(f.slowest_off_s for f in found), 3), "rf_left_on": sum(f.left_on for f in found),
        "problems": [{"seed": r.seed, "what": list(r.problems)} for r in told if r.problems],
        "seconds": round(time.monotonic() - started, 1),
    }  # fmt: skip
