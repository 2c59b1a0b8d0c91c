"""The fields of a sheet's forms: each declared once, with its words, its hint, and how its text becomes data and back.

Text that cannot be understood is kept as it was typed: the checker then names it
in its place, and nothing that was typed is lost.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal

from unitone.errors import EntryError
from unitone.quantities.registry import QUANTITIES
from unitone.sheet.model.limits import limit_to_text
from unitone.sheet.model.sheet import PHASE_TITLES
from unitone.words import tr

Kind = Literal[
    "text",
    "long",
    "choice",
    "ids",
    "groups",
    "number",
    "numbers",
    "yes-no",
    "limit",
    "map",
    "panel",
    "reach",
    "lines",
    "one-or-more",
    "pairs",
]
#: Which table the choices or the completion of a field come from.
Source = Literal[
    "", "adjuster", "test_point", "stage", "step", "channel", "band", "picture", "quantity", "control", "voltage"
]


@dataclass(frozen=True)
class Field:
    """One field of a form: where it stands in a row, its words and hint, its kind and its choices."""

    key: tuple[str, ...]
    words: str
    kind: Kind = "text"
    hint: str = ""
    choices: tuple[tuple[str, str], ...] = ()
    source: Source = ""
    wide: bool = False

    def show(self, value: Any) -> str:
        """The text of a value, as the field shows it."""
        return _SHOW.get(self.kind, _plain)(value)

    def read(self, text: str) -> Any:
        """The data of a text; None where the key goes out."""
        plain = text.strip() if self.kind != "long" else text
        return None if not plain.strip() else _READ.get(self.kind, str)(plain)


def _plain(value: Any) -> str:
    return "" if value is None else str(value)


def _show_list(value: Any) -> str:
    return ", ".join(_plain(v) for v in value) if isinstance(value, list) else _plain(value)


def _show_groups(value: Any) -> str:
    if not isinstance(value, list):
        return _plain(value)
    return ", ".join(" + ".join(map(str, g)) if isinstance(g, list) else str(g) for g in value)


def _show_limit(value: Any) -> str:
    return limit_to_text(value) if isinstance(value, dict) else _plain(value)


def _show_map(value: Any) -> str:
    return ", ".join(f"{k} {_plain(v)}" for k, v in value.items()) if isinstance(value, dict) else _plain(value)


_NARROWED = ("channel", "band", "mode", "test_point", "panel")


def _show_effect(value: Any) -> str:
    if not isinstance(value, list):
        return _plain(value)
    parts = []
    for r in value:
        if isinstance(r, dict):
            narrow = [f"{k} {r[k]}" if k != "way" else str(r[k]) for k in ("way", *_NARROWED) if k in r]
            parts.append(f"{r.get('quantity', '')} ({'; '.join(narrow)})" if narrow else str(r.get("quantity", "")))
        else:
            parts.append(str(r))
    return ", ".join(parts)


def _show_pairs(value: Any) -> str:
    return "; ".join(" ".join(f"{v:g}" for v in p) for p in value) if isinstance(value, list) else _plain(value)


def _show_lines(value: Any) -> str:
    return "\n".join(_plain(v) for v in value) if isinstance(value, list) else _plain(value)


def _read_list(text: str) -> list[str]:
    return [p.strip() for p in text.split(",") if p.strip()]


def _read_groups(text: str) -> list[Any]:
    found: list[Any] = []
    for piece in _read_list(text):
        group = [p.strip() for p in piece.split("+") if p.strip()]
        found.append(group if len(group) > 1 else group[0] if group else piece)
    return found


def _read_number(text: str) -> Any:
    plain = text.replace(",", ".")
    try:
        value = float(plain)
    except ValueError:
        return text
    if not abs(value) <= 1e12:
        return text
    return int(value) if value == int(value) else value


def _read_numbers(text: str) -> Any:
    return [_read_number(p) for p in re.split(r"[;\s]+|,\s+", text.strip()) if p]


def _read_map(text: str) -> Any:
    found: dict[str, str] = {}
    for piece in _read_list(text):
        name, _, value = piece.replace("=", " ").partition(" ")
        found[name.strip()] = value.strip()
    return found


def _read_effect(text: str) -> list[Any]:
    found: list[Any] = []
    for piece in re.split(r",(?![^()]*\))", text):
        match = re.match(r"^\s*([^()\s]+)\s*(?:\(([^)]*)\))?\s*$", piece)
        if match is None:
            if piece.strip():
                found.append(piece.strip())
            continue
        narrow: dict[str, str] = {}
        for word in (w.strip() for w in (match[2] or "").split(";")):
            key, _, value = word.partition(" ")
            if word in ("receive", "transmit"):
                narrow["way"] = word
            elif key in _NARROWED and value:
                narrow[key] = value.strip()
            elif word:
                narrow[word] = value
        found.append({"quantity": match[1], **narrow} if narrow else match[1])
    return found


def _read_one_or_more(text: str) -> Any:
    found = re.split(r",\s+|;\s*", text)
    return text if len(found) == 1 else [x.strip() for x in found if x.strip()]


def _read_lines(text: str) -> list[str]:
    return [line.strip() for line in text.splitlines() if line.strip()]


_SHOW: dict[str, Callable[[Any], str]] = {
    "pairs": _show_pairs, "ids": _show_list, "groups": _show_groups, "limit": _show_limit, "map": _show_map, "panel": _show_map,
    "reach": _show_effect, "lines": _show_lines, "one-or-more": _show_list, "numbers": _show_list,
    "yes-no": lambda v: {True: "yes", False: "no"}.get(v, _plain(v)),
}  # fmt: skip
_READ: dict[str, Callable[[str], Any]] = {
    "ids": _read_list, "groups": _read_groups, "number": _read_number, "map": _read_map, "reach": _read_effect,
    "lines": _read_lines, "one-or-more": _read_one_or_more, "numbers": _read_numbers, "yes-no": lambda t: {"yes": True, "no": False}.get(t, t),
}  # fmt: skip

_KINDS = tuple((k, k) for k in ("core", "trimmer", "preset", "link", "part"))
_WAYS = (("receive", tr("receive")), ("transmit", tr("transmit")))
_QUANTITIES = tuple((q.id, f"{q.title}  ({q.id})") for q in QUANTITIES.values())

MODEL = (
    Field(("model", "maker"), tr("Maker")), Field(("model", "name"), tr("Model")),
    Field(("model", "kind"), tr("Kind"), hint="AM mobile, 40 channels", wide=True),
    Field(("model", "supply"), tr("Supply"), hint="13.2 V"),
    Field(("model", "family"), tr("Inspected as"), "choice", choices=tuple((f, tr(f)) for f in ("mobile", "handheld", "base", "valve", "portable"))),
    Field(("model", "aliases"), tr("The same board is sold as"), "ids", "Ostrel Fen 40, Ostrel Fen 40 S", wide=True),
    Field(("supply", "path"), tr("Fed by"), "choice", choices=tuple((x, tr(x)) for x in ("bench supply", "battery", "lamp limiter", "mains"))),
    Field(("supply", "volts"), tr("Supply voltage"), hint="13.2 V"), Field(("supply", "limit"), tr("Current limit to set"), hint="2 A"),
    Field(("supply", "rest"), tr("Current at rest"), hint="350 mA"), Field(("supply", "keyed"), tr("Current keyed"), hint="1.2 A"),
    Field(("supply", "meter"), tr("Meter used for the voltages"), hint="20 kohm/V"),
    Field(("final", "device"), tr("Final"), hint="TR17"),
    Field(("final", "dissipation"), tr("Maximum dissipation"), hint="12 W"),
    Field(("final", "most"), tr("Ratings"), "map", "tx.bias_current 120 mA", wide=True),
    Field(("ceiling", "rule"), tr("Emission rule"), hint="47 CFR 95 subpart D", wide=True),
    Field(("ceiling", "most"), tr("Legal limits"), "map", "tx.deviation 2 kHz, tx.am_depth 100 %", wide=True),
    Field(("channels", "plan"), tr("Channel plan"), "choice", choices=(
        ("eu-40", tr("40 channels, 26.965 to 27.405 MHz")), ("uk-40", tr("40 channels, 27.60125 to 27.99125 MHz")))),
    Field(("channels", "frequencies"), tr("or channels of its own"), "map", "1 = 27.005 MHz, 2 = 27.025 MHz", wide=True),
    Field(("channels", "bands"), tr("Bands, as shifts"), "map", "low -450 kHz, mid 0 kHz, high 450 kHz", wide=True),
    Field(("model", "caution"), tr("Cautions, one a line"), "lines", wide=True),
)  # fmt: skip

STEP = (
    Field(("title",), tr("Title"), hint=tr("Peak the front end"), wide=True),
    Field(("quantity",), tr("Measured"), "choice", choices=_QUANTITIES, source="quantity", wide=True),
    Field(("limit",), tr("Limit"), "limit", "≥ 12 dB · 2 … 4 V · 8.0 V ± 5 %"),
    Field(("adjust",), tr("Adjusters"), "groups", "T1, T2, T4 + T5", source="adjuster"),
    Field(("aim",), tr("Aim"), "choice", choices=(
        ("peak", tr("peak")), ("null", tr("null")), ("set", tr("set")), ("level", tr("level: all channels even, or the worst one best")),
        ("check", tr("check only")))),
    Field(("channels",), tr("Channels"), "ids", "1, 20, 40", source="channel"),
    Field(("stimulus", "level"), tr("Level at the set"), hint="0.3 uV"),
    Field(("test_point",), tr("Test point"), hint="TP3", source="test_point"),
    Field(("stimulus", "tone"), tr("Tone"), hint="1 kHz"),
    Field(("hook_up",), tr("Hook-up"), "choice", choices=(
        ("probe", tr("meter on a test point")), ("receive", tr("receive")), ("transmit", tr("transmit")))),
    Field(("stimulus", "deviation"), tr("Deviation (FM)"), hint="1.5 kHz"),
    Field(("stimulus", "depth"), tr("Depth (AM)"), hint="30 %"), Field(("leds",), tr("LED meter"), "ids", "S3, S6, S9, +20"),
    Field(("stimulus", "microphone"), tr("Microphone input"), hint="20 mV"),
    Field(("inject", "at"), tr("Generator to"), hint=tr("aerial socket")),
    Field(("inject", "frequency"), tr("Generator frequency"), hint=tr("the channel's")),
    Field(("inject", "coupling"), tr("Coupling"), hint=tr("through 10 nF")),
    Field(("target",), tr("Set to"), hint=tr("the middle of the limit")),
    Field(("set_channel",), tr("Set on channel"), hint=tr("the first")),
    Field(("phase",), tr("Phase"), "choice", choices=tuple((k, tr(v)) for k, v in PHASE_TITLES.items())),
    Field(("after",), tr("After the steps"), "ids", tr("rail, reference"), source="step"),
    Field(("stage",), tr("Stage"), source="stage"),
    Field(("panel",), tr("Front panel"), "panel", "squelch open, volume 30 %", wide=True),
    Field(("way",), tr("Receive or transmit"), "choice", choices=_WAYS),
    Field(("bands",), tr("Bands"), "ids", source="band"), Field(("modes",), tr("Modes"), "ids", "USB, LSB"),
    Field(("source",), tr("Limit comes from"), hint=tr("sheet, regulation, practice")),
    Field(("role",), tr("Role"), "choice", choices=tuple((r, r) for r in ("detector", "detector-coarse", "front-end", "if"))),
    Field(("note",), tr("Note"), "long", wide=True),
    Field(("caution",), tr("Cautions, one a line"), "lines", wide=True),
    Field(("id",), tr("Id"), hint=tr("made from the title")),
)  # fmt: skip

ADJUSTER = (
    Field(("id",), tr("Name"), hint="T1"), Field(("kind",), tr("Kind"), "choice", choices=_KINDS),
    Field(("where",), tr("Where"), hint=tr("by the aerial socket"), wide=True),
    Field(("lock",), tr("Locked by"), "choice", choices=(("", tr("nothing")), ("nut", tr("a lock nut")), ("wax", tr("wax")))),
    Field(("tool",), tr("Tool"), hint=tr("ceramic blade")), Field(("stage",), tr("Stage"), source="stage"),
    Field(("turns",), tr("Travel, turns"), "number", "8"), Field(("degrees",), tr("or degrees"), "number", "270"),
    Field(("stops",), tr("End stops"), "choice", choices=(("yes", tr("yes")), ("no", tr("no, it turns endlessly")))),
    Field(("step",), tr("Smallest move, degrees"), "number", "45"),
    Field(("affects",), tr("Affects"), "reach", "rx.*, vco.tuning_voltage (receive)", source="quantity", wide=True),
    Field(("picture",), tr("On picture"), source="picture"), Field(("pin",), tr("Pin, across and down"), "numbers", "0.18, 0.31"),
    Field(("note",), tr("Note"), "long", wide=True),
)  # fmt: skip

TEST_POINT = (
    Field(("id",), tr("Name"), hint="TP3"), Field(("title",), tr("Measured there"), hint=tr("VCO tuning voltage"), wide=True),
    Field(("picture",), tr("On picture"), source="picture"), Field(("pin",), tr("Pin, across and down"), "numbers", "0.52, 0.44"),
)  # fmt: skip
STAGE = (
    Field(("id",), tr("Name"), hint="if"), Field(("title",), tr("Title on the strip"), hint="IF"),
    Field(("way",), tr("Receive or transmit"), "choice", choices=_WAYS),
)  # fmt: skip
CONTROL = (
    Field(("id",), tr("Name"), hint="squelch"), Field(("positions",), tr("Positions"), hint="open, 0..100 %", wide=True),
    Field(("does",), tr("Function, for the owner"), hint=tr("turn it up until the hiss stops"), wide=True),
)  # fmt: skip
OSCILLATOR = (
    Field(("id",), tr("Name"), hint="ref"), Field(("nominal",), tr("Frequency"), hint="10.240 MHz"),
    Field(("trim",), tr("Trimmed by"), source="adjuster"),
    Field(("test_point",), tr("Counted at"), source="test_point"),
)  # fmt: skip
PART = (
    Field(("id",), tr("Name"), hint="C41"), Field(("what",), tr("What it is"), hint="470 µF 16 V", wide=True),
    Field(("where",), tr("Where"), wide=True), Field(("stage",), tr("Stage"), source="stage"),
    Field(("picture",), tr("On picture"), source="picture"), Field(("pin",), tr("Pin, across and down"), "numbers"),
    Field(("affects",), tr("Affects"), "reach", tr("all of its receive or transmit side"), source="quantity", wide=True),
)  # fmt: skip
ACTION = (
    Field(("id",), tr("Name"), hint="recap"), Field(("title",), tr("Action"), hint=tr("Electrolytics replaced"), wide=True),
    Field(("affects",), tr("Affects"), "reach", tr("everything"), source="quantity", wide=True),
)  # fmt: skip
PICTURE = (
    Field(("id",), tr("Name"), hint="top"), Field(("title",), tr("Title"), hint=tr("component side"), wide=True),
    Field(("file",), tr("File"), hint="top.jpg"),
)  # fmt: skip

VOLTAGE = (
    Field(("id",), tr("Name"), hint="TP1"), Field(("title",), tr("Position"), hint=tr("regulated rail"), wide=True),
    Field(("volts",), tr("Voltage (two if the sheet contradicts "
                         "itself)"), "one-or-more", "8.0 V"), Field(("tolerance",), tr("Tolerance"), hint="5 %"),
    Field(("way",), tr("Receive or transmit"), "choice", choices=_WAYS), Field(("mode",), tr("Mode"), hint="SSB"),
    Field(("fed_from",), tr("Fed from"), source="voltage"), Field(("series",), tr("through"), hint="47 ohm"),
    Field(("current",), tr("Current when right"), hint="12 mA"), Field(("source",), tr("Source resistance"), hint="100 kohm"),
    Field(("where",), tr("Where"), hint=tr("emitter of TR8"), wide=True),
    Field(("step",), tr("Read in step"), source="step"), Field(("stage",), tr("Stage"), source="stage"),
)  # fmt: skip
INSPECT = (
    Field(("title",), tr("What to look at"), hint=tr("dial cord and its springs"), wide=True),
    Field(("how",), tr("How"), "long", wide=True), Field(("on",), tr("On adjusters or parts"), "ids", source="adjuster", wide=True),
    Field(("id",), tr("Name"), hint=tr("made from the title")),
)  # fmt: skip
KNOWN_FAULT = (
    Field(("sign",), tr("Symptom"), hint=tr("squelch never opens"), wide=True), Field(("cause",), tr("Cause"), hint=tr("C52 leaky"), wide=True),
    Field(("cure",), tr("Cure"), hint=tr("fit 4.7 µF 35 V"), wide=True), Field(("part",), tr("Part"), hint="C52"),
        Field(("stage",), tr("Stage"), source="stage"),
)  # fmt: skip

#: Every list of a sheet with its form.
TABLES: dict[str, tuple[Field, ...]] = {
    "step": STEP, "adjuster": ADJUSTER, "test_point": TEST_POINT, "stage": STAGE, "control": CONTROL,
    "oscillator": OSCILLATOR, "part": PART, "action": ACTION, "picture": PICTURE,
    "voltage": VOLTAGE, "inspect": INSPECT, "known_fault": KNOWN_FAULT,
}  # fmt: skip

#: What a step of each side usually looks like (TRADE practice): phase, hook-up.
_USUAL = {
    "supply": ("rails", "probe"), "stage": ("rails", "probe"), "ref": ("synthesiser", "probe"), "osc": ("synthesiser", "probe"),
    "vco": ("synthesiser", "probe"), "tx": ("transmit", "transmit"), "rx": ("receive", "receive"),
}  # fmt: skip
_SETTINGS = ("rx.s_meter", "rx.led_lights", "rx.squelch_opens", "rx.squelch_tight")
#: What the receiver is usually fed for a quantity that depends on it (practice).
_STIMULUS: dict[str, dict[str, str]] = {
    "rx.sinad": {"level": "0.3 uV", "tone": "1 kHz", "deviation": "1.5 kHz"},
    "rx.distortion": {"level": "100 uV", "tone": "1 kHz", "deviation": "1.5 kHz"},
    "rx.sensitivity": {"tone": "1 kHz", "deviation": "1.5 kHz"},
    "rx.sensitivity_am": {"tone": "1 kHz", "depth": "30 %"},
    "rx.sn_ratio": {"level": "1 uV", "tone": "1 kHz", "depth": "30 %"},
    "rx.s_meter": {"level": "50 uV"},
    "tx.deviation": {"microphone": "20 mV", "tone": "1 kHz"},
    "tx.am_depth": {"microphone": "20 mV", "tone": "1 kHz"},
}


def usual_step(quantity_id: str, before: dict[str, Any] | None = None) -> dict[str, Any]:
    """The keys that a step of this quantity usually has, before it names an adjuster; channels and front panel go on as in the step ``before``.

    Raises EntryError for a quantity that is not registered.
    """
    if quantity_id not in QUANTITIES:
        raise EntryError(f"“{quantity_id}” is no quantity.")
    phase, hook_up = _USUAL[quantity_id.partition(".")[0]]
    made: dict[str, Any] = {
        "phase": "settings" if quantity_id in _SETTINGS else phase,
        "quantity": quantity_id,
        "aim": "check",
        "hook_up": hook_up,
    }
    if quantity_id in _STIMULUS:
        made["stimulus"] = dict(_STIMULUS[quantity_id])
    if quantity_id == "rx.led_lights":
        made["leds"] = ["S1", "S3", "S5", "S7", "S9", "+20"]
    if before and before.get("hook_up") == hook_up:
        made |= {k: before[k] for k in ("channels", "panel", "bands", "modes", "stage") if k in before}
        if quantity_id == before.get("quantity") and "stimulus" in before:
            made["stimulus"] = before["stimulus"]
    return made


def usual_aim(quantity_id: str) -> str:
    """What an adjuster is turned for in a step of this quantity: peak, null or set; set for one that is not registered."""
    q = QUANTITIES.get(quantity_id)
    if q is None or not q.hill_slope:
        return "set"
    return "peak" if q.better == "high" else "null"


def id_from_title(title: str) -> str:
    """An id made of a title: small letters and dashes, four words at most."""
    words = re.findall(r"[^\W_]+", title.lower())
    return "-".join(words[:4])[:40]
