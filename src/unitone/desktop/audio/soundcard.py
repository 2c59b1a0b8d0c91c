"""The sound card through Qt Multimedia: its inputs feed the meters, its output sounds the generator.

Qt Multimedia is imported only when it is wanted, since it needs a system library of its
own. Input and output run in a thread of their own each: a busy window never drops a block.
"""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from functools import partial
from typing import Any, Literal, Protocol

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QBuffer, QIODevice, QLoggingCategory, QObject, Qt, QThread, QTimer, pyqtSignal

from unitone.bench.drivers.live import Feed
from unitone.bench.drivers.recording import Block
from unitone.errors import SignalError
from unitone.signals.generate import Generator, Setting
from unitone.words import N_, tr

Side = Literal["left", "right", "iq"]
SIDES: tuple[tuple[Side, str], ...] = (("left", N_("left")), ("right", N_("right")), ("iq", N_("both, as I/Q")))
RATE = 48_000
#: How often an input is looked after (milliseconds); one that gave nothing at so many looks has gone, or at so many after its start.
#: By looks, not by the clock: where the whole machine stands still, the input has not gone.
_LOOK_MS, _STALL_LOOKS, _START_LOOKS = 250, 6, 16
#: A sound server that did not answer is asked again after so many looks.
_AGAIN_LOOKS = 8
#: What the sound server may hold before it drops it, and what is sounded ahead (seconds).
_IN_BUFFER_S, _OUT_BUFFER_S = 0.25, 0.25


@dataclass(frozen=True)
class Device:
    """One input or output: its identifier on this machine, and what it is called."""

    id: str
    name: str


def multimedia() -> Any:
    """Qt's module for sound. Raises SignalError naming the package that is missing."""
    # What Qt says of libraries that are not on this machine is no news to a technician: no device, or an error, is told in words.
    QLoggingCategory.setFilterRules("qt.multimedia.*=false")
    try:
        from PyQt6 import QtMultimedia
    except ImportError as error:
        raise SignalError(
            tr(
                "The sound card cannot be used: {error}. Install it with: sudo apt-get install libpulse0",
                error=str(error),
            )
        ) from None
    return QtMultimedia


def _device_id(device: Any) -> str:
    return bytes(device.id()).decode(errors="replace")


class Server:
    """The sound server asked directly what is plugged in. Qt does not hear of what is unplugged, and the server moves a stream
    whose input has gone quietly to another one: the figure would be of the wrong input."""

    def __init__(self) -> None:
        import pulsectl

        self._errors = (pulsectl.PulseError, OSError)
        self._client: Any = None
        self._asked = 0
        self._connect()

    def _connect(self) -> None:
        import pulsectl

        with suppress(*self._errors):
            self._client = pulsectl.Pulse("unitone")

    def names(self, output: bool = False) -> set[str] | None:
        """Identifiers of the inputs (or outputs); None where there is no such server to ask."""
        try:
            self._asked += 1
            if self._client is None and self._asked % _AGAIN_LOOKS == 0:
                # A busy server may have had no time for it: it is asked again, or nothing would be noticed of what is unplugged.
                self._connect()
            if self._client is None:
                return None
            return {x.name for x in (self._client.sink_list() if output else self._client.source_list())}
        except self._errors:
            return set()

    def close(self) -> None:
        """Let go of it."""
        if self._client is not None:
            self._client.close()


#: The setting that names the output that was chosen.
SOUND_OUTPUT = "sound_output"
_output = ""


def use_output(identifier: str) -> None:
    """Be heard at this output from the next sound on; empty: at the machine's own."""
    global _output  # noqa: PLW0603  one loudspeaker for the whole program
    _output = identifier


def heard_at() -> Device | None:
    """The output that was chosen, or the machine's own where it is not plugged in; None without any. Raises SignalError."""
    there = devices(output=True)
    return next((d for d in there if d.id == _output), there[0] if there else None)


def devices(output: bool = False) -> list[Device]:
    """The inputs (or outputs) there are now, the default one first. Raises SignalError."""
    m = multimedia()
    server = Server()
    there = server.names(output)
    server.close()
    found = m.QMediaDevices.audioOutputs() if output else m.QMediaDevices.audioInputs()
    usual = m.QMediaDevices.defaultAudioOutput() if output else m.QMediaDevices.defaultAudioInput()
    made = [Device(_device_id(d), d.description()) for d in found if there is None or _device_id(d) in there]
    return sorted(made, key=lambda d: d.id != _device_id(usual))


def _find(identifier: str, output: bool) -> Any:
    m = multimedia()
    found = m.QMediaDevices.audioOutputs() if output else m.QMediaDevices.audioInputs()
    for device in found:
        if _device_id(device) == identifier:
            return device
    kind = tr("output") if output else tr("input")
    raise SignalError(tr("The sound {kind} is gone. Plug it in again, or choose another.", kind=kind))


def _format(device: Any, channels: int) -> Any:
    """A format that the device takes: 48 kHz and floats where it can. Raises SignalError."""
    m = multimedia()
    preferred = device.preferredFormat()
    kinds = m.QAudioFormat.SampleFormat
    for rate in (RATE, preferred.sampleRate()):
        for kind in (kinds.Float, kinds.Int32, kinds.Int16):
            wanted = m.QAudioFormat()
            wanted.setSampleRate(rate)
            wanted.setChannelCount(channels)
            wanted.setSampleFormat(kind)
            if device.isFormatSupported(wanted):
                return wanted
    raise SignalError(tr("{name} takes no usual sound format (48 kHz, 16 bit).", name=device.description()))


_TYPES = {"Float": ("f4", 1.0), "Int32": ("i4", 2.0**31), "Int16": ("i2", 2.0**15)}


def samples_of(data: bytes, form: str, channels: int, side: Side) -> Block:
    """Interleaved bytes of a sound card as samples of one side, or both as I/Q. ``form``: Float, Int32 or Int16."""
    kind, full = _TYPES[form]
    width = np.dtype(kind).itemsize * channels
    raw = np.frombuffer(data[: len(data) // width * width], kind).reshape(-1, channels)
    if side == "iq":
        pairs = np.ascontiguousarray(raw[:, :2], np.float32) / np.float32(full)
        made: Block = pairs.view(np.complex64)[:, 0]
        return made
    return np.asarray(raw[:, 1 if side == "right" and channels > 1 else 0], np.float64) / full


#: What was stopped and whose thread has not ended yet.
_HELD: list[_Threaded] = []


class _Threaded(QObject):
    """Something that lives in a thread of its own, and is told to stop from outside."""

    failed = pyqtSignal(str)
    _stop = pyqtSignal()

    def __init__(self, name: str) -> None:
        super().__init__()
        self._thread = QThread()
        self._thread.setObjectName(name)
        self.moveToThread(self._thread)
        self._thread.started.connect(self._begin)
        self._stop.connect(self._end, Qt.ConnectionType.QueuedConnection)

    def begin(self) -> None:
        """Start its thread."""
        self._thread.start(QThread.Priority.HighPriority)

    def stop(self) -> None:
        """End it and wait for its thread."""
        if self._thread.isRunning():
            self._stop.emit()
            if not self._thread.wait(3000):
                # A driver that holds on to it: it goes when it can. A thread that is let go of while it runs ends the process.
                _HELD.append(self)
                self._thread.finished.connect(partial(_HELD.remove, self))

    def _begin(self) -> None:
        """Open the device; runs in its own thread, as all that follows."""

    def _end(self) -> None:
        """Let go of the device, and end the thread."""


class SoundInput(_Threaded):
    """One input that feeds a Feed until it is stopped or unplugged. Raises SignalError where it cannot be opened."""

    def __init__(self, device: Device, side: Side = "left", full_scale_v: float | None = None) -> None:
        found = _find(device.id, False)
        channels = 2 if found.maximumChannelCount() >= 2 else 1
        if side == "iq" and channels < 2:
            raise SignalError(tr("{name} has one channel: I/Q needs two.", name=device.name))
        super().__init__("sound-input")
        self._format = _format(found, channels)
        self._device, self.device, self.side = found, device, side
        self.feed = Feed(
            float(self._format.sampleRate()), "iq" if side == "iq" else "audio", device.name, full_scale_v=full_scale_v
        )
        self._source: Any = None
        self._into: QBuffer | None = None
        self._watch: QTimer | None = None
        self._server: Server | None = None
        #: Looks that it has left to give something.
        self._patience = _START_LOOKS

    def _begin(self) -> None:
        m = multimedia()
        self._source = m.QAudioSource(self._device, self._format)
        self._source.setBufferSize(int(_IN_BUFFER_S * self._format.sampleRate()) * self._format.bytesPerFrame())
        # A buffer of our own: the device that Qt would lend goes with its stream, at any moment.
        self._into = QBuffer()
        self._into.open(QIODevice.OpenModeFlag.ReadWrite)
        self._into.readyRead.connect(self._read)
        self._source.start(self._into)
        if self._source.error() != m.QtAudio.Error.NoError:
            self._lost(tr("{name} cannot be opened: another program may hold it.", name=self.device.name))
            return
        self._server = Server()
        self._watch = QTimer()
        self._watch.timeout.connect(self._look)
        self._watch.start(_LOOK_MS)

    def _read(self) -> None:
        if self._into is None:
            return
        data = self._into.data().data()
        self._into.buffer().clear()
        self._into.seek(0)
        if data:
            self._patience = max(self._patience, _STALL_LOOKS)
            form = self._format.sampleFormat().name
            self.feed.push(samples_of(data, form, self._format.channelCount(), self.side))

    def _look(self) -> None:
        """A microphone that was unplugged says nothing by itself: it is looked for, and a port that gives nothing counts too."""
        # What has come and was not read yet counts.
        self._read()
        self._patience -= 1
        there = None if self._server is None else self._server.names()
        if (there is not None and self.device.id not in there) or self._patience < 0:
            self._lost(
                tr(
                    "{name} stopped: unplugged? Plug it in and choose it again. Held readings stay.",
                    name=self.device.name,
                )
            )

    def _lost(self, words: str) -> None:
        self._let_go()
        self.feed.close(words)
        self.failed.emit(words)

    def _let_go(self) -> None:
        if self._watch is not None:
            self._watch.stop()
            self._watch = None
        if self._server is not None:
            self._server.close()
            self._server = None
        if self._source is not None:
            self._source.stop()
            self._source = self._into = None

    def _end(self) -> None:
        self._let_go()
        self.feed.close()
        self._thread.quit()


class _Source(Protocol):
    """Makes blocks without end at the output's rate, and goes silent by a ramp."""

    def block(self, n: int) -> NDArray[np.float64]: ...

    def stop(self) -> None: ...


class _Tap(QIODevice):
    """What the output reads from: its source, in the output's own format."""

    def __init__(self, source: _Source, form: str, channels: int) -> None:
        super().__init__()
        self.source, self._form, self._channels = source, form, channels
        self._kind, self._full = _TYPES[form]
        self._width = np.dtype(self._kind).itemsize * channels
        self.made = 0
        self.open(QIODevice.OpenModeFlag.ReadOnly)

    def isSequential(self) -> bool:
        return True

    def bytesAvailable(self) -> int:
        return 1 << 20

    def readData(self, most: int) -> bytes:
        """As many whole samples as fit."""
        n = min(most // self._width, 1 << 14)
        if n <= 0:
            return b""
        block = self.source.block(n)
        self.made += n
        if self._form != "Float":
            block = np.clip(np.rint(block * (self._full - 1)), -self._full, self._full - 1)
        return np.repeat(block.astype(self._kind), self._channels).tobytes()


class SoundOutput(_Threaded):
    """One output that sounds a generator, or another source made for its rate, until it is stopped. Raises SignalError where it cannot be
    opened."""

    def __init__(self, device: Device, what: Setting | Callable[[float], _Source]) -> None:
        found = _find(device.id, True)
        super().__init__("sound-output")
        channels = 2 if found.maximumChannelCount() >= 2 else 1
        self._format = _format(found, channels)
        self._device, self.device = found, device
        rate = float(self._format.sampleRate())
        self.source: _Source = Generator(rate, what) if isinstance(what, Setting) else what(rate)
        self._sink: Any = None
        self._tap: _Tap | None = None

    def change(self, setting: Setting) -> None:
        """Another setting of the generator, by a ramp. Raises SignalError; the old one then goes on."""
        assert isinstance(self.source, Generator)
        self.source.change(setting)

    def _begin(self) -> None:
        m = multimedia()
        self._tap = _Tap(self.source, self._format.sampleFormat().name, self._format.channelCount())
        self._sink = m.QAudioSink(self._device, self._format)
        self._sink.setBufferSize(int(_OUT_BUFFER_S * self._format.sampleRate()) * self._format.bytesPerFrame())
        self._sink.start(self._tap)
        if self._sink.error() != m.QtAudio.Error.NoError:
            self.failed.emit(tr("{name} cannot be opened: another program may hold it.", name=self.device.name))
            return
        self._sink.stateChanged.connect(self._state)

    def _state(self, state: Any) -> None:
        m = multimedia()
        if (
            state == m.QtAudio.State.StoppedState
            and self._sink is not None
            and self._sink.error() != m.QtAudio.Error.NoError
        ):
            self.failed.emit(
                tr("{name} is gone: the tone has stopped. Plug it in again, and start the tone.", name=self.device.name)
            )

    def _end(self) -> None:
        if self._sink is None:
            self._thread.quit()
            return
        # Down by a ramp, and only then off: nothing clicks in a loudspeaker or a microphone input.
        self.source.stop()
        QTimer.singleShot(int(1e3 * (_OUT_BUFFER_S + 0.06)), self._off)

    def _off(self) -> None:
        if self._sink is not None:
            self._sink.stop()
            self._sink = None
        self._thread.quit()


class Devices(QObject):
    """Tells when inputs or outputs come and go."""

    changed = pyqtSignal()

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._told: Any = None
        try:
            m = multimedia()
        except SignalError:
            return
        self._told = m.QMediaDevices(self)
        self._told.audioInputsChanged.connect(self.changed)
        self._told.audioOutputsChanged.connect(self.changed)
