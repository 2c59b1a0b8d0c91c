"""Instruments by wire through the real window: chosen in Settings, tried, read live and whole on the Bench, and silent ones told."""

from __future__ import annotations

import pytest

pytest.importorskip("PyQt6.QtWidgets")

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QPushButton

from desktop.conftest import Desk
from unitone.bench.path import Kit
from unitone.job.card import Card
from unitone.job.fold import fold
from unitone.robot.many import simulated
from unitone.session.session import open_job
from unitone.session.wires import kept_wires
from unitone.simulator.radio import SimulatedRadio
from unitone.simulator.served import BenchServer, ServedBench
from unitone.simulator.simulated_bench import SimulatedBench

pytestmark = pytest.mark.window
WEIR = "ostrel-weir-40-am"


def test_from_the_shelf_to_a_reading_in_the_log(desk: Desk) -> None:
    _, sheet, physics = simulated(WEIR)
    served = ServedBench(SimulatedBench(SimulatedRadio(sheet, physics, 3)), sheet, 40.0)
    server = BenchServer(served)
    number = desk.logbook.next_number()
    job = open_job(desk.logbook, WEIR, Card(number, WEIR), Kit(pads_db=(40.0,)))
    desk.open(number)
    try:
        desk.window.show_settings()
        settings = desk.window._workshop.settings  # type: ignore[union-attr]
        box = settings.wires
        assert "None:" in box.list.findChildren(type(box.trial_head))[0].text()
        for kind, port in (
            ("scpi-generator", "generator"),
            ("scpi-audio-analyser", "audio analyser"),
            ("scpi-counter", ""),
        ):
            box.form.set_text("card", kind)
            box.form.set_text("address", f"127.0.0.1:{server.ports[port]}" if port else "127.0.0.1:1")
            desk.qtbot.mouseClick(box.form.add, Qt.MouseButton.LeftButton)
        assert [c for c, _ in kept_wires(desk.logbook)] == ["scpi-generator", "scpi-audio-analyser", "scpi-counter"]
        desk.until(lambda: [line.mark for line in box.list.shown or ()] == ["in_spec", "in_spec", "out_of_spec"])
        assert "does not answer" in (box.list.shown or ())[2].quiet
        # Tried line by line; the last one, that nobody answers for, is taken off again.
        buttons = {b.accessibleName(): b for b in box.list.findChildren(QPushButton)}
        desk.qtbot.mouseClick(
            next(b for n, b in buttons.items() if n.startswith("Try: Signal")), Qt.MouseButton.LeftButton
        )
        desk.until(lambda: "all lines right" in box.trial_head.text())
        assert [line.quiet for line in box.trial.shown or ()][-1] == "RF is off"
        desk.qtbot.mouseClick(
            next(b for n, b in buttons.items() if n.startswith("Remove: Frequency")), Qt.MouseButton.LeftButton
        )
        desk.until(lambda: len(box.list.shown or ()) == 2 and len(desk.window.bench_meters.wire_states) == 2)
        # On the Bench the needle lives, and Enter logs a whole reading.
        step = next(s for s in sheet.steps if s.quantity_id == "rx.sn_ratio")
        served.answer("radio", f"CHAN {step.required[0].channel}")
        desk.open(number)
        desk.window.worker.do(
            lambda s: (s.start_work(), s.go_to(step.id), s.confirm_hook_up("receive"), s.set_up(step.required[0]))
        )  # type: ignore[union-attr]
        desk.until(
            lambda: desk.bench.view is not None and desk.bench.view.step.id == step.id and desk.bench.view.reading.live
        )
        desk.until(lambda: served.state.rf)
        desk.window.worker.do(lambda s: s.measure(step.required[0]))  # type: ignore[union-attr]
        desk.until(lambda: bool(fold(desk.logbook.tape(job)).readings))
        reading = fold(desk.logbook.tape(job)).readings[-1].reading
        assert reading.source == "remote" and reading.instrument == "Audio analyser, plain SCPI"
        # M reads on by itself: told what to set, one Space, readings on the log, Esc stops it with RF off.
        finding = next(s for s in sheet.steps if s.quantity_id == "rx.sensitivity_am")
        desk.window.worker.do(lambda s: s.go_to(finding.id))  # type: ignore[union-attr]
        desk.until(lambda: desk.bench.view.step.id == finding.id and desk.bench.view.reading.run == "places")
        assert desk.bench.step.charted.isVisible() and "Run" in desk.bench.step.charted.text()
        desk.bench.setFocus()
        before = len(fold(desk.logbook.tape(job)).readings)
        desk.key("m")
        desk.until(desk.bench.run_card.ready.isVisible)
        assert desk.bench.run_card.headline.text().startswith("Set channel")
        served.answer("radio", f"CHAN {finding.required[0].channel}")
        desk.key(Qt.Key.Key_R)
        assert "stop them first" in desk.bench.message_words.text()
        desk.key(Qt.Key.Key_Space)
        desk.until(lambda: len(fold(desk.logbook.tape(job)).readings) >= before + 2)
        desk.key(Qt.Key.Key_Escape)
        desk.until(lambda: not desk.bench.run_card.isVisible() and desk.bench.step.isVisible())
        # The live needle of the step feeds it again; between the two RF was off.
        count = len(fold(desk.logbook.tape(job)).readings)
        assert all(x.reading.source == "remote" for x in fold(desk.logbook.tape(job)).readings[before:count])
        # Keyed only once RF is off, confirmed by the generator itself.
        desk.window.worker.do(lambda s: s.confirm_hook_up("transmit"))  # type: ignore[union-attr]
        desk.until(lambda: fold(desk.logbook.tape(job)).hook_up == "transmit")
        assert not served.state.rf
    finally:
        desk.window.worker.stop()  # type: ignore[union-attr]
        server.close()
