"""Spectra: lines with their true amplitude, the noise floor, spurs against a limit line, in dB below the carrier."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import fft
from scipy.signal.windows import flattop

from unitone.errors import SignalError
from unitone.signals.carrier import Component
from unitone.signals.channel import Complex
from unitone.words import tr

#: A trace as CSV: a million points stay below this.
MAX_CSV_BYTES = 30_000_000


@dataclass(frozen=True)
class Line:
    """One line: frequency (Hz), power (W), and dB relative to the strongest (the carrier)."""

    hz: float
    watts: float
    dbc: float


def lines(components: Sequence[Component], floor_dbc: float = -100.0) -> list[Line]:
    """The strongest line of each component, strongest first; nothing under ``floor_dbc``.

    A flat-top window keeps the amplitude of a line between bins within 0.01 dB
    (G. Heinzel et al., Spectrum and spectral density estimation by the DFT,
    2002, from memory). Raises ValueError when no component has power.
    """
    found = []
    for part in components:
        n = part.envelope.size
        if n < 64:
            raise ValueError("a spectrum needs at least 64 samples")
        window = flattop(n)
        size = fft.next_fast_len(2 * n)
        spectrum = np.abs(fft.fft(part.envelope * window, size)) / window.sum()
        top = int(np.argmax(spectrum))
        offset = fft.fftfreq(size, 1.0 / part.rate)[top]
        found.append((part.centre_hz + float(offset), float(spectrum[top] ** 2)))
    carrier = max((watts for _, watts in found), default=0.0)
    if carrier <= 0:
        raise ValueError("no signal")
    made = [Line(hz, watts, 10.0 * math.log10(max(watts, 1e-30) / carrier)) for hz, watts in found]
    return sorted((line for line in made if line.dbc >= floor_dbc), key=lambda line: -line.watts)


def line_powers(x: Complex | NDArray[np.float64], rate: float, wanted_hz: Sequence[float]) -> list[float]:
    """Power (unit²; a line's mean square) near each of these frequencies, flat-top window over the whole stretch, shape (n,).

    Raises SignalError below 256 samples, for frequencies closer together than the window tells apart, or beyond the rate.
    """
    n = x.size
    if n < 256:
        raise SignalError(tr("{n} samples are too few for a spectrum: at least 256 are needed.", n=n))
    width = rate / n
    if max(abs(h) for h in wanted_hz) > rate / 2:
        raise SignalError(
            tr("{max:g} Hz lies beyond half the sample rate, {x:g} Hz.", max=max(wanted_hz, key=abs), x=rate / 2)
        )
    apart = np.diff(np.sort(np.unique(wanted_hz)))
    if apart.size and float(apart.min()) < 10 * width:
        raise SignalError(
            tr(
                "lines {float:.1f} Hz apart need a recording of {x:.1f} s or more.",
                float=float(apart.min()),
                x=10 / float(apart.min()),
            )
        )
    window = flattop(n)
    spectrum = fft.fft(x * window) / window.sum()
    power = np.abs(spectrum) ** 2 * (1.0 if np.iscomplexobj(x) else 2.0)
    found = []
    for hz in wanted_hz:
        at = round(hz / width)
        near = [(at + k) % n for k in range(-3, 4)]
        found.append(float(max(power[near])))
    return found


@dataclass(frozen=True)
class Trace:
    """A spectrum: frequencies (Hz, rising) and levels (dB), and the width of a bin's filter (Hz; 0 where not known)."""

    hz: NDArray[np.float64]
    db: NDArray[np.float64]
    bandwidth_hz: float = 0.0

    @property
    def floor_db(self) -> float:
        """The noise floor: the median level, which lines do not move."""
        return float(np.median(self.db))


@dataclass(frozen=True)
class Spur:
    """A line beside the carrier: where, how far under it (dBc), what it is, and by how much it passes the limit (dB; below 0 fails)."""

    hz: float
    dbc: float
    name: str
    margin_db: float | None


class SpectrumMeter:
    """Averages the power of stretches of blocks; keeps one spectrum, not the recording."""

    def __init__(self, rate: float, complex_: bool, size: int = 1 << 14) -> None:
        self.rate, self.complex, self.size = rate, complex_, size
        self._window = flattop(size)
        self._sum = np.zeros(size)
        self._count = 0
        self._held: NDArray[Any] = np.zeros(0, np.complex128 if complex_ else np.float64)

    def take(self, block: Complex | NDArray[np.float64]) -> None:
        """Take a block. Raises SignalError for samples that are not numbers."""
        if not np.isfinite(block).all():
            raise SignalError(tr("a sample is not a number. Export the recording again, as integers if need be."))
        held: NDArray[Any] = np.concatenate((self._held, block))
        step = self.size // 2
        at = 0
        while held.size - at >= self.size:
            self._sum += np.abs(fft.fft(held[at : at + self.size] * self._window)) ** 2
            self._count += 1
            at += step
        self._held = held[at:]

    def trace(self) -> Trace:
        """The averaged spectrum in dB relative to full scale (a real sine at full scale is 0 dB). Raises SignalError."""
        if not self._count:
            if self._held.size < 256:
                raise SignalError(
                    tr("{size} samples are too few for a spectrum: at least 256 are needed.", size=self._held.size)
                )
            n = self._held.size
            window = flattop(n)
            power = np.abs(fft.fft(self._held * window)) ** 2 / window.sum() ** 2
        else:
            n, window = self.size, self._window
            power = self._sum / self._count / window.sum() ** 2
        if not power.max() > 0:
            raise SignalError(tr("it is silent from beginning to end. Check what was recorded."))
        hz = fft.fftfreq(n, 1.0 / self.rate)
        if self.complex:
            order = np.argsort(hz)
        else:
            order = np.arange(n // 2 + 1)
            power = power * 4.0
            hz = np.abs(hz)
        noise_bandwidth = self.rate * float(np.sum(window**2)) / float(window.sum()) ** 2
        return Trace(hz[order], 10.0 * np.log10(np.maximum(power[order], 1e-30)), noise_bandwidth)


def find_lines(trace: Trace, above_floor_db: float = 10.0, most: int = 60) -> list[tuple[float, float]]:
    """(Hz, dB) of the lines that stand ``above_floor_db`` over the floor, strongest first: each one once, however wide its skirt."""
    db, hz = trace.db, trace.hz
    step = float(hz[1] - hz[0]) if hz.size > 1 else 1.0
    skirt = max(2, math.ceil(4 * trace.bandwidth_hz / step)) if trace.bandwidth_hz else 2
    left = db.copy()
    found: list[tuple[float, float]] = []
    while len(found) < most:
        top = int(np.argmax(left))
        if left[top] < trace.floor_db + above_floor_db:
            break
        low, high = max(0, top - skirt), min(db.size, top + skirt + 1)
        if db[top] >= db[low:high].max():
            found.append((_centre(hz, db, top, skirt // 3), float(db[top])))
        left[low:high] = -np.inf
    return found


def _centre(hz: NDArray[np.float64], db: NDArray[np.float64], top: int, reach: int) -> float:
    """Frequency of a line: the middle of its window's lobe, weighted by power (the lobe is symmetrical)."""
    reach = max(1, reach)
    near = slice(max(0, top - reach), min(db.size, top + reach + 1))
    weights = 10.0 ** ((db[near] - db[top]) / 10.0)
    return float(hz[near] @ weights / weights.sum())


def spurs(
    trace: Trace, limit: Sequence[tuple[float, float]] = (), carrier_hz: float | None = None
) -> tuple[float, float, list[Spur]]:
    """(carrier Hz, its level dB, every other line strongest first), each named and held against a limit line.

    ``limit``: points (Hz, dBc), joined by straight lines and held level beyond its ends. The
    carrier is the strongest line, or the one nearest ``carrier_hz``. Raises SignalError where there is no line.
    """
    lines_found = find_lines(trace)
    if not lines_found:
        raise SignalError(tr("no line above the noise: there is no carrier."))
    carrier = lines_found[0] if carrier_hz is None else min(lines_found, key=lambda x: abs(x[0] - carrier_hz))
    found = []
    points = sorted(limit)
    for hz, db in lines_found:
        if (hz, db) == carrier:
            continue
        dbc = db - carrier[1]
        allowed = float(np.interp(hz, [p[0] for p in points], [p[1] for p in points])) if points else None
        found.append(Spur(hz, dbc, _name(hz, carrier[0], trace), None if allowed is None else allowed - dbc))
    return carrier[0], carrier[1], found


def _name(hz: float, carrier: float, trace: Trace) -> str:
    """What a line is to the carrier: a harmonic, a subharmonic, a mains sideband; empty where it is neither."""
    width = 2.0 * max(trace.bandwidth_hz, float(trace.hz[1] - trace.hz[0]) if trace.hz.size > 1 else 1.0)
    if abs(hz) < width:
        return tr("at zero (the receiver's own offset)")
    if carrier > 10 * width and hz > 0:
        for k in range(2, 11):
            if abs(hz - k * carrier) < width * k:
                return f"harmonic {k}"
            if abs(hz - carrier / k) < width:
                return f"carrier / {k}"
    return ""


def read_csv(text: str, name: str) -> Trace:
    """A spectrum from CSV: frequency and level in the first two columns that hold numbers; Hz, kHz, MHz told by the heading.

    Comma, semicolon or tab between columns; with semicolon or tab a decimal comma is read as
    one. Raises SignalError naming file and line.
    """
    pairs, scale = number_pairs(text, name)
    hz = np.array([p[0] for p in pairs]) * scale
    order = np.argsort(hz)
    if np.any(np.diff(hz[order]) <= 0):
        raise SignalError(tr("{name}: a frequency is in it twice. Export one trace only.", name=name))
    return Trace(hz[order], np.array([p[1] for p in pairs])[order])


def number_pairs(text: str, name: str) -> tuple[list[tuple[float, float]], float]:
    """((first, second) column of numbers, factor that makes the first Hz) of a CSV text. Raises SignalError."""
    rows = [r for r in text.replace("\r\n", "\n").split("\n") if r.strip()]
    between = next((c for c in ("\t", ";", ",") if any(c in r for r in rows)), ",")
    scale, pairs = 1.0, []
    for n, row in enumerate(rows, 1):
        cells = [c.strip().strip('"') for c in row.split(between)]
        values = [_number(c, between) for c in cells]
        if len([v for v in values if v is not None]) >= 2:
            numbers = [v for v in values if v is not None]
            pairs.append((numbers[0], numbers[1]))
        elif pairs and not row.startswith(("#", "!")):
            raise SignalError(
                f"{name}:{n}: "
                + tr("“{row}” is not a pair of numbers. It needs two columns: frequency and level.", row=row[:40])
            )
        else:
            low = row.lower()
            scale = 1e9 if "ghz" in low else 1e6 if "mhz" in low else 1e3 if "khz" in low else scale
    if len(pairs) < 3:
        raise SignalError(
            tr(
                "{name}: has {n} pairs of numbers; a trace has more. Export frequency and level as CSV.",
                name=name,
                n=len(pairs),
            )
        )
    return pairs, scale


def _number(cell: str, between: str) -> float | None:
    try:
        value = float(cell.replace(",", ".") if between != "," else cell)
    except ValueError:
        return None
    return value if math.isfinite(value) else None


def average(blocks: Iterable[Complex | NDArray[np.float64]], rate: float, complex_: bool) -> Trace:
    """The averaged spectrum of all blocks. Raises SignalError."""
    meter = SpectrumMeter(rate, complex_)
    for block in blocks:
        meter.take(block)
    return meter.trace()
