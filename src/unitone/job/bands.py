"""Bands by sections: what works on which band and what is dead, told and measured; and what the dial covers between its stops."""

from __future__ import annotations

from dataclasses import dataclass

from unitone.job.shop import DialStops, SectionFinding
from unitone.job.state import JobState
from unitone.job.verdicts import verdict
from unitone.radio.dial_range import RangeVerdict, judge_range
from unitone.sheet.model.mixing_model import Place, first_oscillator_hz
from unitone.sheet.model.sheet import Conditions, Sheet, Step
from unitone.words import N_, tr

#: The sections of a receiver whose sheet names no stages.
_USUAL = (N_("aerial circuits"), N_("oscillator"), N_("mixer"), N_("IF"), N_("detector and audio"))
#: A control by which bands are switched; its positions name them where nothing else does.
_BAND_SWITCHES = ("band", "band switch", "bands", "range", "wave change")


@dataclass(frozen=True)
class SectionState:
    """A section on a band (empty: on all of them): everything that was found, and the worst verdict of what was measured there."""

    band: str
    section: str
    findings: tuple[SectionFinding, ...]
    measured: str

    @property
    def last(self) -> SectionFinding | None:
        """The finding that stands."""
        return self.findings[-1] if self.findings else None


def bands_of(state: JobState) -> tuple[str, ...]:
    """The bands of a radio: of its dial, of its channel plan, or of its band switch; then those that were named in this job."""
    sheet = state.sheet
    own = [d.name for d in sheet.dials] or [name for name, _ in sheet.plan.bands] or _switched(sheet)
    told = [f.band for f in state.shop.sections if f.band] + [s.band for s in state.shop.stops]
    return tuple(dict.fromkeys([*own, *told]))


def _switched(sheet: Sheet) -> list[str]:
    switch = next((c for c in sheet.controls if c.id.lower() in _BAND_SWITCHES), None)
    named = [] if switch is None else [p.strip() for p in switch.positions.split(",")]
    return [p for p in named if p and ".." not in p]


def sections_of(state: JobState) -> tuple[str, ...]:
    """The sections: the sheet's stages by id, or a receiver's usual ones; then those that were named in this job."""
    own = [s.id for s in state.sheet.stages] or list(_USUAL)
    return tuple(dict.fromkeys([*own, *(f.section for f in state.shop.sections)]))


def section_title(sheet: Sheet, section: str) -> str:
    """A section's name: a stage's title, or the words that it was named by."""
    return next((s.title for s in sheet.stages if s.id == section), tr(section))


def section_states(state: JobState) -> tuple[SectionState, ...]:
    """Every section on every band, and last on all bands together, row by row."""
    bands = bands_of(state)
    steps = {band: _steps_of(state, band) for band in bands}
    made = []
    for band in (*bands, ""):
        for section in sections_of(state):
            findings = tuple(f for f in state.shop.sections if (f.band, f.section) == (band, section))
            own = [s for s in steps.get(band, ()) if s.stage == section]
            made.append(SectionState(band, section, findings, _worst(state, own)))
    return tuple(made)


def _steps_of(state: JobState, band: str) -> list[Step]:
    """The steps that are read on this band and on no other."""
    dial = next((d for d in state.sheet.dials if d.name == band), None)

    def there(c: Conditions) -> bool:
        on_switch = any(control.lower() in _BAND_SWITCHES and at == band for control, at in c.panel)
        return c.band == band or on_switch or (dial is not None and c.channel in dial.channels)

    return [s for s in state.sheet.steps if s.required and all(there(c) for c in s.required)]


def _worst(state: JobState, steps: list[Step]) -> str:
    found = [verdict(state, s) for s in steps]
    for word in ("out_of_spec", "recheck", "undecided"):
        if word in found:
            return word
    return "in_spec" if any(v in ("in_spec", "left_as_found") for v in found) else ""


def open_sections(state: JobState) -> tuple[SectionFinding, ...]:
    """Findings that stand and say that something does not work, the latest first."""
    last: dict[tuple[str, str], SectionFinding] = {}
    for f in state.shop.sections:
        last[f.band, f.section] = f
    return tuple(sorted((f for f in last.values() if f.look != "works"), key=lambda f: -f.seq))


def stops_wanted(state: JobState, stops: DialStops) -> tuple[float, float] | None:
    """What should be counted at both stops of a band (Hz, the lower first); None where the sheet does not say.

    The first oscillator follows the carrier, so both ends of the band are carried over from the band's channels by the mixing lines, or
    lie the IF above it.
    """
    sheet = state.sheet
    dial = next((d for d in sheet.dials if d.name == stops.band), None)
    if dial is None:
        return None
    if stops.counted == "signal":
        return dial.lowest_hz, dial.highest_hz
    known = [
        (float(sheet.carrier_hz(name)), hz)
        for name in dial.channels
        if (hz := first_oscillator_hz(sheet, Place("receive", None, None, name))) is not None
    ]
    if not known:
        step = dial.intermediate_hz
        return None if step is None else (dial.lowest_hz + step, dial.highest_hz + step)
    (carrier, hz), (other, other_hz) = known[0], known[-1]
    slope = (other_hz - hz) / (other - carrier) if other != carrier else 1.0
    ends = sorted(hz + slope * (end - carrier) for end in (dial.lowest_hz, dial.highest_hz))
    return ends[0], ends[1]


def judge_stops(state: JobState, stops: DialStops) -> RangeVerdict | None:
    """Whether the dial covers its band between its stops; None where the sheet does not say what it should cover."""
    wanted = stops_wanted(state, stops)
    return None if wanted is None or wanted[0] <= 0 else judge_range(stops.low_hz, stops.high_hz, *wanted)


def standing_stops(state: JobState) -> tuple[DialStops, ...]:
    """The last count of each band, in the order of the bands."""
    last = {s.band: s for s in state.shop.stops}
    return tuple(last[b] for b in bands_of(state) if b in last)


def worst_dial_error(state: JobState, band: str) -> tuple[float, str] | None:
    """The largest dial error that stands on a band, as a share of the frequency, with its channel; None where none was read."""
    dial = next((d for d in state.sheet.dials if d.name == band), None)
    if dial is None:
        return None
    found: dict[str, float] = {}
    for step in (s for s in state.sheet.steps if s.quantity_id == "rx.frequency_error"):
        for index, c in enumerate(step.required):
            now = state.latest.get((step.id, index))
            if now is not None and now.reading.value is not None and c.channel in dial.channels:
                found[c.channel] = now.reading.value / float(state.sheet.carrier_hz(c.channel))
    if not found:
        return None
    name = max(found, key=lambda n: abs(found[n]))
    return found[name], name
