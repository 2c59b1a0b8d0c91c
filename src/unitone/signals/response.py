"""An IF's response: bandwidths, centre, shape factor, ripple and symmetry, from a sweep, a CSV file or Touchstone."""

from __future__ import annotations

import math
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from scipy.signal import hilbert

from unitone.errors import SignalError
from unitone.files import plain_reason, read_text
from unitone.signals._touchstone import read_touchstone
from unitone.signals.spectrum import MAX_CSV_BYTES, number_pairs
from unitone.words import tr

#: Where bandwidths are taken (dB under the top).
DOWN_DB = (3.0, 6.0, 60.0)


@dataclass(frozen=True)
class Response:
    """Hz and dB. Bandwidths are None where the record does not go down so far on both sides.

    ``centre_hz`` is the middle of the −6 dB points (of the −3 dB ones where those are not
    there); ``shape_factor`` the −60 dB over the −6 dB bandwidth; ``ripple_db`` what lies under
    the top between the outermost −3 dB points; ``symmetry_db`` the largest difference between the
    sides at equal distance from the centre, down to −30 dB.
    """

    top_db: float
    top_hz: float
    centre_hz: float | None
    bandwidth_hz: dict[float, float | None]
    shape_factor: float | None
    ripple_db: float | None
    symmetry_db: float | None


def measure_response(hz: NDArray[np.float64], db: NDArray[np.float64]) -> Response:
    """Measure a response, both of shape (n,), frequencies rising. Raises SignalError for fewer than 8 points or disorder."""
    if hz.size != db.size or hz.size < 8:
        raise SignalError(
            tr("{min} points are too few for a response: at least 8 are needed.", min=min(hz.size, db.size))
        )
    if not (np.isfinite(hz).all() and np.isfinite(db).all()) or np.any(np.diff(hz) <= 0):
        raise SignalError(tr("the frequencies of a response rise from point to point, and every point is a number."))
    top = int(np.argmax(db))
    edges = {down: _edges(hz, db, float(db[top]) - down) for down in DOWN_DB}
    widths = {down: None if pair is None else pair[1] - pair[0] for down, pair in edges.items()}
    inner = edges[6.0] or edges[3.0]
    centre = None if inner is None else 0.5 * (inner[0] + inner[1])
    six, sixty, three = widths[6.0], widths[60.0], edges[3.0]
    ripple = None
    if three is not None:
        inside = db[(hz >= three[0]) & (hz <= three[1])]
        # Between the outermost crossings the dips count, the two skirts do not.
        dips = [
            float(inside[k])
            for k in range(1, inside.size - 1)
            if inside[k] <= inside[k - 1] and inside[k] <= inside[k + 1]
        ]
        ripple = float(db[top]) - min(dips) if dips else 0.0
    return Response(
        float(db[top]), float(hz[top]), centre, widths, sixty / six if six and sixty else None, ripple,
        _symmetry(hz, db, centre, float(db[top])) if centre is not None else None,
    )  # fmt: skip


def _edges(hz: NDArray[np.float64], db: NDArray[np.float64], level: float) -> tuple[float, float] | None:
    """The outermost crossings of ``level``, straight lines between points; None where the record ends above it."""
    above = np.flatnonzero(db >= level)
    first, last = int(above[0]), int(above[-1])
    if first == 0 or last == db.size - 1:
        return None

    def cross(a: int, b: int) -> float:
        return float(hz[a] + (level - db[a]) / (db[b] - db[a]) * (hz[b] - hz[a]))

    return cross(first - 1, first), cross(last + 1, last)


def _symmetry(hz: NDArray[np.float64], db: NDArray[np.float64], centre: float, top: float) -> float | None:
    reach = min(centre - float(hz[0]), float(hz[-1]) - centre)
    if reach <= 0:
        return None
    steps = np.linspace(0.0, reach, 400)
    low, high = np.interp(centre - steps, hz, db), np.interp(centre + steps, hz, db)
    used = (low > top - 30.0) & (high > top - 30.0)
    return float(np.max(np.abs(low - high)[used])) if used.any() else None


def read_response(path: Path, parameter: str = "s21") -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """(Hz, dB) of a response from CSV or Touchstone (.s1p: S11, .s2p: the named parameter). Raises SignalError naming the file."""
    if path.suffix.lower() in (".s1p", ".s2p"):
        return read_touchstone(path, parameter)
    try:
        text = read_text(path, MAX_CSV_BYTES, "utf-8-sig")
    except (OSError, UnicodeDecodeError) as error:
        raise SignalError(
            tr(
                "{path}: cannot be read as text ({why}). Take a CSV or Touchstone file.",
                path=path,
                why=plain_reason(error),
            )
        ) from None
    pairs, scale = number_pairs(text, str(path))
    points = np.array(sorted(pairs))
    return points[:, 0] * scale, points[:, 1]


def swept(
    x: NDArray[np.float64],
    rate: float,
    start_hz: float,
    stop_hz: float,
    seconds: float,
    begins_s: float = 0.0,
    points: int = 400,
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """(Hz, dB) from the record of a linear sweep: the envelope over time is the response over frequency.

    The sweep has to be slow against the filter (its width squared, in Hz, over the sweep
    in Hz a second, well over 1). Raises SignalError for a record that does not hold it.
    """
    if seconds <= 0 or start_hz == stop_hz or not (begins_s >= 0 and begins_s + seconds <= x.size / rate + 1e-9):
        raise SignalError(
            tr(
                "the record of {x:.2f} s does not hold a sweep of {seconds:g} s from {begins_s:g} s on.",
                x=x.size / rate,
                seconds=seconds,
                begins_s=begins_s,
            )
        )
    used = x[round(begins_s * rate) : round((begins_s + seconds) * rate)]
    level = np.abs(hilbert(used - used.mean()))
    length = max(1, used.size // points)
    power = (level[: points * length] ** 2).reshape(-1, length).mean(axis=1)
    if not power.max() > 0:
        raise SignalError(tr("the record is silent. Check the cable and the input that was recorded."))
    at = (np.arange(power.size) + 0.5) * length / used.size
    hz = start_hz + (stop_hz - start_hz) * at
    db = 10.0 * np.log10(np.maximum(power, 1e-30 * power.max()))
    return (hz, db) if stop_hz > start_hz else (hz[::-1], db[::-1])


def sweep_is_slow(width_hz: float, hz_a_second: float) -> bool:
    """Is a sweep slow enough for a filter of this width? Width² over the rate at least 10 (common practice, no source)."""
    return hz_a_second > 0 and width_hz * width_hz / hz_a_second >= 10.0 and math.isfinite(width_hz)
