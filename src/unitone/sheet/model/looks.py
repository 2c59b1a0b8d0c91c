"""What to look at before anything is turned, by kind of radio (common practice of the trade, no source)."""

from __future__ import annotations

from unitone.sheet.model.sheet import Look, Sheet
from unitone.words import N_

FAMILIES = (N_("mobile"), N_("handheld"), N_("base"), N_("valve"), N_("portable"))
#: Words in a sheet's kind that tell its family where the sheet does not say it.
_TOLD_BY = (
    ("handheld", "handheld"), ("valve", "valve"), ("tube", "valve"), ("portable", "portable"), ("base", "base"),
)  # fmt: skip

_HANDS = N_("Earlier repairs")
_JOINTS = N_("Joints and wires")
_PARTS = N_("Parts")
_POWER = N_("Power")
_MOVES = N_("What moves")

_EVERY = (
    Look("wax", N_("Wax and paint on the cores"), N_("Broken seals, chewed slots, chipped or missing cores: name each one."), group=_HANDS),
    Look("cuts", N_("Cut diodes and tracks"),
         N_("Look along the channel switch and the loop for cut legs, cut tracks, added wires."), group=_HANDS),
    Look("resoldered", N_("Resoldered joints"), N_("Flux, another solder's shine, lifted pads."), group=_HANDS),
    Look("extras", N_("Added parts"), N_("Added switches, boards, sockets; parts of another make or size."), group=_HANDS),
    Look("strands", N_("Wires on their last strand"),
         N_("Every wire to a board pin, the speaker, the sockets: lift it gently."), group=_JOINTS),
    Look("joints", N_("Dry and missing joints"),
         N_("Heavy parts, sockets, coil cans, the regulator: look for rings in the solder."), group=_JOINTS),
    Look("electrolytics", N_("Electrolytics"), N_("Swollen tops, leaked feet, brown glue. Measure a few: Capacitors."), group=_PARTS),
    Look("burnt", N_("Burnt or discoloured parts"), N_("Resistors behind a rail, the polarity diode, round the final."), group=_PARTS),
    Look("controls", N_("Controls and switches cleaned"),
         N_("Pots, channel switch, mode switch, microphone switch. Say when it was done."), group=_MOVES),
    Look("looms", N_("Looms and plugs, flexed"), N_("Meter on a rail or on the sound, flex one at a time."), group=_MOVES),
)  # fmt: skip
#: The dial's mechanics come before its coils: no core makes up for a pointer that is off.
_DIAL = (
    Look("gang", N_("Tuning gang and drive"),
         N_("Full travel from stop to stop, no plates that touch. Split gears spring back: they are preloaded."), group=_MOVES),
    Look("cord", N_("Dial cord and pointer"),
         N_("Slips, frays. Gang fully closed: the pointer stands on its mark."), group=_MOVES),
)  # fmt: skip
_MORE: dict[str, tuple[Look, ...]] = {
    "mobile": (
        Look("lead", N_("Power lead and fuse"), N_("Fuse of the right value, polarity of the plug, no bridged holder."), group=_POWER),
        Look("polarity", N_("Polarity diode"), N_("Shorted by a reversed supply? Its track burnt?"), group=_POWER),
        Look("microphone", N_("Microphone, plug and switch"), N_("Cord at both ends, contacts of the plug, the switch."), group=_MOVES),
    ),
    "handheld": (
        Look("battery", N_("Battery pack"), N_("Leaks, corrosion, each cell under load."), group=_POWER),
        Look("battery-connector", N_("Battery connector and contacts"),
             N_("The connector too, not just the cells: corrosion creeps under the crimp."), group=_POWER),
        Look("hinges", N_("Hinges and case halves"), N_("Loom between the halves flexed under a meter."), group=_MOVES),
        Look("whip", N_("Aerial and loading coil"), N_("Each section makes contact, the coil is whole."), group=_MOVES),
    ),
    "base": (
        Look("mains", N_("Mains lead and earth"), N_("Mains: for a qualified person. Unplugged: lead, clamp, earth, fuse."), group=_POWER),
        Look("microphone", N_("Microphone, plug and switch"), N_("Cord at both ends, contacts of the plug, the switch."), group=_MOVES),
    ),
    "valve": (
        Look("mains", N_("Mains lead, earth, live chassis"),
             N_("High voltage: unplug, bleed and measure capacitors. Live chassis: isolating transformer only."), group=_POWER),
        Look("reservoir", N_("Reservoir and smoothing capacitors"),
             N_("Leaks, bulges. After years unused: bring it up slowly on a lamp limiter."), group=_POWER),
        Look("coupling", N_("Coupling capacitors"), N_("Paper ones to a grid leak: measure the grid voltage."), group=_PARTS),
        Look("valves", N_("Valves and sockets"), N_("Getter, loose caps, tarnished pins, cracked sockets."), group=_PARTS),
        *_DIAL,
        Look("rubber", N_("Wiring with perished rubber"), N_("Do not bend it: sleeve or replace."), group=_JOINTS),
    ),
    "portable": (
        Look("battery", N_("Battery compartment"), N_("Leaks, springs, a converter plug that breaks contact."), group=_POWER),
        Look("whip", N_("Whip and ferrite rod"), N_("Joint of the whip, cracks of the rod, coils loose on it."), group=_MOVES),
        *_DIAL,
    ),
}  # fmt: skip
#: What usually comes with a radio of each family, offered at intake.
ACCESSORIES: dict[str, tuple[str, ...]] = {
    "mobile": (N_("microphone"), N_("power lead"), N_("bracket"), N_("manual")), "handheld": (N_("battery pack"), N_("aerial"), N_("charger"),
    N_("case")),
    "base": (N_("microphone"), N_("mains lead"), N_("manual")), "valve": (N_("mains lead"), N_("back cover"), N_("knobs")),
    "portable": (N_("aerial"), N_("mains adaptor"), N_("battery cover")),
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
