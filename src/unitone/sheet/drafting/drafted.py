"""Steps drafted from segments: quantity, aim, limit, channels and levels by the words, each with the line that it came from."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from unitone.errors import EntryError, SheetError
from unitone.quantities.registry import quantity
from unitone.sheet.drafting._segments import Segment, segments_of
from unitone.sheet.drafting._unsmudge import unsmudge
from unitone.sheet.drafting.phrases import (
    Phrase,
    adjusters_in,
    channels_in,
    level_in,
    microphone_in,
    phrases_in,
    unit_of,
)
from unitone.sheet.editing.draft import Draft, empty, guess_kind
from unitone.sheet.format.read import parse_sheet
from unitone.sheet.format.write import to_toml
from unitone.sheet.model.limits import make_limit, value_of
from unitone.words import tr

_VOLTS, _DB = frozenset({"V", "mV"}), frozenset({"dB"})
_HERTZ, _CARRIER_HZ = frozenset({"MHz", "kHz", "Hz"}), frozenset({"Hz", "kHz", "ppm"})
_LEVELS = frozenset({"uV", "mV", "dBm"})
#: Units in which limits of a quantity are written.
_UNITS: dict[str, frozenset[str]] = {
    "supply.current": frozenset({"A", "mA"}), "supply.rail": _VOLTS, "supply.voltage": _VOLTS, "stage.voltage": _VOLTS, "vco.tuning_voltage": _VOLTS,
    "ref.frequency": _HERTZ, "osc.frequency": _HERTZ, "tx.power": frozenset({"W", "mW"}),
    "tx.pep": frozenset({"W", "mW"}), "tx.deviation": frozenset({"kHz", "Hz"}), "tx.am_depth": frozenset({"%"}),
    "tx.harmonic": frozenset({"dB", "dBc"}), "tx.carrier_suppression": frozenset({"dB", "dBc"}), "tx.frequency_error": _CARRIER_HZ,
    "tx.bias_current": frozenset({"mA", "A"}), "tx.bias_voltage": _VOLTS, "tx.field_strength": _DB, "rx.sinad": _DB, "rx.sn_ratio": _DB,
    "rx.quieting": _DB, "rx.distortion": frozenset({"%"}), "rx.af_voltage": _VOLTS, "rx.agc_voltage": _VOLTS, "rx.s_meter": frozenset({"S"}),
    "rx.sensitivity": _LEVELS, "rx.sensitivity_am": _LEVELS, "rx.squelch_opens": _LEVELS, "rx.squelch_tight": _LEVELS,
}  # fmt: skip
_BETTER_IS_LESS = frozenset({"rx.sensitivity", "rx.sensitivity_am", "rx.distortion"})
_DBC = frozenset({"tx.harmonic", "tx.carrier_suppression"})

_TRANSMIT = re.compile(r"\btransmit|\btx\b|(?<!un)\bkey(?:ed|ing)?\b|\bptt\b", re.IGNORECASE)
_RECEIVE = re.compile(r"\breceiv|\brx\b|\bunkey", re.IGNORECASE)
_PEAK = re.compile(r"\bmax|\bpeak|\bhighest|\blargest|\bmost\b|\bbest\b|\bgreatest", re.IGNORECASE)
_NULL = re.compile(r"\bmin(?:imum|\.| )|\blowest|\bleast\b|\bdip\b|\bnull", re.IGNORECASE)
#: A step tells somebody to do or see something; other sentences only have figures in them.
_TELLS = re.compile(
    r"\b(?:adjust|turn|set|tune|peak|align|trim|bring|check|measure|read|connect|hang|feed|apply|key|must|should|shall|ought|expect|"
    r"repeat|until|go on|limit|spec|max|min|test)|[±:≥≤]|\+/-",
    re.IGNORECASE,
)
_TIGHT = re.compile(r"fully|clockwise|tight|to maximum|at maximum|full(?:y)? up", re.IGNORECASE)
_SAME = re.compile(r"\bsame\b|\bas (?:in )?step\b|\bas above\b|\bagain\b|\brepeat", re.IGNORECASE)
#: (pattern of the words, quantity); the first that fits. What is only named as an instrument comes last.
_BY_WORDS: tuple[tuple[str, str], ...] = (
    (r"squelch\b(?!\s+open\b)(?=.*\bopen)|squelch (?:range|sensitivity|tight|threshold|fully)", "squelch"),
    (r"s[- ]?meter|signal meter|\bs ?9\b", "rx.s_meter"),
    (r"carrier (?:balance|suppress|null|leak)|minimum carrier|balanced modulator", "tx.carrier_suppression"),
    (r"\bpep\b|peak envelope", "tx.pep"),
    (r"harmonic|spurious|\btrap\b", "tx.harmonic"),
    (r"\bbias\b|idle current|quiescent", "bias"),
    (r"\bsensitivity|\bsens\.", "sensitivity"),
    (r"\bsinad\b", "rx.sinad"),
    (r"distort", "rx.distortion"),
    (r"s\s*\+\s*n|\bs/n\b|signal[- ]to[- ]noise", "rx.sn_ratio"),
    (r"quieting", "rx.quieting"),
    (r"\bvco\b|\bpll (?:volt|control)|(?:control|tuning|loop|error|varactor) volt", "vco.tuning_voltage"),
    (r"field strength", "tx.field_strength"),
    (r"\bpower\b(?! supply)|wattmeter|\bwatts?\b", "tx.power"),
    (r"\bdeviation|deviation meter", "tx.deviation"),
    (r"modulation depth|% (?:am )?modulation|\bmod\.|modulation\b(?! meter)", "modulation"),
    (r"\ba[gv]c\b", "rx.agc_voltage"),
    (r"audio (?:output|voltage|level)|\baf (?:output|voltage|level)|audio\b(?!.*micro)", "rx.af_voltage"),
    (r"supply current|current drain|current consumption", "supply.current"),
    (r"carrier frequency|\bfreq(?:uency|\.)|counter|crystal|\boscillator|\breference|\d\s*mhz", "frequency"),
    (r"regulat|\brail\b|supply line|stabili[sz]ed", "supply.rail"),
    (r"supply voltage|battery voltage", "supply.voltage"),
    (r"modulation meter", "modulation"),
)  # fmt: skip


@dataclass(frozen=True)
class DraftedStep:
    """A step as it was understood, the line and words that it came from, and what of it is not sure."""

    id: str
    title: str
    quantity: str
    aim: str
    adjust: tuple[str, ...]
    limit: dict[str, str]
    line: int
    words: str
    row: dict[str, Any]
    unsure: tuple[str, ...] = ()


@dataclass(frozen=True)
class Drafted:
    """What came of a text: the sheet as data, its steps with their words, and the lines that gave nothing."""

    data: dict[str, Any]
    steps: tuple[DraftedStep, ...]
    adjusters: tuple[str, ...]
    unsure: tuple[tuple[int, str], ...]
    unread: tuple[tuple[int, str], ...]
    text: str = field(default="", repr=False)

    def report(self) -> dict[str, Any]:
        """For ``--json``."""
        return {
            "adjusters": list(self.adjusters),
            "steps": [
                {"id": s.id, "title": s.title, "quantity": s.quantity, "aim": s.aim, "adjust": list(s.adjust), "limit": s.limit,
                 "channels": s.row.get("channels", []), "line": s.line, "words": s.words, "unsure": list(s.unsure)}
                for s in self.steps
            ],
            "unsure": [{"line": n, "what": what} for n, what in self.unsure],
            "unread": [{"line": n, "words": words} for n, words in self.unread],
        }  # fmt: skip


#: What stands in a text where its source cannot be read, and the ways in which people write it.
ILLEGIBLE = "[?]"
_ILLEGIBLE = re.compile(r"\[\?\]|\[illegible\]|\?{3,}", re.IGNORECASE)


def draft_sheet(lines: Sequence[str], name: str = "") -> Drafted:
    """A sheet drafted from the lines of a procedure's text. Nothing that the text does not say stands in it."""
    right: list[str] = []
    unsure: list[tuple[int, str]] = []
    for number, line in enumerate(lines, 1):
        put_right, changed = unsmudge(_ILLEGIBLE.sub(" ", line))
        right.append(put_right)
        unsure += [(number, tr("“{stands}” read as “{taken}”", stands=a, taken=b)) for a, b in changed]
        if _ILLEGIBLE.search(line):
            unsure.append((number, tr("part of this line cannot be read")))
    marked = [n for n, line in enumerate(lines, 1) if _ILLEGIBLE.search(line)]
    draft = Draft(empty("", name))
    steps: list[DraftedStep] = []
    unread: list[tuple[int, str]] = []
    for segment in segments_of(right):
        made = _step_of(segment, steps, draft)
        if made is None:
            unread.append((segment.line, segment.words))
            continue
        steps.append(made)
        unsure += [(segment.line, what) for what in made.unsure]
        draft.ensure(
            "adjuster",
            ({"id": a, "kind": guess_kind(a), **_where(segment, a)} for a in made.adjust),
        )
        if made.row.get("test_point"):
            draft.ensure("test_point", [{"id": made.row["test_point"], "title": made.row["test_point"]}])
        if made.row.get("panel"):
            draft.ensure("control", [{"id": "squelch", "positions": "open, 0..100 %"}])
        draft.add("step", made.row)
    _note_illegible(draft, steps, marked, lines)
    if steps:
        unsure.append((1, tr("the channel plan is not in the text: 26.965 to 27.405 MHz taken")))
    kept = _that_holds(draft, steps, unsure)
    return Drafted(
        draft.data, tuple(kept), tuple(draft.ids("adjuster")), tuple(sorted(unsure)), tuple(unread),
        to_toml(draft.data) if kept else "",
    )  # fmt: skip


def with_scans(drafted: Drafted, scans: Sequence[tuple[int, str, bytes]]) -> tuple[dict[str, Any], dict[str, bytes]]:
    """The drafted sheet as data with its scans (first line, name, picture) pinned to the steps of their pages, and the scans by file name."""
    if not scans:
        return drafted.data, {}
    draft, files = Draft(drafted.data), dict[str, bytes]()
    pages: list[tuple[int, str]] = []
    for number, (line, name, content) in enumerate(scans, 1):
        kind = "png" if content[:4] == b"\x89PNG" else "jpg"
        file = f"scan-{number}.{kind}"
        files[file] = content
        draft.add("picture", {"id": f"scan-{number}", "file": file, "title": name})
        pages.append((line, f"scan-{number}"))
    for step in drafted.steps:
        page = max((p for p in pages if p[0] <= step.line), default=None)
        if page is not None:
            draft.put(("step", draft.ids("step").index(step.id), "picture"), page[1])
    return draft.data, files


def _note_illegible(draft: Draft, steps: list[DraftedStep], marked: Sequence[int], lines: Sequence[str]) -> None:
    """A place marked as illegible goes with the step whose lines it stands in: the job lists it as wanted."""
    for at, step in enumerate(steps):
        until = steps[at + 1].line if at + 1 < len(steps) else len(lines) + 1
        words = [_ILLEGIBLE.sub(ILLEGIBLE, lines[n - 1]).strip() for n in marked if step.line <= n < until]
        if words:
            step.row["illegible"] = "; ".join(words)[:200]
            draft.put(("step", draft.ids("step").index(step.id), "illegible"), step.row["illegible"])


def _that_holds(draft: Draft, steps: list[DraftedStep], unsure: list[tuple[int, str]]) -> list[DraftedStep]:
    """A step that no sheet may hold (a limit of the wrong kind) goes to what is unsure; the rest stays."""
    try:
        parse_sheet(to_toml(draft.data), "draft", "draft")
        return steps
    except SheetError:
        pass
    kept = []
    for step in steps:
        alone = {**draft.data, "step": [step.row]}
        try:
            parse_sheet(to_toml(alone), "draft", "draft")
            kept.append(step)
        except SheetError as error:
            said = error.problems[0].split(": ", 1)[-1]
            unsure.append((step.line, tr("no step could be made of this: {why}", why=said)))
    draft.change("left out", lambda data: {**data, "step": [s.row for s in kept]})
    return kept


def _where(segment: Segment, name: str) -> dict[str, str]:
    match = re.search(rf"\b{re.escape(name)}\s*\(([^)]{{3,40}})\)", segment.words)
    return {"where": match[1].strip()} if match else {}


# -- one step -------------------------------------------------------------------------------------------------------


def _step_of(segment: Segment, before: list[DraftedStep], draft: Draft) -> DraftedStep | None:
    cells, words = segment.cells, segment.words
    if not cells and not _TELLS.search(words):
        return None
    adjust = (
        adjusters_in(cells["adjust"], named=True) if "adjust" in cells else adjusters_in(words) if not cells else []
    )
    way = _way(segment)
    last = before[-1] if before else None
    quantity_id = _quantity(segment, way, adjust)
    inherited = False
    if last is not None and _SAME.search(words) and (not quantity_id or quantity_id == last.quantity):
        quantity_id, inherited = quantity_id or last.quantity, True
    if not quantity_id:
        return None
    unsure: list[str] = []
    limit, target = _limit(segment, quantity_id)
    if not limit and inherited and last is not None and not _phrases(segment, quantity_id):
        limit = dict(last.limit)
        unsure.append(tr("limit taken from the step before"))
    if not limit and not adjust:
        return None
    aim = _aim(segment, adjust, quantity_id, limit)
    row: dict[str, Any] = {
        "id": draft.free_id("step", _ID.get(quantity_id, quantity_id.split(".")[-1].replace("_", "-")))
    }
    # A reference is counted without the key, whatever heading it stands under.
    transmit = quantity_id.startswith("tx.") or (way == "transmit" and not quantity_id.startswith(("rx.", "ref.")))
    row["phase"] = _phase(quantity_id, transmit)
    row["title"] = _title(segment, quantity_id, adjust)
    row["quantity"] = quantity_id
    row["aim"] = aim
    if adjust:
        row["adjust"] = adjust
    channels = channels_in(words) or (list(last.row.get("channels", [])) if last is not None and inherited else [])
    if channels:
        row["channels"] = channels
    if quantity_id == "vco.tuning_voltage":
        row["way"] = "transmit" if transmit else "receive"
    point = re.search(r"\bTP\s?\d{1,2}\b", words)
    if point and not quantity_id.startswith(("tx.power", "rx.")):
        row["test_point"] = point[0].replace(" ", "")
    stimulus = _stimulus(words, quantity_id, last if inherited else None)
    if stimulus:
        row["stimulus"] = stimulus
    if not limit:
        limit = {"min": _open_end(quantity_id)}
        unsure.append(tr("no limit in the text: enter one"))
    row["limit"] = limit
    if target:
        row["target"] = target
    row["hook_up"] = (
        "transmit"
        if transmit
        else "receive"
        if quantity_id.startswith("rx.") and quantity_id != "rx.agc_voltage"
        else "probe"
    )
    if quantity_id == "rx.squelch_tight":
        row["panel"] = {"squelch": "100 %"}
    row["source"] = tr("text, line {line}", line=segment.line)
    row["note"] = words[:400]
    if segment.cautions:
        row["caution"] = segment.cautions
    assumed = limit.get("tolerance", "")
    if assumed in (_ASSUMED, _ASSUMED_S) and assumed.replace(" ", "") not in words.replace(" ", ""):
        unsure.append(tr("no tolerance in the text: {assumed} taken", assumed=assumed))
    if quantity_id == "stage.voltage":
        unsure.append(tr("which voltage this is, the text does not say"))
    return DraftedStep(
        row["id"], row["title"], quantity_id, aim, tuple(adjust), limit, segment.line, words, row, tuple(unsure)
    )


_ID = {
    "rx.sn_ratio": "signal-to-noise",
    "rx.sensitivity_am": "sensitivity",
    "vco.tuning_voltage": "vco",
    "stage.voltage": "voltage",
}
#: Where only a nominal value is told.
_ASSUMED, _ASSUMED_S = "5 %", "3 dB"


def _way(segment: Segment) -> str:
    words = f"{segment.words} {segment.cells.get('condition', '')}"
    tx, rx = _TRANSMIT.search(words), _RECEIVE.search(words)
    if tx and not rx:
        return "transmit"
    if rx:
        return "receive" if not tx or rx.start() < tx.start() else "transmit"
    heading = segment.heading
    return "transmit" if _TRANSMIT.search(heading) else "receive" if _RECEIVE.search(heading) else ""


def _quantity(segment: Segment, way: str, adjust: list[str]) -> str:
    """What is read, by the words that decide it; empty where none does."""
    cells = segment.cells
    for words in (
        (" ; ".join(cells.get(k, "") for k in ("for", "limit", "item", "min", "max")), segment.words)
        if cells
        else (segment.words,)
    ):
        found = next((q for pattern, q in _BY_WORDS if re.search(pattern, words, re.IGNORECASE)), "")
        if found in ("rx.s_meter",) and way == "transmit":
            found = "tx.power"
        if found:
            decided = _decided(found, segment, way)
            if decided:
                return decided
    if any(phrases_in(segment.words, _VOLTS)) and (
        adjust or re.search(r"volt(?:meter|age)|\bdmm\b|\btp\s?\d", segment.words, re.IGNORECASE)
    ):
        return "stage.voltage"
    return ""


def _decided(found: str, segment: Segment, way: str) -> str:
    words = segment.words
    if found == "squelch":
        return "rx.squelch_tight" if _TIGHT.search(words) else "rx.squelch_opens"
    if found == "bias":
        return "tx.bias_current" if any(phrases_in(words, _UNITS["tx.bias_current"])) else "tx.bias_voltage"
    if found == "sensitivity":
        return "rx.sensitivity" if re.search(r"sinad", words, re.IGNORECASE) else "rx.sensitivity_am"
    if found == "modulation":
        return (
            "tx.am_depth"
            if way != "receive" and any(phrases_in(words, frozenset({"%"})))
            else "tx.deviation"
            if way == "transmit"
            else ""
        )
    if found == "tx.deviation":
        return found if way != "receive" else ""
    if found == "tx.power":
        return found if any(phrases_in(words, _UNITS["tx.power"])) or way != "receive" else ""
    if found == "frequency":
        return _frequency(words, way, segment)
    if found == "rx.sinad" and any(phrases_in(words, _LEVELS)) and not any(phrases_in(words, _DB)):
        return "rx.sensitivity"
    if found == "rx.af_voltage":
        return found if way != "transmit" and any(phrases_in(words, frozenset({"V"}))) else ""
    return found


def _frequency(words: str, way: str, segment: Segment) -> str:
    """An oscillator by its own frequency, or the carrier by how far it is off its channel."""
    named = [p for p in phrases_in(words, frozenset({"MHz"})) if p.nominal or p.low]
    own = [p for p in named if not 26.0 <= float((p.nominal or p.low).split()[0]) <= 30.0]
    if own:
        reference = re.search(r"refer|pll|10\.240*\b", words, re.IGNORECASE)
        return "ref.frequency" if reference else "osc.frequency"
    of_carrier = way == "transmit" or "carrier" in words.lower() or bool(channels_in(words))
    if of_carrier and any(phrases_in(words, _CARRIER_HZ)):
        return "tx.frequency_error" if way != "receive" else ""
    return ""


def _phrases(segment: Segment, quantity_id: str) -> list[Phrase]:
    """The limit's phrases: of the columns for it where there are such, else of all the words."""
    units, cells = _UNITS.get(quantity_id, frozenset()), segment.cells
    if cells:
        told = [p for k in ("limit", "for") for p in phrases_in(cells.get(k, ""), units)]
        ends = {k: next(iter(phrases_in(cells.get(k, ""), units)), Phrase()) for k in ("min", "max")}
        low, high = (ends[k].nominal or ends[k].low or ends[k].high for k in ("min", "max"))
        if low or high:
            return [Phrase(low=low if low else "", high=high if high else ""), *told]
        if told:
            return told
    return list(phrases_in(_without_stimuli(segment.words, quantity_id), units))


def _without_stimuli(words: str, quantity_id: str) -> str:
    """The words without what is fed in, where that has the unit of what is read."""
    if quantity_id == "tx.deviation":
        return re.sub(r"\b(?:1(?:[.,]0+)?\s*kHz|400\s*Hz)\b", " ", words)
    if quantity_id in ("tx.bias_voltage", "supply.rail", "stage.voltage", "vco.tuning_voltage", "rx.af_voltage"):
        return re.sub(r"\d+(?:[.,]\d+)?\s*mV\b", " ", words)
    return words


def _limit(segment: Segment, quantity_id: str) -> tuple[dict[str, str], str]:
    """The limit as the keys of a sheet, and a target where the words name one inside it."""
    low = high = nominal = tolerance = ""
    phrases = _phrases(segment, quantity_id)
    for p in phrases:
        if p.nominal and p.tolerance:
            nominal, tolerance = p.nominal, p.tolerance
        elif p.low and p.high:
            low, high = p.low, p.high
        else:
            low, high = p.low or low, p.high or high
            tolerance = p.tolerance or tolerance
            if p.nominal and not nominal:
                nominal = p.nominal
    if quantity_id in _BETTER_IS_LESS and low and not high and re.search(r"or better", segment.words, re.IGNORECASE):
        low, high = "", low
    if quantity_id in _DBC:
        return _under_the_carrier(low, high, nominal)
    if quantity_id == "tx.frequency_error":
        if tolerance and unit_of(tolerance) in ("Hz", "kHz", "ppm"):
            return {"nominal": "0 Hz", "tolerance": tolerance}, ""
        nominal = ""
    if quantity_id == "rx.s_meter" and nominal and not (low or high):
        found = next((p.tolerance for p in phrases_in(segment.words, _UNITS["rx.s_meter"]) if p.tolerance), "")
        tolerance = tolerance or found
        return {"nominal": nominal, "tolerance": tolerance or _ASSUMED_S}, ""
    if low or high:
        ends = {k: v for k, v in (("min", low), ("max", high)) if v}
        return (ends, nominal if _inside(nominal, ends, quantity_id) else "") if _holds(ends, quantity_id) else ({}, "")
    if nominal and quantity_id in ("rx.sensitivity", "rx.sensitivity_am"):
        return {"max": nominal}, ""
    if nominal and tolerance:
        given = {"nominal": nominal, "tolerance": tolerance}
        return (given, "") if _holds(given, quantity_id) else ({"nominal": nominal, "tolerance": _ASSUMED}, "")
    if nominal and quantity_id not in ("rx.sinad", "rx.sn_ratio"):
        # A level goes by decibels.
        return {"nominal": nominal, "tolerance": _ASSUMED_S if quantity(quantity_id).kind == "level" else _ASSUMED}, ""
    return {}, ""


def _under_the_carrier(low: str, high: str, nominal: str) -> tuple[dict[str, str], str]:
    """Sixty decibels under the carrier, or −60 dB: either way at most −60 dBc."""
    told = low or high or nominal
    if not told:
        return {}, ""
    return {"max": f"-{told.split()[0].lstrip('-')} dBc"}, ""


def _holds(given: dict[str, str], quantity_id: str) -> bool:
    try:
        make_limit(given, quantity(quantity_id))
    except EntryError:
        return False
    return True


def _inside(nominal: str, given: dict[str, str], quantity_id: str) -> bool:
    """Is a named value inside the limit, and not just one of its ends?"""
    if not nominal:
        return False
    q = quantity(quantity_id)
    try:
        return make_limit(given, q).holds(value_of(nominal, q)) and nominal not in given.values()
    except EntryError:
        return False


def _aim(segment: Segment, adjust: list[str], quantity_id: str, limit: dict[str, str]) -> str:
    if not adjust:
        return "check"
    words = segment.cells.get("for", "") or segment.words
    slope = quantity(quantity_id).hill_slope
    if quantity_id in _DBC or quantity_id == "rx.distortion":
        return "null"
    if slope and _PEAK.search(words) and quantity(quantity_id).better == "high":
        return "peak"
    if slope and quantity(quantity_id).better == "high" and set(limit) == {"min"}:
        return "peak"
    if slope and _NULL.search(words) and quantity(quantity_id).better == "low":
        return "null"
    return "set"


def _phase(quantity_id: str, transmit: bool) -> str:
    if quantity_id.startswith(("supply.", "stage.")):
        return "rails"
    if quantity_id.startswith(("ref.", "osc.", "vco.")):
        return "synthesiser"
    if quantity_id in ("rx.s_meter", "rx.squelch_opens", "rx.squelch_tight"):
        return "settings"
    return "transmit" if transmit else "receive"


def _title(segment: Segment, quantity_id: str, adjust: list[str]) -> str:
    item = segment.cells.get("item", "")
    if item:
        return item[:1].upper() + item[1:60]
    title = quantity(quantity_id).title
    return f"{title[:1].upper()}{title[1:]}" + (f", {', '.join(adjust)}" if adjust else "")


def _stimulus(words: str, quantity_id: str, last: DraftedStep | None) -> dict[str, str]:
    """What is fed in, as far as the words say it."""
    found: dict[str, str] = {}
    if quantity_id.startswith("tx."):
        if quantity_id in ("tx.deviation", "tx.am_depth", "tx.pep", "tx.carrier_suppression") and (
            mic := microphone_in(words)
        ):
            found = {"microphone": mic, "tone": "1 kHz"}
        return found
    if not quantity_id.startswith("rx."):
        return {}
    if quantity_id not in ("rx.sensitivity", "rx.sensitivity_am", "rx.squelch_opens", "rx.squelch_tight") and (
        level := level_in(words)
    ):
        found["level"] = level
    if re.search(r"\b1\s*kHz\b", words, re.IGNORECASE):
        found["tone"] = "1 kHz"
    if match := re.search(
        r"(\d[.,]\d)\s*kHz\s*(?:dev|peak)|deviation[^.;\d]{0,8}(\d[.,]\d)\s*kHz", words, re.IGNORECASE
    ):
        found["deviation"] = f"{(match[1] or match[2]).replace(',', '.')} kHz"
    if (match := re.search(r"\b(\d{2})\s*(?:%|per cent)", words)) and quantity_id != "rx.distortion":
        found["depth"] = f"{match[1]} %"
    if last is not None:
        found = {**last.row.get("stimulus", {}), **found}
    return found


def _open_end(quantity_id: str) -> str:
    """The least that the quantity can be: a limit that says nothing, until somebody enters one."""
    unit = {"volts": "V", "amps": "A", "watts": "W", "ratio-db": "dB", "percent": "%", "hertz": "Hz"}.get(
        quantity(quantity_id).kind, ""
    )
    return {"level": "-140 dBm", "s-units": "S0", "hertz-error": "-100 kHz", "dbc": "-150 dBc"}.get(
        quantity(quantity_id).kind, f"0 {unit}"
    )
