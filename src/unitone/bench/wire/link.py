"""A line of text to an instrument and its answer back: TCP sockets, VXI-11, HiSLIP, USB-TMC and serial lines, through PyVISA.

A link that fails says so once, in words, and is closed: an answer that comes late would be taken for the next one's.
"""

from __future__ import annotations

import re
import socket
import threading
from typing import Any, Protocol

from unitone.bench.wire.instrument_card import InstrumentCard
from unitone.errors import BenchError
from unitone.words import N_, tr

#: ``host:port`` and a serial device, as people write them.
_SOCKET = re.compile(r"^\[?([A-Za-z0-9_.:-]+?)\]?:(\d{1,5})$")
_SERIAL = re.compile(r"^(/dev/\S+|COM\d+)$")
#: What PyVISA's errors mean to a person.
_REASONS = (
    ("VI_ERROR_TMO", N_("no answer in time")), ("VI_ERROR_CONN_LOST", N_("the connection is lost")), ("VI_ERROR_RSRC_NFOUND", N_("nothing there")),
    ("VI_ERROR_IO", N_("the line is broken")), ("VI_ERROR_INV_RSRC_NAME", N_("no such address")), ("refused", N_("nothing there")),
)  # fmt: skip
#: A longer answer than this is no reading.
_LONGEST = 4096


class Link(Protocol):
    """Sends a line, and reads one back."""

    def send(self, text: str) -> None:
        """Send a line. Raises BenchError."""

    def ask(self, text: str) -> str:
        """Send a line and read the answer. Raises BenchError."""
        ...

    def close(self) -> None:
        """Let go of it."""


def resource_of(address: str) -> str:
    """An address as PyVISA names it: ``192.168.1.20:5025``, ``/dev/ttyUSB0``, or a VISA resource as it stands. Raises BenchError."""
    text = address.strip()
    socket = _SOCKET.match(text)
    if "::" in text and not (socket and "." in text):
        return text
    if socket and 0 < int(socket[2]) < 65536:
        return f"TCPIP::{socket[1]}::{socket[2]}::SOCKET"
    if _SERIAL.match(text):
        return f"ASRL{text}::INSTR"
    raise BenchError(
        tr(
            "“{address}” is no address. Write host:port, /dev/ttyUSB0, or a VISA resource such as TCPIP::192.168.1.20::INSTR.",
            address=address,
        )
    )


def _socket_of(instrument: Any) -> socket.socket | None:
    """The TCP socket that PyVISA-py talks through; None for every other link."""
    session = getattr(instrument.visalib, "sessions", {}).get(instrument.session)
    line = getattr(session, "interface", None)
    return line if isinstance(line, socket.socket) else None


def _closed_by_the_other_end(instrument: Any) -> bool:
    """True for a TCP socket whose end has come; False for all other links, which tell in their own way."""
    line = _socket_of(instrument)
    if line is None:
        return False
    try:
        return line.recv(1, socket.MSG_PEEK | socket.MSG_DONTWAIT) == b""
    except BlockingIOError:
        return False
    except OSError:
        return True


class VisaLink:
    """A link through PyVISA with PyVISA-py. One caller at a time."""

    def __init__(self, address: str, card: InstrumentCard) -> None:
        """Open it. Raises BenchError where nothing answers there."""
        self.address, self._card = address, card
        self._lock = threading.Lock()
        self._resource = resource_of(address)
        self._instrument: Any = None
        self._open()

    def _open(self) -> None:
        import pyvisa

        try:
            made: Any = pyvisa.ResourceManager("@py").open_resource(
                self._resource, open_timeout=round(1000 * self._card.timeout) or 1
            )
            made.timeout = round(1000 * self._card.timeout)
            made.read_termination = made.write_termination = self._card.ending
            if self._resource.startswith("ASRL"):
                made.baud_rate = self._card.baud
        except Exception as error:
            # PyVISA raises what its back end raises: sockets, USB and serial each their own.
            raise self._failed(error) from None
        line = _socket_of(made)
        if line is not None:
            # Several settings and then a question: held back, the question would wait for the settings' acknowledgement (40 ms).
            line.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        self._instrument = made

    def _failed(self, error: BaseException) -> BenchError:
        self.close()
        reason = next((tr(words) for mark, words in _REASONS if mark in str(error)), "")
        reason = reason or str(error).split("\n")[0][:160] or type(error).__name__
        return BenchError(
            tr("{name} at {address} does not answer ({reason}). Check cable and address; type the readings until then.",
               name=self._card.name, address=self.address, reason=reason)
        )  # fmt: skip

    def send(self, text: str) -> None:
        """See ``Link``."""
        with self._lock:
            self._ready()
            try:
                self._instrument.write(text)
            except Exception as error:
                raise self._failed(error) from None

    def ask(self, text: str) -> str:
        """See ``Link``."""
        with self._lock:
            self._ready()
            try:
                answer = str(self._instrument.query(text))
            except Exception as error:
                raise self._failed(error) from None
            return answer.strip()[:_LONGEST]

    def _ready(self) -> None:
        """A link that failed is opened anew: the cable may be in again. One that the other end has closed says so at once, where
        PyVISA-py would look for an answer until the time is up."""
        if self._instrument is None:
            self._open()
        elif _closed_by_the_other_end(self._instrument):
            raise self._failed(ConnectionError("VI_ERROR_CONN_LOST"))

    def close(self) -> None:
        """See ``Link``."""
        made, self._instrument = self._instrument, None
        if made is not None:
            try:
                made.close()
            except Exception:
                # It was gone already.
                return
