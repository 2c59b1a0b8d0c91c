"""What hangs on the aerial socket: the dummy load that a radio needs, and what keying breaks with anything else there."""

from __future__ import annotations

from unitone.job.state import JobState
from unitone.quantities.show import number
from unitone.sheet.model.sheet import Sheet
from unitone.words import tr


def needed_watts(sheet: Sheet) -> float | None:
    """The most that this radio may send by its sheet (W): what the dummy load has to bear; None where nothing says."""
    ends = [s.limit.high for s in sheet.steps if s.quantity_id in ("tx.power", "tx.pep") and s.limit.high is not None]
    ends += [v for q in ("tx.power", "tx.pep") if (v := sheet.rule.ceiling(q)) is not None]
    # An AM carrier rises to four times its power at full modulation.
    am = [4.0 * s.limit.high for s in sheet.steps if s.quantity_id == "tx.power" and s.limit.high is not None]
    modulated = am if any(s.quantity_id == "tx.am_depth" for s in sheet.steps) else []
    return max([*ends, *modulated], default=None)


def describe_load(state: JobState) -> str:
    """What the dummy load must bear, and whether the one on this bench does."""
    needed = needed_watts(state.sheet)
    if needed is None:
        return ""
    have = state.kit.load_w
    if have and have < needed:
        return tr(
            "Dummy load overload: rated {have} W, this radio peaks at {need} W. Key for seconds, or fit a larger one.",
            have=number(have, 0), need=number(needed, 0),
        )  # fmt: skip
    return tr("Dummy load rated for {need} W or more.", need=number(needed, 0))


def load_problem(state: JobState) -> str:
    """Why the bench must not be keyed into this dummy load at all: it bears less than half of what comes; empty where it does."""
    needed, have = needed_watts(state.sheet), state.kit.load_w
    if needed is None or not have or have >= 0.5 * needed:
        return ""
    return tr(
        "The dummy load is rated {have} W, the radio's peaks are {need} W. Fit a larger one, or correct its "
    "rating under “generator, pads and load”.", have=number(have, 0), need=number(needed, 0),
    )  # fmt: skip


def breaks(state: JobState) -> str:
    """What keying would break as the bench is hooked up; empty where it breaks nothing."""
    return {"transmit": "", "receive": "generator"}.get(state.hook_up, "final")
