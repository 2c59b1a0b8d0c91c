"""What to look at before anything is turned, by kind of radio (common practice of the trade, no source)."""

from __future__ import annotations

from unitone.sheet.model.sheet import Look, Sheet
from unitone.words import tr

FAMILIES = ("mobile", "handheld", "base", "valve", "portable")
#: Words in a sheet's kind that tell its family where the sheet does not say it.
_TOLD_BY = (
    ("handheld", "handheld"), ("valve", "valve"), ("tube", "valve"), ("portable", "portable"), ("base", "base"),
)  # fmt: skip

_HANDS = tr("Earlier repairs")
_JOINTS = tr("Joints and wires")
_PARTS = tr("Parts")
_POWER = tr("Power")
_MOVES = tr("What moves")

_EVERY = (
    Look("wax", tr("Wax and paint on the cores"), tr("Broken seals, chewed slots, chipped or missing cores: name each one."), group=_HANDS),
    Look("cuts", tr("Cut diodes and tracks"),
         tr("Look along the channel switch and the loop for cut legs, cut tracks, added wires."), group=_HANDS),
    Look("resoldered", tr("Resoldered joints"), tr("Flux, another solder's shine, lifted pads."), group=_HANDS),
    Look("extras", tr("Added parts"), tr("Added switches, boards, sockets; parts of another make or size."), group=_HANDS),
    Look("strands", tr("Wires on their last strand"),
         tr("Every wire to a board pin, the speaker, the sockets: lift it gently."), group=_JOINTS),
    Look("joints", tr("Dry and missing joints"),
         tr("Heavy parts, sockets, coil cans, the regulator: look for rings in the solder."), group=_JOINTS),
    Look("electrolytics", tr("Electrolytics"), tr("Swollen tops, leaked feet, brown glue. Measure a few: Capacitors."), group=_PARTS),
    Look("burnt", tr("Burnt or discoloured parts"), tr("Resistors behind a rail, the polarity diode, round the final."), group=_PARTS),
    Look("controls", tr("Controls and switches cleaned"),
         tr("Pots, channel switch, mode switch, microphone switch. Say when it was done."), group=_MOVES),
    Look("looms", tr("Looms and plugs, flexed"), tr("Meter on a rail or on the sound, flex one at a time."), group=_MOVES),
)  # fmt: skip
_MORE: dict[str, tuple[Look, ...]] = {
    "mobile": (
        Look("lead", tr("Power lead and fuse"), tr("Fuse of the right value, polarity of the plug, no bridged holder."), group=_POWER),
        Look("polarity", tr("Polarity diode"), tr("Shorted by a reversed supply? Its track burnt?"), group=_POWER),
        Look("microphone", tr("Microphone, plug and switch"), tr("Cord at both ends, contacts of the plug, the switch."), group=_MOVES),
    ),
    "handheld": (
        Look("battery", tr("Battery pack"), tr("Leaks, corrosion, each cell under load."), group=_POWER),
        Look("battery-connector", tr("Battery connector and contacts"),
             tr("The connector too, not just the cells: corrosion creeps under the crimp."), group=_POWER),
        Look("hinges", tr("Hinges and case halves"), tr("Loom between the halves flexed under a meter."), group=_MOVES),
        Look("whip", tr("Aerial and loading coil"), tr("Each section makes contact, the coil is whole."), group=_MOVES),
    ),
    "base": (
        Look("mains", tr("Mains lead and earth"), tr("Mains: for a qualified person. Unplugged: lead, clamp, earth, fuse."), group=_POWER),
        Look("microphone", tr("Microphone, plug and switch"), tr("Cord at both ends, contacts of the plug, the switch."), group=_MOVES),
    ),
    "valve": (
        Look("mains", tr("Mains lead, earth, live chassis"),
             tr("High voltage: unplug, bleed and measure capacitors. Live chassis: isolating transformer only."), group=_POWER),
        Look("reservoir", tr("Reservoir and smoothing capacitors"),
             tr("Leaks, bulges. After years unused: bring it up slowly on a lamp limiter."), group=_POWER),
        Look("coupling", tr("Coupling capacitors"), tr("Paper ones to a grid leak: measure the grid voltage."), group=_PARTS),
        Look("valves", tr("Valves and sockets"), tr("Getter, loose caps, tarnished pins, cracked sockets."), group=_PARTS),
        Look("cord", tr("Dial cord and pointer"), tr("Slips, frays, pointer off its mark."), group=_MOVES),
        Look("rubber", tr("Wiring with perished rubber"), tr("Do not bend it: sleeve or replace."), group=_JOINTS),
    ),
    "portable": (
        Look("battery", tr("Battery compartment"), tr("Leaks, springs, a converter plug that breaks contact."), group=_POWER),
        Look("whip", tr("Whip and ferrite rod"), tr("Joint of the whip, cracks of the rod, coils loose on it."), group=_MOVES),
    ),
}  # fmt: skip
#: What usually comes with a radio of each family, offered at intake.
ACCESSORIES: dict[str, tuple[str, ...]] = {
    "mobile": ("microphone", "power lead", "bracket", "manual"), "handheld": ("battery pack", "aerial", "charger", "case"),
    "base": ("microphone", "mains lead", "manual"), "valve": ("mains lead", "back cover", "knobs"),
    "portable": ("aerial", "mains adaptor", "battery cover"),
}  # fmt: skip


def family_of(sheet: Sheet) -> str:
    """The family that a radio is inspected as: what its sheet says, else what its kind says, else mobile."""
    if sheet.family:
        return sheet.family
    kind = sheet.kind.lower()
    return next((family for word, family in _TOLD_BY if word in kind), "mobile")


def inspection(sheet: Sheet) -> tuple[Look, ...]:
    """The inspection list of a radio: what its sheet asks for, then what its kind asks for, group by group."""
    usual = (*_EVERY, *_MORE[family_of(sheet)])
    order = list(dict.fromkeys(x.group for x in (*sheet.looks, *usual)))
    own = {x.id for x in sheet.looks}
    chosen = [*sheet.looks, *(x for x in usual if x.id not in own)]
    return tuple(sorted(chosen, key=lambda x: order.index(x.group)))
