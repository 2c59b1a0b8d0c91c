"""The front panel in words: a control's name and its position in the language in use.

A sheet names its controls itself. Those that every radio has, and the positions that the
simulated front panel knows, are terms of the trade and are translated; any other word is
shown as the sheet has it.
"""

from __future__ import annotations

import re

from unitone.words import N_, tr

_TERMS = {
    x.lower(): x
    for x in (
        N_("squelch"), N_("volume"), N_("RF gain"), N_("mode"), N_("band"), N_("channel"), N_("clarifier"), N_("fine tuning"),
        N_("noise blanker"), N_("blanker"), N_("processor"), N_("whip"), N_("microphone switch"), N_("microphone gain"), N_("PA switch"),
        N_("open"), N_("just closed"), N_("automatic"), N_("in"), N_("out"), N_("on"), N_("off"), N_("listen"), N_("talk"), N_("fully up"),
        N_("fully down"),
    )
}  # fmt: skip


def control_words(name: str) -> str:
    """A control's name: ``squelch`` as ``Rauschsperre``."""
    term = _TERMS.get(name.lower())
    return tr(term) if term else name


def position_words(position: str) -> str:
    """A position, or several with commas between: ``open, 0..100 %`` as ``offen, 0..100 %``."""
    return "".join(p if p in (", ", ",") else control_words(p) for p in re.split(r"(,\s?)", position))


def knob_words(name: str, position: str) -> str:
    """A control and where it stands: ``volume 30 %``."""
    return f"{control_words(name)} {position_words(position)}"
