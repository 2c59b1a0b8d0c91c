"""A simulated radio's bench served over TCP: a port an instrument, lines of SCPI in, lines out; and the radio's own front panel on the last.

What a meter answers is what the simulated bench reads; a generator left on while the radio is keyed is broken, as on a real bench.
"""

from __future__ import annotations

import contextlib
import socket
import socketserver
import sys
import threading
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import cast

from unitone.errors import BenchError, UnitoneError
from unitone.quantities.registry import quantity
from unitone.sheet.model.sheet import Conditions, Sheet
from unitone.simulator.simulated_bench import SimulatedBench
from unitone.trouble import report
from unitone.words import tr

#: The instruments, in the order of their ports from the first on; the radio's own panel is last.
INSTRUMENTS = ("generator", "audio analyser", "power meter", "counter", "modulation meter", "multimeter", "spectrum analyser",
               "radio")  # fmt: skip
#: A generator this far beside the carrier gives nothing that is heard (Hz); a finer difference than this is none.
_OUT_OF_BAND_HZ, _SAME_HZ = 60e3, 0.5
_SIDES = {"usb": 1.0, "lsb": -1.0}
_LONGEST = 400
_ON = ("ON", "1")
_UNKNOWN = '-113,"Undefined header"'
_WRONG = '-222,"Data out of range"'
_FAILED = '-300,"Device-specific error"'
_NONE = '0,"No error"'


@dataclass
class _State:
    """What the instruments and the front panel are set to."""

    hz: float = 27.185e6
    dbm: float = -60.0
    rf: bool = False
    deviation: float = 0.0
    depth: float = 0.0
    fm: bool = False
    am: bool = False
    tone: float = 1000.0
    channel: str | None = None
    band: str | None = None
    mode: str | None = None
    keyed: bool = False
    mic_mv: float | None = None
    test_point: str | None = None
    #: The stage that the generator's lead is on; None for the aerial socket.
    inject: str | None = None
    panel: dict[str, str] = field(default_factory=dict)


class ServedBench:
    """Answers lines for one simulated bench. Thread-safe; ``pad_db`` stands between the generator and the radio."""

    def __init__(self, bench: SimulatedBench, sheet: Sheet, pad_db: float = 0.0) -> None:
        self.bench, self.sheet, self.pad_db = bench, sheet, pad_db
        self.state = _State(
            channel=sheet.plan.names[len(sheet.plan.names) // 2],
            band=next((b for b, _ in sheet.plan.bands), None),
            mode=next((m.mode for m in sheet.mixing if m.mode), None),
        )
        self._lock = threading.Lock()
        self._errors: dict[str, str] = {}

    def conditions(self) -> Conditions:
        """What the settings amount to for a reading."""
        s = self.state
        if s.keyed:
            tone = s.tone if s.mic_mv else None
            return Conditions(
                "transmit",
                s.channel,
                s.test_point,
                band=s.band,
                mode=s.mode,
                mic_mv=s.mic_mv,
                tone_hz=tone,
                panel=self._panel(),
            )
        carrier = float(self.sheet.carrier_hz(s.channel, s.band))
        beside = s.hz - carrier - _SIDES.get((s.mode or "").lower(), 0.0) * s.tone
        if s.inject is not None:
            beside = 0.0
        heard = s.rf and abs(beside) < _OUT_OF_BAND_HZ
        return Conditions(
            "receive", s.channel, s.test_point, s.dbm - self.pad_db if heard else None, s.tone,
            s.deviation if s.fm else None, None, self._panel(), s.band, s.mode, s.depth if s.am else None,
            beside if heard and abs(beside) > _SAME_HZ else None, s.inject,
        )  # fmt: skip

    def _panel(self) -> tuple[tuple[str, str], ...]:
        return tuple(sorted(self.state.panel.items()))

    def answer(self, instrument: str, line: str) -> str | None:
        """The answer to a line; None where none is given. An error waits for ``SYST:ERR?``."""
        text = line.strip()
        if not text or len(text) > _LONGEST:
            return None
        head, _, rest = text.partition(" ")
        head, rest = head.upper(), rest.strip()
        with self._lock:
            if head == "*IDN?":
                return f"Unitone,Simulated {instrument},0,1"
            if head == "SYST:ERR?":
                return self._errors.pop(instrument, _NONE)
            if head in ("*RST", "*CLS"):
                self._errors.pop(instrument, None)
                return None
            try:
                told = {"generator": self._generator, "radio": self._radio}.get(instrument, self._meter(instrument))
                return told(head, rest)
            except (ValueError, KeyError, IndexError):
                self._errors[instrument] = _WRONG
            except UnitoneError as error:
                self._errors[instrument] = f'{_FAILED[:-1]}: {str(error)[:120]}"'
        return "nan" if head.endswith("?") else None

    def _unknown(self, instrument: str) -> None:
        self._errors[instrument] = _UNKNOWN

    # -- the generator ------------------------------------------------------------------------------------------

    def _generator(self, head: str, rest: str) -> str | None:
        s = self.state
        settings: dict[str, Callable[[], None]] = {
            "FREQ": lambda: setattr(s, "hz", _number(rest, 1e3, 1e10)), "POW": lambda: setattr(s, "dbm", _number(rest, -160.0, 30.0)),
            "OUTP": lambda: setattr(s, "rf", rest.upper() in _ON), "FM:DEV": lambda: setattr(s, "deviation", _number(rest, 0.0, 1e6)),
            "AM:DEPT": lambda: setattr(s, "depth", _number(rest, 0.0, 100.0)), "FM:STAT": lambda: setattr(s, "fm", rest.upper() in _ON),
            "AM:STAT": lambda: setattr(s, "am", rest.upper() in _ON), "FM:INT:FREQ": lambda: setattr(s, "tone", _number(rest, 10.0, 1e5)),
            "AM:INT:FREQ": lambda: setattr(s, "tone", _number(rest, 10.0, 1e5)),
        }  # fmt: skip
        asked = {
            "FREQ?": f"{s.hz:.1f}",
            "POW?": f"{s.dbm:.2f}",
            "OUTP?": str(int(s.rf)),
            "FM:DEV?": f"{s.deviation:.1f}",
            "AM:DEPT?": f"{s.depth:.1f}",
        }
        if head in asked:
            return asked[head]
        if head in settings:
            settings[head]()
            self._meet()
        else:
            self._unknown("generator")
        return None

    def _meet(self) -> None:
        """Keyed into a generator that is on: it is gone."""
        if self.state.keyed and self.state.rf:
            self.bench.damaged = self.bench.damaged | {"generator"}

    # -- the front panel ------------------------------------------------------------------------------------------

    def _radio(self, head: str, rest: str) -> str | None:
        s = self.state
        if head == "CHAN":
            if rest not in self.sheet.plan.names:
                raise KeyError(rest)
            s.channel = rest
        elif head == "BAND":
            if rest not in dict(self.sheet.plan.bands):
                raise KeyError(rest)
            s.band = rest
        elif head == "MODE":
            s.mode = rest.lower()
        elif head == "KEY":
            s.keyed = rest.upper() in _ON
            self._meet()
        elif head == "MIC":
            s.mic_mv = _number(rest, 0.0, 10_000.0) or None
        elif head == "PROBE":
            s.test_point = rest or None
        elif head == "TONE":
            s.tone = _number(rest, 10.0, 1e5)
        elif head == "LEAD":
            if rest and rest not in {x.id for x in self.sheet.stages} | {
                x.inject.stage for x in self.sheet.steps if x.inject is not None
            }:
                raise KeyError(rest)
            s.inject = rest or None
        elif head == "PANEL" and not rest:
            s.panel.clear()
        elif head == "PANEL":
            control, _, position = rest.partition("=")
            if control.strip() not in {c.id for c in self.sheet.controls}:
                raise KeyError(control)
            s.panel[control.strip()] = position.strip()
        elif head == "TURN":
            name, degrees = rest.split()
            self.sheet.adjuster(name)
            moved, stop = self.bench.turn(name, round(1000.0 * _number(degrees, -36_000.0, 36_000.0)))
            return f"{moved / 1000.0:.3f},{int(stop)}"
        elif head == "SMET?":
            return self._read("rx.s_meter")
        elif head == "CHAN?":
            return s.channel or ""
        elif head == "KEY?":
            return str(int(s.keyed))
        else:
            self._unknown("radio")
        return None

    # -- the meters ------------------------------------------------------------------------------------------------

    def _meter(self, instrument: str) -> Callable[[str, str], str | None]:
        asks: dict[str, dict[str, str]] = {
            "audio analyser": {
                "MEAS:SINAD?": "rx.sinad", "MEAS:SNR?": "rx.sn_ratio", "MEAS:DIST?": "rx.distortion", "MEAS:VOLT:AC?": "rx.af_voltage",
            },
            "power meter": {"MEAS:POW?": "tx.power", "MEAS:PEP?": "tx.pep"},
            "modulation meter": {"MEAS:FM?": "tx.deviation", "MEAS:AM?": "tx.am_depth"},
            "spectrum analyser": {"MEAS:HARM?": "tx.harmonic"},
            "multimeter": {"MEAS:VOLT:DC?": "", "MEAS:CURR:DC?": "supply.current"},
            "counter": {"MEAS:FREQ?": ""},
        }  # fmt: skip

        def told(head: str, rest: str) -> str | None:
            del rest
            wanted = asks.get(instrument, {}).get(head)
            if wanted is None:
                self._unknown(instrument)
                return "nan" if head.endswith("?") else None
            if instrument == "counter":
                return self._count()
            return self._read(wanted or self._volts_there())

        return told

    def _read(self, quantity_id: str) -> str:
        at = self.conditions()
        transmit = quantity_id.startswith("tx.") and quantity_id != "tx.bias_current"
        if transmit and not self.state.keyed:
            return "0"
        got = self.bench.measure(quantity_id, at)
        if got.value is None:
            raise BenchError(tr("no reading"))
        return f"{got.value:.7g}"

    def _count(self) -> str:
        s = self.state
        if s.keyed:
            error = self.bench.measure("tx.frequency_error", self.conditions()).value or 0.0
            return f"{float(self.sheet.carrier_hz(s.channel, s.band)) + error:.1f}"
        step = next(
            (
                x
                for x in self.sheet.steps
                if x.quantity_id in ("ref.frequency", "osc.frequency") and x.setting.test_point == s.test_point
            ),
            None,
        )
        if step is None:
            raise BenchError(tr("nothing to count there"))
        return f"{self.bench.measure(step.quantity_id, step.setting).value or 0.0:.1f}"

    def _volts_there(self) -> str:
        """Which voltage of the sheet is read at the test point that the probe is on."""
        for step in self.sheet.steps:
            if quantity(step.quantity_id).kind == "volts" and step.setting.test_point == self.state.test_point:
                return step.quantity_id
        raise BenchError(tr("no voltage there"))


def _number(text: str, least: float, most: float) -> float:
    """The number at the beginning of a setting; a unit after it is the setting's own. Raises ValueError."""
    value = float(text.split(maxsplit=1)[0])
    if not least <= value <= most:
        raise ValueError(text)
    return value


class _Server(socketserver.ThreadingTCPServer):
    allow_reuse_address = True
    daemon_threads = True

    def __init__(self, address: tuple[str, int], instrument: str, served: ServedBench) -> None:
        self.instrument, self.served = instrument, served
        self.open: set[socket.socket] = set()
        super().__init__(address, _Lines)

    def handle_error(self, request: object, client_address: object) -> None:
        """What a connection's thread raises is kept where every trouble is, and the others are served on."""
        del request, client_address
        error = sys.exception()
        if error is not None:
            report(error, f"bench server, {self.instrument}")


class _Lines(socketserver.StreamRequestHandler):
    """A line in, a line out."""

    def handle(self) -> None:
        server = cast(_Server, self.server)
        server.open.add(self.connection)
        try:
            for raw in self.rfile:
                for line in raw.decode("ascii", "replace").split(";"):
                    answer = server.served.answer(server.instrument, line)
                    if answer is not None:
                        self.wfile.write(answer.encode("ascii", "replace") + b"\n")
        except OSError:
            # The other end is gone: the next one may come.
            return
        finally:
            server.open.discard(self.connection)


class BenchServer:
    """Serves a bench: one port an instrument, ``ports`` by its name. ``close`` ends all of it."""

    def __init__(self, served: ServedBench, host: str = "127.0.0.1", first_port: int = 0) -> None:
        """Raises BenchError where a port is taken."""
        self._servers: list[_Server] = []
        self.ports: dict[str, int] = {}
        for n, name in enumerate(INSTRUMENTS):
            try:
                server = _Server((host, first_port + n if first_port else 0), name, served)
            except OSError as error:
                self.close()
                raise BenchError(
                    tr(
                        "Port {port} cannot be opened ({reason}). Choose another with --port.",
                        port=first_port + n,
                        reason=str(error),
                    )
                ) from None
            self._servers.append(server)
            self.ports[name] = server.server_address[1]
            threading.Thread(
                target=server.serve_forever, kwargs={"poll_interval": 0.05}, name=f"served {name}", daemon=True
            ).start()

    def cut(self, instrument: str) -> None:
        """Break every open connection of an instrument, as a pulled cable does."""
        server = next(s for s in self._servers if s.instrument == instrument)
        for one in list(server.open):
            with contextlib.suppress(OSError):
                one.shutdown(socket.SHUT_RDWR)

    def close(self) -> None:
        """End it."""
        for server in self._servers:
            server.shutdown()
            for one in list(server.open):
                with contextlib.suppress(OSError):
                    one.shutdown(socket.SHUT_RDWR)
            server.server_close()
