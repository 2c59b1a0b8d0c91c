"""The meters of a real radio's bench: sound card, instruments by wire, cameras; connected as they were chosen, told where one is silent."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject

from unitone.errors import BenchError, SignalError, UnitoneError
from unitone.quantities.registry import quantity
from unitone.store.logbook import Logbook
from unitone.words import tr

if TYPE_CHECKING:
    from unitone.desktop.camera.webcam import Webcam
    from unitone.desktop.features.bench.page import BenchPage
    from unitone.desktop.features.workshop.page import WorkshopPage
    from unitone.desktop.shell.live_input import LiveInput
    from unitone.desktop.shell.worker import BenchWorker
    from unitone.session.wires import WireState


class BenchMeters(QObject):
    """Of one window. Bench, its worker and Workshop are made when they are first wanted: they are asked for each time."""

    def __init__(
        self,
        logbook: Logbook,
        parent: QObject,
        worker: Callable[[], BenchWorker | None],
        bench: Callable[[], BenchPage | None],
        workshop: Callable[[], WorkshopPage | None],
    ) -> None:
        super().__init__(parent)
        self._logbook, self._worker, self._bench, self._workshop = logbook, worker, bench, workshop
        #: The sound card, once it is wanted.
        self.live: LiveInput | None = None
        self.wire_states: tuple[WireState, ...] = ()
        self._webcam: Webcam | None = None
        self._begun = False

    def begin(self) -> None:
        """A real radio is on the Bench: connect what was chosen, once since the start."""
        if self._begun:
            return
        # The first paint waits for no card of an instrument.
        from unitone.session.wires import kept_wires

        self._begun = True
        self.apply_live()
        if kept_wires(self._logbook):
            self.apply_wires()
        if self._logbook.setting("camera_meters", []):
            self.apply_camera()

    def close(self) -> None:
        """Let sound card and camera go."""
        if self.live is not None:
            self.live.close()
        if self._webcam is not None:
            self._webcam.close()

    def apply_live(self) -> None:
        """Listen on the Bench as it was chosen; where that cannot be, one message says why, and readings are typed."""
        from unitone.desktop.shell.live_input import LiveInput, LiveSetting

        if self._worker() is None:
            return
        setting = LiveSetting.kept(self._logbook)
        if self.live is None:
            if not setting.on:
                return
            self.live = LiveInput(self._logbook, self)
            self.live.changed.connect(self._meters_changed)
            self.live.failed.connect(self._tell)
        try:
            if setting.on:
                self.live.open(setting)
            else:
                self.live.close()
        except SignalError as error:
            self.live.close()
            self._tell(str(error))
        self._meters_changed()

    def apply_wires(self) -> None:
        """Connect the instruments by wire as they were chosen; who answers is told in Settings, and on the Bench where one does not."""
        worker = self._worker()
        if worker is not None:
            worker.connect_wires()

    def wired(self, states: tuple[WireState, ...]) -> None:
        """Which instruments by wire answer."""
        self.wire_states = states
        workshop = self._workshop()
        if workshop is not None:
            workshop.show_wires(states)
        silent = [s.words for s in states if not s.there]
        if silent:
            self._tell(" ".join(silent))

    def webcam(self) -> Webcam:
        """The camera, made when somebody first wants it."""
        if self._webcam is None:
            from unitone.desktop.camera.webcam import Webcam

            self._webcam = Webcam(self)
            self._webcam.failed.connect(self._tell)
        return self._webcam

    def apply_camera(self) -> None:
        """Read on the Bench what was taught; where there is no camera, or a meter cannot be read, one message says why."""
        from unitone.session.cameras import camera_ports

        worker = self._worker()
        if worker is None:
            return
        meters, wrong = camera_ports(self._logbook, self.webcam().frames)
        source, teaching = str(self._logbook.setting("camera", "") or ""), self.teaching()
        try:
            if source and (meters or teaching):
                self.webcam().open(source)
            elif not teaching:
                self.webcam().close()
        except BenchError as error:
            wrong = (*wrong, str(error))
        worker.connect_cameras(meters)
        if wrong:
            self._tell(" ".join(wrong))

    def teaching(self) -> bool:
        """Does somebody look at the camera's picture?"""
        workshop = self._workshop()
        camera = None if workshop is None else workshop.camera
        return camera is not None and camera.isVisible()

    def _meters_changed(self) -> None:
        from unitone.desktop.shell.live_input import LiveSetting

        worker = self._worker()
        if worker is not None:
            meter = None if self.live is None else self.live.meter
            worker.connect_meters(() if meter is None else (meter,), frozenset(LiveSetting.kept(self._logbook).typed))

    def _tell(self, words: str) -> None:
        bench = self._bench()
        if bench is not None:
            bench.tell(words)

    def change_source(self, quantity_id: str) -> None:
        """The quantity at hand from sound card, wire or camera instead of typed, or the other way round."""
        from unitone.desktop.shell.live_input import LiveSetting

        bench = self._bench()
        assert bench is not None and bench.view is not None
        if bench.view.simulated:
            self._tell(tr("The simulated bench reads this by itself. The sound card reads a real radio."))
            return
        setting, meter = LiveSetting.kept(self._logbook), None if self.live is None else self.live.meter
        if bench.view.reading.can_change_source:
            setting = replace(setting, typed=tuple(sorted({*setting.typed} ^ {quantity_id})))
        elif meter is None:
            setting = replace(setting, on=True, typed=tuple(x for x in setting.typed if x != quantity_id))
        else:
            self._tell(
                tr(
                    "The sound card does not read {what} here: type it. Workshop, Settings lists what it reads.",
                    what=tr(quantity(quantity_id).title),
                )
            )
            return
        try:
            setting.keep(self._logbook)
        except UnitoneError as error:
            self._tell(str(error))
            return
        self.apply_live()
        self._meters_changed()
