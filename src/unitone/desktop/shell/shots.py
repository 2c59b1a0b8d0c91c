"""Screenshots of the main views, made from the demo workshop without a screen."""

from __future__ import annotations

import dataclasses
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QEventLoop, QTimer
from PyQt6.QtWidgets import QApplication, QWidget

from unitone.desktop.shell.app import make_application
from unitone.desktop.shell.window import MainWindow
from unitone.desktop.theme.theme import theme
from unitone.job.card import Card
from unitone.robot.demo_data import fill
from unitone.scenario.debrief import debrief
from unitone.scenario.exercises import find_exercise
from unitone.scenario.practice_radio import begin, end
from unitone.scenario.practice_results import Attempt, keep_attempt, keep_result
from unitone.scenario.trainees import TRAINEES
from unitone.session.charts import chart_on
from unitone.session.own_sheets import library_of
from unitone.session.session import Session, open_job
from unitone.sheet.library import find
from unitone.simulator.meter_picture import FACES, Meter, View
from unitone.store.logbook import Logbook

#: The instruments of the invented workshop, for the picture.
_INSTRUMENTS = [
    {"id": "watt", "name": "30 W wattmeter", "measures": ["tx.power", "tx.pep"], "standing": "calibrated", "calibrated": "2026-03-02",
     "pct_full_scale": 5, "full_scale": 30, "reads_pct": -8},
    {"id": "dmm", "name": "bench multimeter", "measures": ["supply.*", "vco.tuning_voltage", "tx.bias_voltage"], "standing": "calibrated",
     "calibrated": "2026-05-11", "pct_reading": 0.5},
    {"id": "counter", "name": "eight-digit counter", "measures": ["ref.*", "osc.*", "tx.frequency_error"], "standing": "calibrated",
     "calibrated": "2025-11-30", "ppm": 0.5},
    {"id": "sinad", "name": "SINAD meter of the boathouse", "measures": ["rx.sinad", "rx.sn_ratio", "rx.sensitivity*", "rx.distortion",
     "rx.af_voltage"], "standing": "indicative only"},
    {"id": "generator", "name": "generator of the boathouse", "measures": ["rx.s_meter", "rx.squelch*"], "standing": "indicative only"},
]  # fmt: skip


def wait(app: QApplication, until: Callable[[], bool], seconds: float = 90.0) -> None:
    """Let the program run until something is true. Raises TimeoutError."""
    end = time.monotonic() + seconds
    # Woken by whatever comes, and now and then by this, for what comes without an event.
    tick = QTimer(interval=10)
    tick.start()
    while not until():
        if time.monotonic() > end:
            raise TimeoutError("the view did not come")
        app.processEvents(QEventLoop.ProcessEventsFlag.WaitForMoreEvents)


def _is_written_on(page: QWidget) -> bool:
    """Is there ink on it yet? A page of a PDF is drawn in a thread of its own, and is white until then."""
    shown = page.grab().toImage()
    places = [(x, y) for x in range(40, shown.width() - 40, 3) for y in range(20, shown.height() - 20, 3)]
    return any(shown.pixelColor(x, y).lightness() < 60 for x, y in places)


def take_all(
    folder: Path, size: tuple[int, int] = (1280, 800), look: tuple[str, float] = ("day", 1.0), prefix: str = "",
    quick: bool = False,
) -> list[Path]:  # fmt: skip
    """Write the pictures to ``folder``; returns their paths. ``quick`` leaves out the one that takes longest."""
    folder.mkdir(parents=True, exist_ok=True)
    app = make_application()
    theme.use(*look)
    made: list[Path] = []
    with tempfile.TemporaryDirectory() as place, Logbook(Path(place) / "demo") as logbook:
        fill(logbook)
        window = MainWindow(logbook)
        window.resize(*size)
        window.show()

        def shoot(name: str) -> None:
            for _ in range(8):
                app.processEvents()
                time.sleep(0.02)
            path = folder / f"{prefix}{name}.png"
            window.grab().save(str(path))
            made.append(path)

        shoot("jobs")
        window.open_job(logbook.job("147").id)
        bench = window._bench
        wait(app, lambda: bench.view is not None and bench.view.number == 147)
        wait(app, lambda: bench.step.figure.text() not in ("", "—"))
        time.sleep(0.3)
        shoot("bench")
        bench.press("far")
        shoot("bench-far")
        bench.press("far")
        window.open_job(logbook.job("148").id)
        wait(app, lambda: bench.view is not None and bench.view.number == 148)
        window.worker.do(lambda s: s.go_to("chart-am"))
        wait(app, lambda: bench.view.step.id == "chart-am")
        time.sleep(0.3)
        shoot("bench-chart")
        window.show_certificate(logbook.job("144").id)
        wait(app, lambda: window._papers.document.pageCount() > 0)
        wait(app, lambda: _is_written_on(window._papers.pages))
        shoot("certificate")
        _card(app, window, logbook, shoot)
        if not quick:
            _live(app, window, logbook, shoot)
        _calculators(window, shoot)
        window.show_place("jobs")
        _trace(app, window, logbook, shoot)
        _sheets(app, window, shoot)
        _as_found(app, window, logbook, shoot)
        _smeter(app, window, logbook, shoot)
        _practice(app, window, shoot)
        theme.use("night" if look[0] == "day" else "day", look[1])
        _camera(app, window, shoot)
        window.close()
    return made


def _card(app: QApplication, window: MainWindow, logbook: Logbook, shoot: Callable[[str], None]) -> None:
    """The card of a job: inspection with a photograph, and what other channels take."""
    window.show_card(logbook.job("147").id, "inspection")
    page = window._card
    wait(app, lambda: page.view is not None and page.view.number == 147)
    page.inspection.choose("wax")
    photographs = page.inspection.photographs
    wait(app, lambda: bool(photographs.buttons) and not photographs.buttons[0].icon().isNull())
    shoot("card-inspection")
    window.show_card(logbook.job("148").id, "conversion")
    wait(app, lambda: page.view is not None and page.view.number == 148)
    page.conversion.want.set_text("want", "alphas; 28.315..28.755 step 0.01")
    page.conversion.want.submit()
    wait(app, lambda: page.conversion.shown is not None)
    shoot("card-conversion")


def _live(app: QApplication, window: MainWindow, logbook: Logbook, shoot: Callable[[str], None]) -> None:
    """The simulated radio of the job on the Bench listened to, before it is aligned, at two levels."""
    window.open_job(logbook.job("147").id)
    bench = window._bench
    wait(app, lambda: bench.view is not None and bench.view.number == 147)
    window.worker.do(lambda s: s.set_up(dataclasses.replace(s.step.setting, level_dbm=-107.0)))
    window.show_place("meters")
    page = window._meters
    page.press("meter-simulated")
    wait(app, lambda: page.shown is not None and len(page.shown.trend) > 5)
    page.press("meter-hold")
    window.worker.do(lambda s: s.set_up(dataclasses.replace(s.step.setting, level_dbm=-101.0)))
    seen = page.shown
    wait(
        app,
        lambda: (
            page.shown is not None and page.shown.trend[-1][0] - page.shown.trend[0][0] > 6.0 and page.shown is not seen
        ),
    )
    shoot("meters")
    page.quiet()


def _calculators(window: MainWindow, shoot: Callable[[str], None]) -> None:
    """A few counted carriers, all off in proportion, and a standard that clears the counter."""
    window.show_place("calculators")
    page = window._calculators
    page.show_question("oscillators")
    card = page.inside["oscillators"]
    card.sheets.setCurrentIndex(card.sheets.findText("Ostrel Tarn 40"))
    card.sheets.activated.emit(card.sheets.currentIndex())
    for (where, hz), text in zip(
        card.rows, ("26.965402 MHz", "27.405410 MHz", "27.215405 MHz", "10.000000 MHz"), strict=False
    ):
        if text.startswith("10."):
            where.setCurrentIndex(where.count() - 1)
        hz.setText(text)
    shoot("calculators")


def _sheets(app: QApplication, window: MainWindow, shoot: Callable[[str], None]) -> None:
    """The editor at a step, the workshop's instruments."""
    window.logbook.set_setting("instruments", _INSTRUMENTS)
    window.show_place("sheets")
    page = window._sheets
    wait(app, lambda: bool(page.kept))
    page.open(find("ostrel-weir-40-am"))
    wait(app, lambda: page.now is not None and bool(page.editor.procedure_why))
    page.editor.tables["step"].choose([5])
    shoot("sheets")
    window.show_place("workshop")
    shoot("workshop")
    window._workshop.chips["bench"].click()
    bench = window._workshop.bench
    bench.pads.setText("A 20; B 20; cable 0.4")
    bench.pads.editingFinished.emit()
    for kind, typed in (
        ("counter", {"true": "10 MHz", "shown": "10.000008 MHz"}), ("wattmeter", {"shown": "4 W", "volts": "41.4 V"}),
        ("generator", {"dial": "0 dBm", "volts": "219 mV"}),
    ):  # fmt: skip
        bench.guide.show_guide(kind)
        for key, text in typed.items():
            bench.guide.fields[key].setText(text)
        bench.guide.button.click()
    bench.guide.show_guide("pads")
    for fields, texts in zip(
        bench.guide.rows, (("A", "-97.3"), ("B", "-97.6"), ("A + B", "-77.8"), ("none", "-117.1")), strict=False
    ):
        for field, text in zip(fields, texts, strict=True):
            field.setText(text)
    bench.told.hide()
    shoot("my-bench")


def _open(app: QApplication, window: MainWindow, job: str) -> None:
    """Take a job to the Bench, and wait until its figure lives."""
    window.open_job(job)
    bench = window._bench
    wait(app, lambda: bench.view is not None and bench.view.job_id == job)
    wait(app, lambda: bench.step.figure.text() not in ("", "—"))
    time.sleep(0.3)


def _camera(app: QApplication, window: MainWindow, shoot: Callable[[str], None]) -> None:
    """A wattmeter before the camera, taught by its marks, by night."""
    meter = Meter(FACES[4], View(14.0, 30.0, 2.0, 1.0, gradient=(0.2, -0.2)))
    window.show_place("workshop")
    window._workshop.show_part("camera")
    page, webcam = window._workshop.camera, window.bench_meters.webcam()
    webcam.source = "drawn"
    page.source.addItem("USB webcam", webcam.source)
    page.source.setCurrentIndex(page.source.count() - 1)
    webcam.take(meter.picture(5.0))
    page.teach(meter.pivot(), [(x, y, f"{value:g}") for x, y, value in meter.marks()])
    wait(app, page.keep.isEnabled)
    webcam.take(meter.picture(7.3))
    shoot("camera")
    webcam.close()


def _trace(app: QApplication, window: MainWindow, logbook: Logbook, shoot: Callable[[str], None]) -> None:
    """A deaf valve transceiver, traced to its second IF and read pin by pin: typed, on a bench of one's own."""
    card = Card(logbook.next_number(), "corvane-heron-3", "H3-0154", "allotment shed 4", "deaf on the whole band")
    job = open_job(logbook, "corvane-heron-3", card)
    session = Session(logbook, job)
    session.confirm_hook_up("receive")
    for stage, level in (
        ("aerial", "> 100 mV"),
        ("mixer2", "nothing"),
        ("if2", "nothing"),
        ("detector", "1.2 mV"),
        ("audio", "31 mV"),
    ):
        session.tracing.type_level(stage, level)
    for row, volts in (("v5-grid", "-0.6"), ("v5-cathode", "0.6"), ("v5-anode", "0.6"), ("v5-screen", "66")):
        session.workshop.read_volts(row, volts)
    session.keep_summary()
    window.show_trace(job)
    page = window._trace
    wait(app, lambda: page.view is not None and page.view.job_id == job and page.look.board.image is not None)
    shoot("trace")


def _smeter(app: QApplication, window: MainWindow, logbook: Logbook, shoot: Callable[[str], None]) -> None:
    """The S-meter of an AM mobile from S1 on, as found and once its preset was turned: its diode wakes late."""
    card = Card(logbook.next_number(), "ostrel-weir-40-am", "40-0977", "market stall 9", "no meter under S5", simulated_seed=4,
                simulated_fault="silicon-meter-diode")  # fmt: skip
    job = open_job(logbook, "ostrel-weir-40-am", card)
    session = Session(logbook, job)
    # From S1 to S9+50 dB: a generator that goes lower than the usual one reaches both ends with less of a pad.
    session.measuring.set_kit(dataclasses.replace(session.state.kit, least_dbm=-110.0, pads_db=(20.0,)))
    session.start_work()
    session.go_to("s-meter")
    session.confirm_hook_up("receive")
    chart_on(session)
    session.turn("P2", 25_000)
    chart_on(session)
    session.measure(session.step.setting)
    session.keep_summary()
    _open(app, window, job)
    shoot("bench-smeter")


def _practice(app: QApplication, window: MainWindow, shoot: Callable[[str], None]) -> None:
    """Practice: some exercises taken, one on the Bench without help, its debrief."""
    window.show_place("practice")
    practising = window.practising
    book, library = practising.book, library_of(window.logbook)
    for name, robot in (
        ("receive-1", "peaking"),
        ("transmit-1", "peaking"),
        ("settings-1", "careless"),
        ("settings-1", "peaking"),
    ):
        exercise = find_exercise(name)
        session = begin(book, exercise, exercise.seed, library)
        keep_attempt(book, Attempt(session.job_id, exercise, exercise.seed, "none"))
        TRAINEES[robot](session, exercise)
        end(session)
        keep_result(book, debrief(book, session.job_id, exercise, library), "none")
    page = practising.page
    page.refresh()
    page.choose("receive-4")
    shoot("practice")
    page.helps.chips["none"].click()
    page.start()
    bench = window.bench_page()
    wait(
        app,
        lambda: (
            practising.attempt is not None and bench.view is not None and bench.view.job_id == practising.attempt.job
        ),
    )

    def do(command: Callable[[Session], object]) -> None:
        window.worker.do(command)

    def read(stronger_db: float) -> Callable[[Session], object]:
        def act(s: Session) -> None:
            setting = s.step.setting
            level = setting.level_dbm or -107.0
            s.set_up(dataclasses.replace(setting, level_dbm=level + stronger_db))
            s.measure()

        return act

    do(lambda s: s.confirm_hook_up("receive"))
    do(lambda s: s.turn("T1", 180_000))
    for turns in (180_000, 180_000, -90_000):
        do(read(32.0))
        do(lambda s, moved=turns: s.turn("T1", moved))  # type: ignore[misc]
    for turns in (-360_000, -360_000, -270_000):
        do(read(0.0))
        do(lambda s, moved=turns: s.turn("T1", moved))  # type: ignore[misc]
    for turns in (360_000, 180_000, 90_000):
        do(read(0.0))
        do(lambda s, moved=turns: s.turn("T2", moved))  # type: ignore[misc]
    do(read(0.0))
    done: list[bool] = []
    window.worker.then(lambda: done.append(True))
    wait(app, lambda: bool(done))
    time.sleep(0.3)
    shoot("practice-bench")
    practising.finish()
    practising.debrief.answer()
    wait(app, lambda: practising.debrief.made is not None)
    shoot("practice-debrief")


def _as_found(app: QApplication, window: MainWindow, logbook: Logbook, shoot: Callable[[str], None]) -> None:
    """A radio without a sheet on its first round: meters and dummy load are read, the generator comes next."""
    card = Card(logbook.next_number(), "fm-mobile", "40-0411", "market stall 9", "deaf, over frequency")
    job = open_job(logbook, "fm-mobile", card, title="Fenmark Lode 80")
    session = Session(logbook, job)
    read = (("current-rest", "320"), ("reference", "10.240012"), ("vco-receive", "2.1", "3.6"))
    keyed = (("vco-transmit", "2.0", "3.9"), ("power", "3.6", "3.7", "2.5"), ("frequency", "26.96504", "27.20504"))
    for part in (read, keyed):
        if part is keyed:
            session.confirm_hook_up("transmit")
        for step, *figures in part:
            for index, text in enumerate(figures):
                session.type_at(step, index, text)
    session.keep_summary()
    window.show_card(job, "readings")
    page = window._card
    wait(app, lambda: page.view is not None and page.view.job_id == job)
    shoot("as-found")
