"""A sheet that grows on the bench: an adjuster, a voltage row, a control or a step that was found on the radio itself.

Every function takes a sheet as data and gives new data; nothing is changed in place. What is made this way is a row as a person
would have written it in the editor.
"""

from __future__ import annotations

import re
from typing import Any

from unitone.errors import EntryError
from unitone.quantities.entry import parse_si
from unitone.quantities.registry import quantity
from unitone.sheet.editing.draft import Draft, guess_kind
from unitone.sheet.library import slug
from unitone.sheet.model.limits import limit_from_text, make_limit
from unitone.words import tr

#: An adjuster of a step reaches what the step reads; of a receive circuit everything behind it.
_WIDE = {"rx.": "rx.*", "tx.": "tx.*"}
_ID = re.compile(r"^[A-Za-z0-9][\w.-]{0,23}$")
#: Quantities that one preset changes alone: it moves no other reading.
_ALONE = frozenset(
    {
        "rx.s_meter",
        "tx.deviation",
        "tx.am_depth",
        "tx.bias_current",
        "tx.bias_voltage",
        "tx.meter",
        "vco.tuning_voltage",
    }
)


def _checked(draft: Draft, table: str, identifier: str, what: str) -> str:
    name = identifier.strip()
    if not _ID.match(name):
        raise EntryError.not_understood(
            identifier, tr("a short name of letters and digits, like {example}", example=what)
        )
    if name in draft.ids(table):
        raise EntryError(tr("“{name}” is there already. Choose another name.", name=name))
    return name


def _pinned(row: dict[str, Any], pin: tuple[float, float] | None, picture: str) -> dict[str, Any]:
    if pin is not None:
        row["pin"] = [round(pin[0], 4), round(pin[1], 4)]
        if picture:
            row["picture"] = picture
    return row


def with_adjuster(
    data: dict[str, Any], step_id: str, identifier: str, kind: str = "", where: str = "", affects: tuple[str, ...] = (),
    pin: tuple[float, float] | None = None, picture: str = "",
) -> dict[str, Any]:  # fmt: skip
    """The sheet with one more adjuster at a step. Its kind follows from its name where none is told. Raises EntryError."""
    draft = Draft(data)
    name = _checked(draft, "adjuster", identifier, "T3")
    at = draft.ids("step").index(step_id)
    step = draft.rows("step")[at]
    quantity_id = str(step["quantity"])
    reached = affects or ((quantity_id,) if quantity_id in _ALONE else (_WIDE.get(quantity_id[:3], quantity_id),))
    row: dict[str, Any] = {"id": name, "kind": kind or guess_kind(name), "affects": list(reached)}
    if where.strip():
        row["where"] = where.strip()
    if step.get("stage"):
        row["stage"] = step["stage"]
    draft.add("adjuster", _pinned(row, pin, picture))
    draft.put(("step", at, "adjust"), [*step.get("adjust", []), name])
    if step.get("aim") == "check":
        draft.put(("step", at, "aim"), "set")
    return draft.data


def without_adjuster(data: dict[str, Any], identifier: str) -> dict[str, Any]:
    """The sheet without an adjuster that this radio does not have; a step that is left with none is a check. Raises EntryError."""
    draft = Draft(data)
    if identifier not in draft.ids("adjuster"):
        raise EntryError(tr("The sheet has no adjuster “{name}”.", name=identifier))
    for at, step in enumerate(draft.rows("step")):
        groups = [[a for a in ([g] if isinstance(g, str) else g) if a != identifier] for g in step.get("adjust", [])]
        left: list[Any] = [g[0] if len(g) == 1 else g for g in groups if g]
        if left == step.get("adjust", []):
            continue
        draft.put(("step", at, "adjust"), left or None)
        if not left:
            draft.put(("step", at, "aim"), "check")
    draft.remove("adjuster", [draft.ids("adjuster").index(identifier)])
    return draft.data


def with_voltage(
    data: dict[str, Any], identifier: str, title: str, where: str = "", volts: str = "", tolerance: str = "10 %"
) -> dict[str, Any]:
    """The sheet with one more row of its voltage table; ``volts`` is what is expected, empty where nobody knows. Raises EntryError."""
    draft = Draft(data)
    name = _checked(draft, "voltage", identifier, "v3-anode")
    if volts.strip():
        parse_si(volts.strip(), "V")
    row: dict[str, Any] = {"id": name, "title": title.strip() or name}
    if where.strip():
        row["where"] = where.strip()
    if volts.strip():
        row |= {"volts": volts.strip(), "tolerance": tolerance}
    draft.add("voltage", row)
    return draft.data


def with_control(data: dict[str, Any], identifier: str, positions: str, does: str = "") -> dict[str, Any]:
    """The sheet with one more control of the front panel. Raises EntryError."""
    draft = Draft(data)
    name = identifier.strip()
    if not name:
        raise EntryError(tr("Name the control."))
    if name in draft.ids("control"):
        raise EntryError(tr("“{name}” is there already. Choose another name.", name=name))
    row = {"id": name, "positions": positions.strip() or "off, on"}
    if does.strip():
        row["does"] = does.strip()
    draft.add("control", row)
    return draft.data


def with_pin(
    data: dict[str, Any], table: str, identifier: str, pin: tuple[float, float], picture: str = ""
) -> dict[str, Any]:
    """The sheet with the place of an adjuster, or of a test point (``table``), touched on a picture. Raises EntryError."""
    draft = Draft(data)
    if identifier not in draft.ids(table):
        raise EntryError(tr("The sheet has no adjuster “{name}”.", name=identifier))
    at = draft.ids(table).index(identifier)
    draft.put((table, at, "pin"), [round(pin[0], 4), round(pin[1], 4)])
    if picture:
        draft.put((table, at, "picture"), picture)
    return draft.data


#: Where a step of a quantity belongs, by its first letters.
_PHASE = {
    "supply": "rails",
    "stage": "rails",
    "ref": "synthesiser",
    "osc": "synthesiser",
    "vco": "synthesiser",
    "tx": "transmit",
    "rx": "receive",
}


def with_step(
    data: dict[str, Any], after_id: str, title: str, quantity_id: str, limit: str
) -> tuple[dict[str, Any], str]:
    """The sheet with one more check after a step, on that step's channel and with its stimulus where both read the same side; and its id.

    Raises EntryError for a limit that is none of the quantity.
    """
    draft = Draft(data)
    if not title.strip():
        raise EntryError(tr("Name the step."))
    q = quantity(quantity_id)
    make_limit(limit_from_text(limit), q)
    at = draft.ids("step").index(after_id)
    beside = draft.rows("step")[at]
    side = quantity_id.split(".", maxsplit=1)[0]
    row: dict[str, Any] = {
        "id": draft.free_id("step", slug(title)[:24].strip("-") or "step"), "phase": _PHASE.get(side, "verify"), "title": title.strip(),
        "quantity": quantity_id, "aim": "check", "limit": limit.strip(), "source": "practice",
        "hook_up": {"rx": "receive", "tx": "transmit"}.get(side, "probe"),
    }  # fmt: skip
    if row["hook_up"] == beside.get("hook_up") and row["hook_up"] != "probe":
        row |= {k: beside[k] for k in ("channels", "bands", "modes", "stimulus", "panel", "inject") if k in beside}
    elif row["hook_up"] != "probe":
        alike = next((s for s in draft.rows("step") if s.get("hook_up") == row["hook_up"]), {})
        row |= {k: alike[k] for k in ("channels", "bands", "modes", "stimulus", "panel") if k in alike}
    draft.add("step", row, at)
    return draft.data, str(row["id"])
