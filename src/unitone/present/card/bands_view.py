"""What the card shows of a radio's bands: sections by bands, the last findings and next ideas, and the stops of its dial."""

from __future__ import annotations

from dataclasses import dataclass

from unitone.job.bands import (
    bands_of,
    judge_stops,
    open_sections,
    section_states,
    section_title,
    sections_of,
    standing_stops,
    stops_wanted,
    worst_dial_error,
)
from unitone.job.shop import DialStops, SectionFinding
from unitone.job.state import JobState
from unitone.quantities.show import number
from unitone.words import day, tr

#: So many open findings are told in the line on top.
_MOST_OPEN = 3


@dataclass(frozen=True)
class BandCell:
    """A section on a band: how it stands in a mark and a word, the last words in short, and everything that was found there."""

    band: str
    section: str
    mark: str
    word: str
    short: str
    history: tuple[tuple[str, str, str], ...]


@dataclass(frozen=True)
class StopsRow:
    """A band's dial between its stops: what was counted, what should be there, the mark, and what to do."""

    band: str
    counted: str
    wanted: str
    mark: str
    words: str


@dataclass(frozen=True)
class BandsView:
    """The table of bands by sections, row by row; the last row is of all bands together."""

    bands: tuple[tuple[str, str], ...]
    sections: tuple[tuple[str, str], ...]
    cells: tuple[BandCell, ...]
    #: By band: the worst dial error in words and its mark.
    dial: tuple[tuple[str, str, str], ...]
    stops: tuple[StopsRow, ...]
    where_words: str
    tally: str


_MARKS = {"works": "in_spec", "weak": "undecided", "noisy": "undecided", "dead": "out_of_spec"}
_MEASURED = {"in_spec": "in_spec", "out_of_spec": "out_of_spec", "recheck": "recheck", "undecided": "undecided"}
#: A dial reads right inside this share of the frequency where its sheet gives no limit (common practice, no source).
_DIAL_RIGHT = 0.01


def bands_view(state: JobState) -> BandsView:
    """The picture of the bands now."""
    cells = tuple(
        BandCell(x.band, x.section, *_look(x.last, x.measured), tuple(
            (day(f.utc), tr(f.look), _sentence(f)) for f in reversed(x.findings)
        ))
        for x in section_states(state)
    )  # fmt: skip
    bands = (*((b, b) for b in bands_of(state)), ("", tr("All bands")))
    sections = tuple((s, section_title(state.sheet, s)) for s in sections_of(state))
    dial = []
    for name, _ in bands:
        worst = worst_dial_error(state, name)
        if worst is not None:
            share, channel = worst
            mark = "in_spec" if abs(share) <= _DIAL_RIGHT else "out_of_spec"
            dial.append((name, tr("{off:+.1f} % at {channel}", off=100.0 * share, channel=channel), mark))
    told = [c for c in cells if c.word]
    wrong = sum(c.mark != "in_spec" for c in told)
    tally = tr("{n} of {all} known", n=len(told), all=len(cells)) + (tr(", {n} wrong", n=wrong) if wrong else "")
    stops = tuple(_stops(state, s) for s in standing_stops(state))
    return BandsView(bands, sections, cells, tuple(dial), stops, where_words(state), tally)


def where_words(state: JobState, most: int = _MOST_OPEN) -> str:
    """Where somebody left off: the open findings, the latest first, each with its next idea; empty where nothing is open."""
    found = open_sections(state)
    words = [tr("{place}: {look}.", place=_place(state, f), look=_finding(f)) + _next(f) for f in found[:most]]
    if len(found) > most:
        words.append(tr("And {n} more.", n=len(found) - most))
    return " ".join(words)


def _place(state: JobState, f: SectionFinding) -> str:
    return f"{f.band} {section_title(state.sheet, f.section)}".strip()


def _finding(f: SectionFinding) -> str:
    return tr(f.look) + (f", {f.words}" if f.words else "")


def _next(f: SectionFinding) -> str:
    return " " + tr("Next: {what}.", what=f.following) if f.following else ""


def _sentence(f: SectionFinding) -> str:
    words = f.words
    return words + (" → " if words else "") + tr("next: {what}", what=f.following) if f.following else words


def _look(last: SectionFinding | None, measured: str) -> tuple[str, str, str]:
    """Mark, word and short words: what was found by hand goes before what the readings say."""
    if last is not None:
        return (
            _MARKS[last.look],
            tr(last.look),
            (last.following and tr("next: {what}", what=last.following)) or last.words,
        )
    words = {
        "in_spec": tr("in spec"),
        "out_of_spec": tr("out of spec"),
        "recheck": tr("re-check"),
        "undecided": tr("too close"),
    }
    return _MEASURED.get(measured, "todo"), words.get(measured, ""), tr("measured") if measured else ""


def _stops(state: JobState, stops: DialStops) -> StopsRow:
    counted = f"{_mhz(stops.low_hz)} … {_mhz(stops.high_hz)}"
    counted += " " + (tr("(oscillator)") if stops.counted == "oscillator" else tr("(dial)"))
    wanted, found = stops_wanted(state, stops), judge_stops(state, stops)
    if wanted is None or found is None:
        return StopsRow(stops.band, counted, "", "noted", tr("The sheet does not say what this band covers."))
    low, high = found.low_missing_hz, found.high_missing_hz
    missing = [tr("{hz} missing at the low end", hz=_khz(low))] if low else []
    missing += [tr("{hz} missing at the high end", hz=_khz(high))] if high else []
    cure = {
        "covers": tr("The dial covers its band."),
        "shifted": tr("Both ends are shifted: set the low end with the oscillator core."),
        "narrow": tr("The range is too narrow: open the oscillator trimmer, then set the low end with the core again."),
    }[found.finding]
    words = " · ".join([*missing, cure])
    return StopsRow(
        stops.band,
        counted,
        f"{_mhz(wanted[0])} … {_mhz(wanted[1])}",
        "in_spec" if found.finding == "covers" else "out_of_spec",
        words,
    )


def _mhz(hz: float) -> str:
    return f"{hz / 1e3:.0f} kHz" if hz < 1e6 else f"{number(hz / 1e6, 3)} MHz"


def _khz(hz: float) -> str:
    return f"{hz / 1e3:.0f} kHz" if hz >= 1e3 else f"{hz:.0f} Hz"
