"""Is a part a fit substitute for another? Volts, tolerance, dielectric, polarity and watts, one by one.

The rules are common practice of the trade (no source): a substitute is at least as
good as the original in every respect that was stated, and of a kind that can do the
original's work.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass

from unitone.errors import EntryError
from unitone.quantities.entry import parse_si
from unitone.words import tr

#: Words of dielectrics and kinds, with what they are called here.
_DIELECTRICS = {
    "electrolytic": "electrolytic", "elko": "electrolytic", "aluminium": "electrolytic", "tantalum": "tantalum", "film": "film",
    "polyester": "film", "polypropylene": "film", "mylar": "film", "ceramic": "ceramic", "np0": "c0g ceramic", "c0g": "c0g ceramic",
    "x7r": "ceramic", "mica": "mica", "paper": "paper", "polystyrene": "film", "carbon": "carbon", "wirewound": "wirewound",
}  # fmt: skip
_POLAR = frozenset({"electrolytic", "tantalum"})
#: Dielectrics whose value holds still enough for a tuned circuit.
_STEADY = frozenset({"c0g ceramic", "mica", "film"})
#: How far a value may lie from the original's where nothing is stated, per cent.
_USUAL_PCT = {"electrolytic": 100.0, "tantalum": 50.0, "paper": 20.0}


@dataclass(frozen=True)
class Spec:
    """What is stated of a part: value in F, ohm or H with its unit, volts, watts, tolerance (%), dielectric, polarity."""

    value: float | None = None
    unit: str = ""
    volts: float | None = None
    watts: float | None = None
    tolerance_pct: float | None = None
    dielectric: str = ""
    bipolar: bool = False

    @property
    def polar(self) -> bool:
        """Has it a plus and a minus?"""
        return self.dielectric in _POLAR and not self.bipolar


@dataclass(frozen=True)
class Aspect:
    """One respect in which a substitute was looked at: fit (True), unfit (False), and why."""

    name: str
    fits: bool
    why: str


def parse_spec(text: str) -> Spec:
    """``47 µF 16 V 20 % electrolytic``, ``4k7 0.25 W``, in any order. Raises EntryError where nothing in it is a part's value."""
    found: dict[str, float | str | bool | None] = {}
    words = re.sub(r"(?<=\d)\s+(?=[munpkMµμ]?(?:F|V|W|ohm|Ω|H|%)(?:\s|,|$))", "", text.replace(";", " ")).split()
    for raw in words:
        word = raw.strip(",.()").replace("Ω", "ohm")
        low = word.lower().replace("±", "")
        if low in _DIELECTRICS:
            found["dielectric"] = _DIELECTRICS[low]
        elif low in ("bipolar", "non-polar", "nonpolar", "unpolarised"):
            found["bipolar"] = True
        else:
            _number(word.replace("±", ""), found)
    if "value" not in found and not any(k in found for k in ("volts", "watts")):
        raise EntryError.not_understood(text, tr("a part, like 47 uF 25 V electrolytic or 4k7 0.5 W"))
    return Spec(**found)  # type: ignore[arg-type]


def _number(word: str, found: dict[str, float | str | bool | None]) -> None:
    for unit, key in (
        ("F", "value"),
        ("ohm", "value"),
        ("H", "value"),
        ("V", "volts"),
        ("W", "watts"),
        ("%", "tolerance_pct"),
    ):
        if not word.lower().endswith(unit.lower()):
            continue
        try:
            value = parse_si(word, unit)
        except EntryError:
            return
        found[key] = value
        if key == "value":
            found["unit"] = unit
        return
    # 4k7 and 47u: the way parts are marked.
    try:
        value = parse_si(word, "")
    except EntryError:
        return
    if re.search(r"[pnu]", word):
        found.update(value=value, unit="F")
    elif re.search(r"[RkM]", word):
        found.update(value=value, unit="ohm")


def judge_substitute(original: Spec, fitted: Spec) -> tuple[Aspect, ...]:
    """Every respect that both state, with whether the substitute is right in it. Empty where they share none.

    Volts, watts: at least the original's. Tolerance: no wider. Value: within the
    original's tolerance (where not stated: 10 %, electrolytics up to twice the value).
    Dielectric: a steady one may replace any, an electrolytic only another.
    Polarity: a polar part never replaces one that has none.
    """
    out: list[Aspect] = []
    if original.value and fitted.value and original.unit == fitted.unit:
        off = (fitted.value / original.value - 1.0) * 100.0
        above = original.tolerance_pct or _USUAL_PCT.get(original.dielectric, 10.0)
        below = original.tolerance_pct or (20.0 if original.dielectric in _USUAL_PCT else 10.0)
        fits = -below - 1e-9 <= off <= above + 1e-9
        out.append(
            Aspect(
                "value",
                fits,
                tr("the same value") if abs(off) < 0.5 else tr("{off:+.0f} % of the original's value", off=off),
            )
        )
    elif original.value and fitted.value:
        out.append(Aspect("value", False, tr("another kind of part")))
    for name, was, now in (("volts", original.volts, fitted.volts), ("watts", original.watts, fitted.watts)):
        if was and now:
            more = tr("the same") if math.isclose(was, now) else "more" if now > was else "less"
            out.append(
                Aspect(
                    name, now >= was * (1 - 1e-9), f"{now:g} {name[0].upper()} for {was:g} {name[0].upper()}: {more}"
                )
            )
    if original.tolerance_pct and fitted.tolerance_pct:
        fits = fitted.tolerance_pct <= original.tolerance_pct
        out.append(Aspect("tolerance", fits, f"±{fitted.tolerance_pct:g} % for ±{original.tolerance_pct:g} %"))
    if original.dielectric and fitted.dielectric:
        out.append(_dielectric(original, fitted))
    if fitted.dielectric and original.dielectric and fitted.polar != original.polar:
        fits = not fitted.polar
        out.append(
            Aspect(
                "polarity",
                fits,
                tr("no plus and minus: fits either way") if fits else tr("polar where the original is not"),
            )
        )
    return tuple(out)


def _dielectric(original: Spec, fitted: Spec) -> Aspect:
    was, now = original.dielectric, fitted.dielectric
    if was == now:
        return Aspect("dielectric", True, tr("{now}, as it was", now=now))
    if was in _STEADY:
        return Aspect(
            "dielectric",
            now in _STEADY,
            f"{now} for {was}: " + (tr("as steady") if now in _STEADY else tr("drifts, and detunes a circuit")),
        )
    if now == "electrolytic":
        return Aspect(
            "dielectric",
            was == "tantalum",
            f"{now} for {was}: "
            + (tr("more leakage, more ESR: look at the circuit") if was == "tantalum" else "leaks"),
        )
    return Aspect("dielectric", True, tr("{now} for {was}: leaks less", now=now, was=was))


def describe_substitute(aspects: tuple[Aspect, ...]) -> str:
    """One line: what is wrong first, then what is right."""
    wrong, right = [a.why for a in aspects if not a.fits], [a.why for a in aspects if a.fits]
    return (
        "wrong: " + ", ".join(wrong) + ("; right: " if right else "") if wrong else "right: " if right else ""
    ) + ", ".join(right)
