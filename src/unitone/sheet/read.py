"""Reading and checking a sheet: file, line, key, and the cure for whatever is wrong."""

from __future__ import annotations

import re
import tomllib
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path

from pydantic import ValidationError

from unitone.errors import EntryError, SheetError, UnitoneError
from unitone.quantities.entry import EXPECTED, parse_entry, parse_si
from unitone.quantities.registry import QUANTITIES, Quantity
from unitone.radio.channels import plan
from unitone.radio.levels import canonical, parse_level
from unitone.radio.mixing import coefficient
from unitone.sheet import file as form
from unitone.sheet.lines import Place, key_lines, line_of
from unitone.sheet.model import (
    EIGHTH,
    TURN,
    Adjuster,
    AdjusterKind,
    Conditions,
    Limit,
    Mixing,
    Oscillator,
    Reach,
    Sheet,
    Stage,
    Step,
    TestPoint,
    Way,
)

FORMAT = "unitone-sheet/1"
#: The smallest sensible move of each kind of adjuster, in millidegrees.
DEFAULT_STEP: dict[AdjusterKind, int] = {
    "core": EIGHTH, "trimmer": 2_000, "preset": 2_500, "link": TURN, "part": TURN,
}  # fmt: skip
DEFAULT_TRAVEL: dict[AdjusterKind, int] = {
    "core": 8 * TURN, "trimmer": TURN, "preset": 270_000, "link": TURN, "part": TURN,
}  # fmt: skip
MAX_BYTES = 4_000_000


@dataclass
class _Reader:
    """Collects problems while a sheet is put together; every problem carries its place."""

    name: str
    places: dict[Place, int]
    problems: list[tuple[int, str]] = field(default_factory=list)

    def complain(self, place: Place, text: str) -> None:
        keys = [str(p) for p in place if not isinstance(p, int)]
        self.problems.append((line_of(self.places, place), f"{'.'.join(keys) or 'file'}: {text}"))

    def finish(self) -> None:
        if self.problems:
            raise SheetError([f"{self.name}:{line}: {text}" for line, text in sorted(self.problems)])


def read_sheet(path: Path) -> Sheet:
    """Read and check the sheet in ``path``. Raises SheetError with every problem found."""
    try:
        if path.stat().st_size > MAX_BYTES:
            raise SheetError([f"{path}:1: file: larger than 4 MB. A sheet is a small text file; check the name."])
        text = path.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        reason = "not UTF-8 text" if isinstance(error, UnicodeDecodeError) else error.strerror
        raise SheetError([f"{path}:1: file: cannot be read ({reason}). Check the name and its permissions."]) from None
    return parse_sheet(text, str(path), path.stem)


def parse_sheet(text: str, name: str, identifier: str) -> Sheet:
    """The sheet written in ``text``; ``name`` stands in messages. Raises SheetError."""
    try:
        raw = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        found = re.search(r"at line (\d+)", str(error))
        line = found[1] if found else str(max(len(text.splitlines()), 1))
        raise SheetError([f"{name}:{line}: file: no valid TOML ({error}). Mend that line."]) from None
    except (RecursionError, ValueError):
        raise SheetError([f"{name}:1: file: nested too deeply to be a sheet."]) from None
    reader = _Reader(name, key_lines(text))
    given = raw.get("format")
    if given != FORMAT:
        newer = isinstance(given, str) and given.startswith("unitone-sheet/")
        cure = "It needs a newer Unitone." if newer else f'Write format = "{FORMAT}" at the top.'
        reader.complain(("format",), f"{given!r} is not {FORMAT!r}. {cure}")
        reader.finish()
    try:
        written = form.SheetFile.model_validate(raw)
    except ValidationError as error:
        for problem in error.errors():
            place = tuple(p for p in problem["loc"] if p not in ("str", "ReachPart", "list[str]"))
            reader.complain(place, _cure(problem["type"], problem["msg"], problem.get("input")))
        reader.finish()
        raise
    return _build(written, reader, identifier, text)


def _cure(kind: str, message: str, given: object) -> str:
    if kind == "extra_forbidden":
        return "this key is not known here. Remove it or check its spelling."
    if kind == "missing":
        return "is missing. Add it."
    shown = repr(given)
    return f"{message.removeprefix('Value error, ')} (found {shown if len(shown) < 60 else shown[:57] + '…'})."


def _build(w: form.SheetFile, reader: _Reader, identifier: str, text: str) -> Sheet:
    try:
        channels = plan(w.channels.plan)
    except UnitoneError as error:
        reader.complain(("channels", "plan"), str(error))
        reader.finish()
        raise
    _unique(reader, "adjuster", [a.id for a in w.adjuster])
    _unique(reader, "test_point", [p.id for p in w.test_point])
    _unique(reader, "stage", [s.id for s in w.stage])
    _unique(reader, "step", [s.id for s in w.step])
    sheet = Sheet(
        id=identifier,
        maker=w.model.maker,
        name=w.model.name,
        kind=w.model.kind,
        supply=w.model.supply,
        plan=channels,
        oscillators=tuple(_oscillator(reader, i, o, w) for i, o in enumerate(w.oscillator)),
        mixing=tuple(_mixing(reader, i, m, w) for i, m in enumerate(w.mixing)),
        controls=tuple((c.id, c.positions) for c in w.control),
        schools=tuple(w.schools.items()),
        adjusters=tuple(_adjuster(reader, i, a, w) for i, a in enumerate(w.adjuster)),
        test_points=tuple(TestPoint(p.id, p.title, _pin(p.pin)) for p in w.test_point),
        stages=tuple(Stage(s.id, s.title, s.way) for s in w.stage),
        steps=tuple(s for i, part in enumerate(w.step) if (s := _step(reader, i, part, w)) is not None),
        board=w.model.board,
        cautions=tuple(w.model.caution),
        source_text=text,
    )
    _order(reader, w)
    for i, step in enumerate(w.step):
        for channel in [*step.channels, *([step.set_channel] if step.set_channel else [])]:
            if channel not in channels.names:
                reader.complain(
                    ("step", i, "channels"), f"plan {channels.id} has no channel {channel!r}. Name one of its channels."
                )
    reader.finish()
    return sheet


def _unique(reader: _Reader, table: str, identifiers: list[str]) -> None:
    seen: set[str] = set()
    for i, identifier in enumerate(identifiers):
        if identifier in seen:
            reader.complain((table, i, "id"), f"{identifier!r} stands twice. Give each {table} an id of its own.")
        seen.add(identifier)


def _pin(pin: list[float] | None) -> tuple[float, float] | None:
    return None if pin is None else (pin[0], pin[1])


def _number(reader: _Reader, place: Place, text: str, unit: str) -> float:
    try:
        return parse_si(text, unit)
    except EntryError as error:
        reader.complain(place, str(error))
        return 0.0


def _oscillator(reader: _Reader, i: int, o: form.OscillatorPart, w: form.SheetFile) -> Oscillator:
    if o.trim is not None and o.trim not in {a.id for a in w.adjuster}:
        reader.complain(("oscillator", i, "trim"), f"no adjuster {o.trim!r}. Add it or name another.")
    return Oscillator(o.id, _number(reader, ("oscillator", i, "nominal"), o.nominal, "Hz"), o.trim)


def _mixing(reader: _Reader, i: int, m: form.MixingPart, w: form.SheetFile) -> Mixing:
    known = {o.id for o in w.oscillator}
    for name, term in m.terms.items():
        if name not in known:
            reader.complain(("mixing", i, "terms"), f"no oscillator {name!r}. Add it or name another.")
        try:
            coefficient(term, 1)
        except UnitoneError as error:
            reader.complain(("mixing", i, "terms"), str(error))
    offset = _number(reader, ("mixing", i, "offset"), m.offset, "Hz")
    raster = _number(reader, ("mixing", i, "raster"), m.raster, "Hz")
    if raster <= 0:
        reader.complain(("mixing", i, "raster"), "must be above nought, like 2.5 kHz.")
        raster = 1.0
    return Mixing(m.output, m.when.way, tuple(m.terms.items()), round(offset), Fraction(raster).limit_denominator(1000))


def _adjuster(reader: _Reader, i: int, a: form.AdjusterPart, w: form.SheetFile) -> Adjuster:
    travel = DEFAULT_TRAVEL[a.kind]
    if a.turns is not None:
        travel = round(a.turns * TURN)
    if a.degrees is not None:
        travel = round(a.degrees * 1000)
    step = DEFAULT_STEP[a.kind] if a.step is None else round(a.step * 1000)
    if travel <= 0 or step <= 0 or step > travel:
        reader.complain(("adjuster", i), f"{a.id}: travel and step must be above nought, the step within the travel.")
    reaches: list[Reach] = []
    for r in a.reaches:
        reach = Reach(r) if isinstance(r, str) else Reach(r.quantity, r.way, r.channel)
        if not any(reach.covers(q, "either", None) for q in QUANTITIES):
            reader.complain(
                ("adjuster", i, "reaches"),
                f"{reach.pattern!r} is no quantity. Use one of {', '.join(sorted(QUANTITIES))}, or a prefix like rx.*.",
            )
        reaches.append(reach)
    if a.stage and a.stage not in {s.id for s in w.stage}:
        reader.complain(("adjuster", i, "stage"), f"no stage {a.stage!r}. Add it or name another.")
    stops = a.kind != "trimmer" if a.stops is None else a.stops
    return Adjuster(a.id, a.kind, a.where, _pin(a.pin), a.tool, travel, stops, step, tuple(reaches), a.stage, a.note)


def _step(reader: _Reader, i: int, s: form.StepPart, w: form.SheetFile) -> Step | None:
    if s.quantity not in QUANTITIES:
        reader.complain(
            ("step", i, "quantity"), f"{s.quantity!r} is no quantity. Use one of {', '.join(sorted(QUANTITIES))}."
        )
        return None
    q = QUANTITIES[s.quantity]
    known = {a.id for a in w.adjuster}
    groups = tuple((g,) if isinstance(g, str) else tuple(g) for g in s.adjust)
    for name in (name for group in groups for name in group):
        if name not in known:
            reader.complain(("step", i, "adjust"), f"no adjuster {name!r}. Add an [[adjuster]] with that id.")
    if any(len(group) not in (1, 2) for group in groups):
        reader.complain(("step", i, "adjust"), "a coupled pair names two adjusters.")
    if s.stage and s.stage not in {x.id for x in w.stage}:
        reader.complain(("step", i, "stage"), f"no stage {s.stage!r}. Add a [[stage]] with that id.")
    if s.test_point is not None and s.test_point not in {p.id for p in w.test_point}:
        reader.complain(
            ("step", i, "test_point"), f"no test point {s.test_point!r}. Add a [[test_point]] with that id."
        )
    for control in s.panel:
        if control not in {c.id for c in w.control}:
            reader.complain(("step", i, "panel"), f"no control {control!r}. Add a [[control]] with that id.")
    way: Way = s.way or ("send" if s.hook_up == "send" else "receive" if s.hook_up == "receive" else "either")
    if (q.way == "send" and s.hook_up != "send") or (way == "send" and s.hook_up != "send"):
        reader.complain(("step", i, "hook_up"), f'{s.quantity} is measured while sending: hook_up = "send".')
    limit = _limit(reader, i, s, q)
    target = _value(reader, ("step", i, "target"), s.target, q) if s.target is not None else None
    if s.set_channel is not None and s.set_channel not in s.channels:
        reader.complain(
            ("step", i, "set_channel"), f"{s.set_channel!r} is not among the step's channels. Add it there."
        )
    if s.aim in ("peak", "null") and q.hill_slope == 0:
        reader.complain(("step", i, "aim"), f'{q.title} has no peak. Use aim = "set" or "check".')
    if s.aim != "check" and not groups:
        reader.complain(("step", i, "adjust"), f'aim = "{s.aim}" needs an adjuster. Name one or use aim = "check".')
    return Step(
        s.id, s.phase, s.title, s.quantity, s.aim, groups, _required(reader, i, s, way, q), limit, s.source, s.hook_up,
        target, s.set_channel, s.stage, tuple(s.after), tuple(s.caution), s.note,
    )  # fmt: skip


def _required(reader: _Reader, i: int, s: form.StepPart, way: Way, q: Quantity) -> tuple[Conditions, ...]:
    stimulus, place = s.stimulus, ("step", i, "stimulus")

    def optional(text: str | None, unit: str) -> float | None:
        return None if text is None else _number(reader, place, text, unit)

    level = None
    if stimulus.level is not None:
        try:
            level = parse_level(stimulus.level)
        except EntryError as error:
            reader.complain(place, str(error))
    elif q.id in ("rx.sinad", "rx.distortion", "rx.s_meter"):
        reader.complain(place, f'{q.title} depends on the level: stimulus = {{ level = "0.3 uV", … }}.')
    microphone = optional(stimulus.microphone, "V")
    common = Conditions(
        way=way,
        test_point=s.test_point,
        level_dbm=level,
        tone_hz=optional(stimulus.tone, "Hz"),
        deviation_hz=optional(stimulus.deviation, "Hz"),
        mic_mv=None if microphone is None else microphone * 1e3,
        panel=tuple(sorted(s.panel.items())),
    )
    if not s.channels:
        return (common,)
    return tuple(Conditions(**{**common.__dict__, "channel": channel}) for channel in s.channels)


def _value(reader: _Reader, place: Place, text: str, q: Quantity) -> float:
    try:
        typed = parse_entry(text, q.kind)
        if typed.value is None or typed.bound:
            raise EntryError.not_understood(text, EXPECTED[q.kind])
        return canonical(typed, q)
    except EntryError as error:
        reader.complain(place, str(error))
        return 0.0


def _limit(reader: _Reader, i: int, s: form.StepPart, q: Quantity) -> Limit:
    place: Place = ("step", i, "limit")
    given = s.limit
    low = None if given.min is None else _value(reader, place, given.min, q)
    high = None if given.max is None else _value(reader, place, given.max, q)
    nominal = None if given.nominal is None else _value(reader, place, given.nominal, q)
    if given.tolerance is not None:
        if nominal is None:
            reader.complain(place, "a tolerance needs a nominal. Add one.")
        else:
            below, above = _tolerance(reader, place, given.tolerance, nominal, q)
            low = nominal - below if low is None else low
            high = nominal + above if high is None else high
    if low is None and high is None:
        reader.complain(place, "has no end. Give min, max, or nominal with a tolerance.")
    if low is not None and high is not None and low > high:
        reader.complain(place, "min lies above max. Exchange them.")
    return Limit(low, high, nominal)


def _tolerance(reader: _Reader, place: Place, text: str, nominal: float, q: Quantity) -> tuple[float, float]:
    plain = text.strip().lstrip("±").strip()
    unit = {"volts": "V", "amps": "A", "watts": "W", "hertz": "Hz", "hertz-error": "Hz"}.get(q.kind, "dB")
    match = re.match(r"^([\d.,]+)\s*(%|ppm|dB)$", plain)
    try:
        if match is not None:
            size = parse_si(match[1], "")
            if match[2] == "%":
                return abs(nominal) * size / 100.0, abs(nominal) * size / 100.0
            if match[2] == "ppm":
                return abs(nominal) * size * 1e-6, abs(nominal) * size * 1e-6
            if q.kind == "watts":
                return nominal * (1 - 10 ** (-size / 10)), nominal * (10 ** (size / 10) - 1)
            if q.kind in ("level", "ratio-db", "s-units"):
                return size, size
            raise EntryError.wrong_unit(text, "dB", f"{unit}, % or ppm")
        size = parse_si(plain, unit)
    except EntryError as error:
        reader.complain(place, str(error))
        return 0.0, 0.0
    return size, size


def _order(reader: _Reader, w: form.SheetFile) -> None:
    """``after`` names steps that exist and never goes round in a circle."""
    after = {s.id: s.after for s in w.step}
    for i, s in enumerate(w.step):
        for name in s.after:
            if name not in after:
                reader.complain(("step", i, "after"), f"no step {name!r}. Name a step of this sheet.")
    state: dict[str, int] = {}
    for i, s in enumerate(w.step):
        stack = [(s.id, iter(after.get(s.id, [])))] if s.id not in state else []
        state.setdefault(s.id, 1)
        while stack:
            name, rest = stack[-1]
            following = next((n for n in rest if n in after), None)
            if following is None:
                state[name] = 2
                stack.pop()
            elif state.get(following) == 1:
                reader.complain(("step", i, "after"), f"{following!r} comes after itself. Break the circle.")
                return
            elif following not in state:
                state[following] = 1
                stack.append((following, iter(after[following])))
