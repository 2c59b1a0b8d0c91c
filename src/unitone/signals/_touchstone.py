"""Touchstone files (.s1p, .s2p), read as text: option line, comments, one or two ports, versions 1 and 2.

The format is the IBIS Open Forum's "Touchstone File Format Specification", 1.1 and 2.0 (from memory).
"""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from unitone.errors import SignalError
from unitone.files import read_text
from unitone.words import tr

#: A sweep of a hundred thousand points stays far below this (bytes).
MAX_BYTES = 30_000_000
_UNITS = {"HZ": 1.0, "KHZ": 1e3, "MHZ": 1e6, "GHZ": 1e9}
_FORMATS = ("DB", "MA", "RI")
#: Order of the parameters of a two-port in a row of version 1.
_ORDER = ("s11", "s21", "s12", "s22")
#: Numbers in a line of noise data: frequency, minimum noise figure, reflection (two), noise resistance.
_NOISE = 5
_NUMBERS = re.compile(r"^[\s0-9eE.+-]*$")


def read_touchstone(path: Path, parameter: str = "s21") -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """(Hz, dB) of one scattering parameter, both of shape (n,); a one-port file gives S11. Raises SignalError naming file and line."""
    try:
        text = read_text(path, MAX_BYTES, "latin-1")
    except OSError as error:
        raise SignalError(
            tr("{path}: cannot be read ({strerror}). Check its name.", path=path, strerror=error.strerror)
        ) from None
    ports = 1 if path.suffix.lower() == ".s1p" else 2
    wanted = "s11" if ports == 1 else parameter.lower()
    if wanted not in _ORDER:
        raise SignalError(
            tr("{path}: has no {upper}: it has {ports} ports.", path=path, upper=parameter.upper(), ports=ports)
        )
    scale, form, order, numbers, lines = _parse(path, text, ports)
    width = 1 + 2 * ports * ports
    if len(numbers) < width:
        raise SignalError(tr("{path}: is not a readable Touchstone file (it has no data). Export it again.", path=path))
    rows = np.asarray(numbers[: len(numbers) // width * width], np.float64).reshape(-1, width)
    # Noise data follow the network data of a two-port: their frequencies begin anew from below.
    falls = np.flatnonzero(np.diff(rows[:, 0]) <= 0)
    if falls.size and lines.get(int(falls[0] + 1) * width) == _NOISE and ports == 2:
        rows = rows[: falls[0] + 1]
    elif falls.size:
        hz = rows[falls[0] + 1, 0] * scale
        raise SignalError(
            tr(
                "{path}: the frequencies do not rise from point to point (at {hz:g} Hz). Export it again.",
                path=path,
                hz=hz,
            )
        )
    elif len(numbers) % width:
        raise SignalError(tr("{path}: its last point is incomplete: truncated? Export it again.", path=path))
    at = 1 + 2 * order.index(wanted)
    first, second = rows[:, at], rows[:, at + 1]
    if form == "DB":
        db = first
    else:
        size = np.abs(first) if form == "MA" else np.hypot(first, second)
        db = 20.0 * np.log10(np.maximum(size, 1e-12))
    if not (np.isfinite(rows[:, 0]).all() and np.isfinite(db).all()):
        raise SignalError(
            tr(
                "{path}: is not a readable Touchstone file (a number in it is infinite). Export it again.",
                path=path,
            )
        )
    return rows[:, 0] * scale, db


def _parse(path: Path, text: str, ports: int) -> tuple[float, str, tuple[str, ...], list[float], dict[int, int]]:
    """(factor to Hz, format of a pair, order of the parameters, every number of the data in order, numbers in the line
    that begins with a number)."""
    scale, form, order = 1e9, "MA", _ORDER if ports == 2 else ("s11",)
    numbers: list[float] = []
    lines: dict[int, int] = {}
    optioned = False
    for at, line in enumerate(text.splitlines(), 1):
        plain = line.partition("!")[0].strip()
        if not plain:
            continue
        if plain.startswith("#"):
            if not optioned:
                scale, form = _options(path, at, plain[1:].upper().split())
            optioned = True
        elif plain.startswith("["):
            key, _, value = plain[1:].partition("]")
            key, value = key.strip().lower(), value.strip()
            if key in ("noise data", "end"):
                break
            if key == "number of ports" and value != str(ports):
                raise SignalError(
                    f"{path}:{at}: "
                    + tr("has {value} ports, its name says {ports}. Rename it.", value=value[:8], ports=ports)
                )
            if key == "two-port data order" and value == "12_21":
                order = ("s11", "s12", "s21", "s22")
            if key == "matrix format" and value.lower() != "full":
                raise SignalError(f"{path}:{at}: " + tr("has half a matrix. Export all of it (matrix format Full)."))
        elif not _NUMBERS.match(plain):
            raise SignalError(
                f"{path}:{at}: " + tr("“{plain}” is not Touchstone data. Export it again.", plain=plain[:40])
            )
        else:
            words = plain.split()
            lines[len(numbers)] = len(words)
            try:
                numbers += map(float, words)
            except ValueError:
                raise SignalError(
                    f"{path}:{at}: " + tr("“{plain}” is not a row of numbers. Export it again.", plain=plain[:40])
                ) from None
    if not optioned:
        raise SignalError(
            tr(
                "{path}: is not a Touchstone file: it has no option line (“# MHz S MA R 50”). Export it again.",
                path=path,
            )
        )
    return scale, form, order, numbers, lines


def _options(path: Path, at: int, words: list[str]) -> tuple[float, str]:
    """(factor to Hz, format) of an option line; without a word GHz and magnitude with angle, as the format says."""
    kind = next((w for w in words if w in ("S", "Y", "Z", "G", "H")), "S")
    if kind != "S":
        raise SignalError(f"{path}:{at}: " + tr("has {kind} parameters. Export scattering parameters (S).", kind=kind))
    scale = next((_UNITS[w] for w in words if w in _UNITS), 1e9)
    return scale, next((w for w in words if w in _FORMATS), "MA")
