"""The generator of this bench with its pads: what to dial for what must arrive at the set."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from unitone.errors import BenchError
from unitone.quantities.show import microvolts, number
from unitone.words import tr


@dataclass(frozen=True)
class Kit:
    """Generator range and what stands between it and the set.

    ``pads_db`` are fixed pads in line, each counted once. ``generator_knows``
    says that the generator has been told of them and shows the level behind
    them. ``switches_db`` are the switches of a step attenuator, if there is one.
    """

    least_dbm: float = -100.0
    most_dbm: float = 0.0
    resolution_db: float = 0.1
    pads_db: tuple[float, ...] = (40.0,)
    generator_knows: bool = False
    switches_db: tuple[float, ...] = ()
    shows: str = "dBm"

    @property
    def fixed_db(self) -> float:
        """Attenuation of the fixed pads together."""
        return sum(self.pads_db)

    def to_data(self) -> dict[str, Any]:
        """As plain data for the tape."""
        return {
            "least_dbm": self.least_dbm,
            "most_dbm": self.most_dbm,
            "resolution_db": self.resolution_db,
            "pads_db": list(self.pads_db),
            "generator_knows": self.generator_knows,
            "switches_db": list(self.switches_db),
            "shows": self.shows,
        }

    @classmethod
    def from_data(cls, data: dict[str, Any]) -> Kit:
        """From the tape."""
        plain: dict[str, Any] = {k: tuple(v) if isinstance(v, list) else v for k, v in data.items()}
        return cls(**plain)


@dataclass(frozen=True)
class Dial:
    """What to set: the generator's own reading, the switches that are on, and what arrives at the set."""

    dial_dbm: float
    switched_db: tuple[float, ...]
    arrives_dbm: float
    pads_db: float
    words: str = field(compare=False, default="")


def dial(kit: Kit, wanted_dbm: float) -> Dial:
    """What to dial so that ``wanted_dbm`` arrives at the set.

    Tries the fewest switches of the step attenuator first. Raises BenchError
    naming the pads that would help when the generator cannot go there.
    """
    for switched in _combinations(kit.switches_db):
        between = kit.fixed_db + sum(switched)
        output = round((wanted_dbm + between) / kit.resolution_db) * kit.resolution_db
        if kit.least_dbm - 1e-9 <= output <= kit.most_dbm + 1e-9:
            shown = output - kit.fixed_db if kit.generator_knows else output
            setting = Dial(shown, switched, output - between, kit.fixed_db)
            return Dial(shown, switched, setting.arrives_dbm, kit.fixed_db, _words(kit, setting))
    between = kit.fixed_db + sum(kit.switches_db)
    if wanted_dbm + between < kit.least_dbm:
        more = kit.least_dbm - wanted_dbm - between
        raise BenchError(
            tr(
                "The generator cannot go as low as {level}: put at least {more} dB more of pads in line.",
                level=microvolts(wanted_dbm),
                more=number(more, 0),
            )
        )
    raise BenchError(
        tr("The generator cannot reach {level} through {pads} dB of pads: take pads out.", level=microvolts(wanted_dbm),
           pads=number(kit.fixed_db, 0))
    )  # fmt: skip


def _combinations(switches: tuple[float, ...]) -> list[tuple[float, ...]]:
    """All sets of switches, the least attenuation first."""
    sets: set[tuple[float, ...]] = {()}
    for switch in switches:
        sets |= {tuple(sorted((*s, switch))) for s in sets}
    return sorted(sets, key=lambda s: (sum(s), len(s)))


def _words(kit: Kit, setting: Dial) -> str:
    parts = []
    if kit.fixed_db:
        pads = " + ".join(number(p, 0) for p in kit.pads_db)
        told = tr(", already in the generator's display") if kit.generator_knows else ""
        parts.append(tr("with the {pads} dB pad in line{told}", pads=pads, told=told))
    if setting.switched_db:
        parts.append(tr("attenuator switches {on} dB on", on=" + ".join(number(s, 0) for s in setting.switched_db)))
    elif kit.switches_db:
        parts.append(tr("attenuator all off"))
    between = ", ".join(parts) or tr("no pad in line")
    level = microvolts(setting.dial_dbm) if kit.shows == "uV" else f"{number(setting.dial_dbm, 1)} dBm"
    return tr("Dial {level}: {between}, {arrives} at the set.", level=level, between=between,
              arrives=microvolts(setting.arrives_dbm))  # fmt: skip


#: What is connected to what, drawn as a chain, for each hook-up.
HOOK_UPS: dict[str, tuple[str, tuple[str, ...], str]] = {
    "probe": (
        "meter on a test point",
        ("Meter", "Test point"),
        "Set on receive. Nothing else is needed.",
    ),
    "receive": (
        "receive",
        ("Generator", "Pads", "Aerial socket"),
        "Do not key: the generator is on the aerial socket.",
    ),
    "send": (
        "send",
        ("Aerial socket", "Wattmeter", "Dummy load"),
        "Generator off the aerial socket, dummy load rated for the power. RF burns; the load gets hot.",
    ),
}
