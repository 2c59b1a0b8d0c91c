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
from unitone.words import N_, tr, translated

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


@translated("words", "hint", "choices")
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
_WAYS = (("receive", N_("receive")), ("transmit", N_("transmit")))
_QUANTITIES = tuple((q.id, str(q.__dict__["title"])) for q in QUANTITIES.values())

#: What a new sheet begins with; the rest is opened on demand.
FIRST_OF_MODEL = 6
MODEL = (
    Field(("model", "maker"), N_("Maker")), Field(("model", "name"), N_("Model")),
    Field(("model", "kind"), N_("Kind"), hint="AM mobile, 40 channels"), Field(("supply", "volts"), N_("Supply voltage"), hint="13.2 V"),
    Field(("channels", "plan"), N_("Channel plan"), "choice", choices=(
        ("eu-40", N_("40 channels, 26.965 to 27.405 MHz")), ("uk-40", N_("40 channels, 27.60125 to 27.99125 MHz")))),
    Field(("model", "caution"), N_("Cautions, one a line"), "lines", wide=True),
    Field(("model", "supply"), N_("Supply, in words"), hint="13.2 V"),
    Field(("model", "family"), N_("Inspected as"), "choice", choices=tuple((f, f) for f in ("mobile", "handheld", "base", "valve", "portable"))),
    Field(("model", "aliases"), N_("The same board is sold as"), "ids", "Ostrel Fen 40, Ostrel Fen 40 S", wide=True),
    Field(("supply", "path"), N_("Fed by"), "choice", choices=tuple((x, x) for x in ("bench supply", "battery", "lamp limiter", "mains"))),
    Field(("supply", "limit"), N_("Current limit to set"), hint="2 A"),
    Field(("supply", "rest"), N_("Current at rest"), hint="350 mA"), Field(("supply", "keyed"), N_("Current keyed"), hint="1.2 A"),
    Field(("supply", "meter"), N_("Meter used for the voltages"), hint="20 kohm/V"),
    Field(("final", "device"), N_("Final"), hint="TR17"),
    Field(("final", "dissipation"), N_("Maximum dissipation"), hint="12 W"),
    Field(("final", "most"), N_("Ratings"), "map", "tx.bias_current 120 mA", wide=True),
    Field(("ceiling", "rule"), N_("Emission rule"), hint="47 CFR 95 subpart D", wide=True),
    Field(("ceiling", "most"), N_("Legal limits"), "map", "tx.deviation 2 kHz, tx.am_depth 100 %", wide=True),
    Field(("channels", "frequencies"), N_("or channels of its own"), "map", "1 = 27.005 MHz, 2 = 27.025 MHz", wide=True),
    Field(("channels", "bands"), N_("Bands, as shifts"), "map", "low -450 kHz, mid 0 kHz, high 450 kHz", wide=True),
)  # fmt: skip

STEP = (
    Field(("title",), N_("Title"), hint=N_("Peak the front end"), wide=True),
    Field(("quantity",), N_("Measured"), "choice", choices=_QUANTITIES, source="quantity", wide=True),
    Field(("limit",), N_("Limit"), "limit", "≥ 12 dB · 2 … 4 V · 8.0 V ± 5 %"),
    Field(("adjust",), N_("Adjusters"), "groups", "T1, T2, T4 + T5", source="adjuster"),
    Field(("aim",), N_("Aim"), "choice", choices=(
        ("peak", N_("peak")), ("null", N_("null")), ("set", N_("set")), ("level", N_("level: all channels even, or the worst one best")),
        ("check", N_("check only")))),
    Field(("channels",), N_("Channels"), "ids", "1, 20, 40", source="channel"),
    Field(("stimulus", "level"), N_("Level at the radio"), hint="0.3 uV"),
    Field(("test_point",), N_("Test point"), hint="TP3", source="test_point"),
    Field(("stimulus", "tone"), N_("Tone"), hint="1 kHz"),
    Field(("hook_up",), N_("Hook-up"), "choice", choices=(
        ("probe", N_("meter on a test point")), ("receive", N_("receive")), ("transmit", N_("transmit")))),
    Field(("stimulus", "deviation"), N_("Deviation (FM)"), hint="1.5 kHz"),
    Field(("stimulus", "depth"), N_("Depth (AM)"), hint="30 %"), Field(("leds",), N_("LED meter"), "ids", "S3, S6, S9, +20"),
    Field(("stimulus", "microphone"), N_("Microphone input"), hint="20 mV"),
    Field(("inject", "at"), N_("Generator to"), hint=N_("aerial socket")),
    Field(("inject", "frequency"), N_("Generator frequency"), hint=N_("the channel’s, or 455 kHz, rx.if1, rx.lo1 + rx.if1")),
    Field(("inject", "coupling"), N_("Coupling"), hint=N_("through 10 nF")),
    Field(("inject", "stage"), N_("Input of the stage"), hint=N_("mixer"), source="stage"),
    Field(("read", "with"), N_("Read with"), hint=N_("AF voltmeter")),
    Field(("read", "at"), N_("Read at"), hint=N_("loudspeaker terminals")),
    Field(("target",), N_("Set to"), hint=N_("the middle of the limit")),
    Field(("set_channel",), N_("Set on channel"), hint=N_("the first")),
    Field(("phase",), N_("Phase"), "choice", choices=tuple(PHASE_TITLES.items())),
    Field(("after",), N_("After the steps"), "ids", N_("rail, reference"), source="step"),
    Field(("pulls",), N_("Pulls the steps"), "ids", N_("dial-low: worked in turn until neither moves"), source="step"),
    Field(("stage",), N_("Stage"), source="stage"),
    Field(("panel",), N_("Front panel"), "panel", "squelch open, volume 30 %", wide=True),
    Field(("way",), N_("Receive or transmit"), "choice", choices=_WAYS),
    Field(("bands",), N_("Bands"), "ids", source="band"), Field(("modes",), N_("Modes"), "ids", "USB, LSB"),
    Field(("source",), N_("Limit comes from"), hint=N_("sheet, regulation, practice")),
    Field(("role",), N_("Role"), "choice", choices=tuple((r, r) for r in ("detector", "detector-coarse", "front-end", "if"))),
    Field(("picture",), N_("Scan of its page"), source="picture"), Field(("illegible",), N_("What cannot be read")),
    Field(("note",), N_("Note"), "long", wide=True),
    Field(("caution",), N_("Cautions, one a line"), "lines", wide=True),
    Field(("id",), N_("Id"), hint=N_("made from the title")),
)  # fmt: skip

ADJUSTER = (
    Field(("id",), N_("Name"), hint="T1"), Field(("kind",), N_("Kind"), "choice", choices=_KINDS),
    Field(("where",), N_("Where"), hint=N_("by the aerial socket"), wide=True),
    Field(("lock",), N_("Locked by"), "choice", choices=(("", N_("nothing")), ("nut", N_("a lock nut")), ("wax", N_("wax")))),
    Field(("tool",), N_("Tool"), hint=N_("ceramic blade")), Field(("stage",), N_("Stage"), source="stage"),
    Field(("turns",), N_("Travel, turns"), "number", "8"), Field(("degrees",), N_("or degrees"), "number", "270"),
    Field(("stops",), N_("End stops"), "choice", choices=(("yes", N_("yes")), ("no", N_("no, it turns endlessly")))),
    Field(("step",), N_("Smallest move, degrees"), "number", "45"),
    Field(("affects",), N_("Affects"), "reach", "rx.*, vco.tuning_voltage (receive)", source="quantity", wide=True),
    Field(("picture",), N_("On picture"), source="picture"), Field(("pin",), N_("Pin, across and down"), "numbers", "0.18, 0.31"),
    Field(("note",), N_("Note"), "long", wide=True),
)  # fmt: skip

TEST_POINT = (
    Field(("id",), N_("Name"), hint="TP3"), Field(("title",), N_("Measured there"), hint=N_("VCO tuning voltage"), wide=True),
    Field(("picture",), N_("On picture"), source="picture"), Field(("pin",), N_("Pin, across and down"), "numbers", "0.52, 0.44"),
)  # fmt: skip
STAGE = (
    Field(("id",), N_("Name"), hint="if"), Field(("title",), N_("Title on the strip"), hint="IF"),
    Field(("way",), N_("Receive or transmit"), "choice", choices=_WAYS),
    Field(("modes",), N_("In these modes alone"), "ids", "am, fm"),
    Field(("after",), N_("After the stages"), "ids", N_("mixer, or an oscillator that feeds it"), source="stage"),
    Field(("inject", "at"), N_("Trace: generator to"), hint=N_("V4 pin 1")),
    Field(("inject", "frequency"), N_("Generator frequency"), hint=N_("the channel’s, or 455 kHz, rx.if1, rx.lo1 + rx.if1")),
    Field(("inject", "coupling"), N_("Coupling"), hint="10 nF"),
    Field(("inject", "level"), N_("Level for standard output"), hint="300 uV"),
    Field(("watch",), N_("Standard output is"), "choice", choices=(("af", N_("AF voltage")), ("s_meter", N_("S9 on the S-meter")))),
    Field(("shows",), N_("This stage is the"), "choice", choices=(("rx.s_meter", N_("S-meter")),)),
    Field(("acts_on",), N_("Acts on the stages"), "ids", N_("those that AGC or squelch holds"), source="stage"),
    Field(("dc",), N_("DC at the point"), hint="220 V"),
    Field(("signal", "at"), N_("Scope or counter to"), hint=N_("VFO output")),
    Field(("signal", "frequency"), N_("Its frequency, or both ends"), "one-or-more", "rx.lo1"),
    Field(("signal", "level"), N_("Its peak level"), hint="1.2 V"),
)  # fmt: skip
CONTROL = (
    Field(("id",), N_("Name"), hint="squelch"), Field(("positions",), N_("Positions"), hint="open, 0..100 %", wide=True),
    Field(("does",), N_("Function, for the owner"), hint=N_("turn it up until the hiss stops"), wide=True),
)  # fmt: skip
OSCILLATOR = (
    Field(("id",), N_("Name"), hint="ref"), Field(("nominal",), N_("Frequency"), hint="10.240 MHz"),
    Field(("trim",), N_("Trimmed by"), source="adjuster"),
    Field(("test_point",), N_("Counted at"), source="test_point"),
)  # fmt: skip
PART = (
    Field(("id",), N_("Name"), hint="C41"), Field(("what",), N_("What it is"), hint="470 µF 16 V", wide=True),
    Field(("value",), N_("What an ohmmeter shows"), hint="2.2 kohm"),
    Field(("where",), N_("Where"), wide=True), Field(("stage",), N_("Stage"), source="stage"),
    Field(("picture",), N_("On picture"), source="picture"), Field(("pin",), N_("Pin, across and down"), "numbers"),
    Field(("affects",), N_("Affects"), "reach", N_("all of its receive or transmit side"), source="quantity", wide=True),
)  # fmt: skip
ACTION = (
    Field(("id",), N_("Name"), hint="recap"), Field(("title",), N_("Action"), hint=N_("Electrolytics replaced"), wide=True),
    Field(("affects",), N_("Affects"), "reach", N_("everything"), source="quantity", wide=True),
)  # fmt: skip
PICTURE = (
    Field(("id",), N_("Name"), hint="top"), Field(("title",), N_("Title"), hint=N_("component side"), wide=True),
    Field(("file",), N_("File"), hint="top.jpg"),
)  # fmt: skip

VOLTAGE = (
    Field(("id",), N_("Name"), hint="TP1"), Field(("title",), N_("Position"), hint=N_("regulated rail"), wide=True),
    Field(("volts",), N_("Voltage (two if the sheet contradicts "
                         "itself)"), "one-or-more", "8.0 V"), Field(("tolerance",), N_("Tolerance"), hint="5 %"),
    Field(("way",), N_("Receive or transmit"), "choice", choices=_WAYS), Field(("mode",), N_("Mode"), hint="SSB"),
    Field(("fed_from",), N_("Fed from"), source="voltage"), Field(("series",), N_("through"), hint="47 ohm"),
    Field(("current",), N_("Current when right"), hint="12 mA"), Field(("source",), N_("Source resistance"), hint="100 kohm"),
    Field(("where",), N_("Where"), hint=N_("emitter of TR8"), wide=True),
    Field(("step",), N_("Read in step"), source="step"), Field(("stage",), N_("Stage"), source="stage"),
    Field(("device",), N_("Valve or transistor"), hint="V4"), Field(("pin",), N_("Pin"), hint="5"),
    Field(("electrode",), N_("Electrode"), "choice", choices=tuple((e, e) for e in (
        "anode", "screen", "grid", "cathode", "collector", "base", "emitter", "drain", "gate", "source", "pin"))),
    Field(("through",), N_("Fed through the parts"), "ids", "R52, L9"), Field(("beside",), N_("Capacitors on it"), "ids", "C61"),
)  # fmt: skip
INSPECT = (
    Field(("title",), N_("What to look at"), hint=N_("dial cord and its springs"), wide=True),
    Field(("how",), N_("How"), "long", wide=True), Field(("on",), N_("On adjusters or parts"), "ids", source="adjuster", wide=True),
    Field(("id",), N_("Name"), hint=N_("made from the title")),
)  # fmt: skip
KNOWN_FAULT = (
    Field(("sign",), N_("Symptom"), hint=N_("squelch never opens"), wide=True), Field(("cause",), N_("Cause"), hint=N_("C52 leaky"), wide=True),
    Field(("cure",), N_("Cure"), hint=N_("fit 4.7 µF 35 V"), wide=True), Field(("part",), N_("Part"), hint="C52"),
        Field(("stage",), N_("Stage"), source="stage"),
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
        raise EntryError(tr("“{quantity_id}” is not a quantity.", quantity_id=quantity_id))
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
