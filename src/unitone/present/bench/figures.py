"""A reading as a large figure and a small unit."""

from __future__ import annotations

from unitone.job.entries.readings import Reading
from unitone.quantities.registry import quantity
from unitone.quantities.show import show_value


def figure_of(reading: Reading) -> tuple[str, str]:
    """Large figure and small unit of a reading."""
    q = quantity(reading.quantity_id)
    if reading.word or reading.value is None:
        return reading.word or "—", ""
    text, unit = show_value(q, reading.value)
    names = {
        "rx.sinad": "dB SINAD",
        "rx.sn_ratio": "dB (S+N)/N",
        "rx.distortion": "% distortion",
        "tx.frequency_error": "Hz off",
        "rx.lo_error": "Hz off",
    }
    return reading.bound + text, names.get(q.id, unit)
