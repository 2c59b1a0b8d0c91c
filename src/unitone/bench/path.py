"""The generator of this bench with its pads: what to dial for what must arrive at the set."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from unitone.bench.calibration.arithmetic import leak_bound_db
from unitone.errors import LevelOutOfReach
from unitone.quantities.show import microvolts, number
from unitone.radio.levels import EMF_DB
from unitone.words import N_, tr


@dataclass(frozen=True)
class Kit:
    """Generator range and what stands between it and the set.

    ``pads_db`` are fixed pads in line, each counted once. ``generator_knows``
    says that the generator has been told of them and shows the level behind
    them. ``switches_db`` are the switches of a step attenuator, if there is one.

    What calibrations found: ``pad_errors_db`` what each pad takes more than is marked,
    ``generator_add_db`` what the generator gives more than it shows, ``steps_db`` the same
    by dialled level, (dBm, dB), ``level_u_db`` the standard uncertainty of what arrives (None:
    not known), ``leak_db`` how far under its output the generator leaks round the pads.
    """

    least_dbm: float = -100.0
    most_dbm: float = 0.0
    resolution_db: float = 0.1
    pads_db: tuple[float, ...] = (40.0,)
    generator_knows: bool = False
    switches_db: tuple[float, ...] = ()
    shows: str = "dBm"
    pad_errors_db: tuple[float, ...] = ()
    generator_add_db: float = 0.0
    steps_db: tuple[tuple[float, float], ...] = ()
    level_u_db: float | None = None
    leak_db: float | None = None
    #: What the dummy load is rated for (W); None where nobody has said.
    load_w: float | None = None

    @property
    def fixed_db(self) -> float:
        """Attenuation of the fixed pads together, as far as it is known."""
        return sum(self.pads_db) + sum(self.pad_errors_db)

    def gives(self, dial_dbm: float) -> float:
        """What the generator really gives when it is dialled to ``dial_dbm`` (dBm)."""
        more = self.generator_add_db
        if self.steps_db:
            points = sorted(self.steps_db)
            more += float(np.interp(dial_dbm, [p[0] for p in points], [p[1] for p in points]))
        return dial_dbm + more

    @property
    def corrected(self) -> bool:
        """Does a calibration change what is dialled?"""
        return bool(any(self.pad_errors_db) or self.generator_add_db or self.steps_db)

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
            # What came later is written only where it says something.
            **({"pad_errors_db": list(self.pad_errors_db)} if self.pad_errors_db else {}),
            **({"generator_add_db": self.generator_add_db} if self.generator_add_db else {}),
            **({"steps_db": [list(s) for s in self.steps_db]} if self.steps_db else {}),
            **({"level_u_db": self.level_u_db} if self.level_u_db is not None else {}),
            **({"leak_db": self.leak_db} if self.leak_db is not None else {}),
            **({"load_w": self.load_w} if self.load_w is not None else {}),
        }

    @classmethod
    def from_data(cls, data: dict[str, Any]) -> Kit:
        """From the tape."""
        plain: dict[str, Any] = {k: tuple(v) if isinstance(v, list) else v for k, v in data.items()}
        if "steps_db" in plain:
            plain["steps_db"] = tuple((float(a), float(b)) for a, b in plain["steps_db"])
        return cls(**plain)


@dataclass(frozen=True)
class Dial:
    """What to set: the generator's own reading, the switches that are on, and what arrives at the set.

    ``u_db``: standard uncertainty of what arrives, None where not known. ``caution``: a leak that spoils it.
    """

    dial_dbm: float
    switched_db: tuple[float, ...]
    arrives_dbm: float
    pads_db: float
    words: str = field(compare=False, default="")
    u_db: float | None = field(compare=False, default=None)
    caution: str = field(compare=False, default="")


#: What a generator's dial may be marked in: dBm, PD (into 50 ohm) or EMF (behind 50 ohm, twice the PD).
DIAL_SCALES = ("dBm", "uV", "uV-emf")


def shown_on_dial(kit: Kit, dbm: float) -> str:
    """An output of the generator (dBm into 50 ohm) as its own dial shows it."""
    if kit.shows == "uV":
        return tr("{level} PD", level=microvolts(dbm))
    if kit.shows == "uV-emf":
        return tr("{level} EMF", level=microvolts(dbm + EMF_DB))
    return f"{number(dbm, 1)} dBm"


def dial(kit: Kit, wanted_dbm: float) -> Dial:
    """What to dial so that ``wanted_dbm`` arrives at the set.

    Tries the fewest switches of the step attenuator first. Raises LevelOutOfReach
    naming the pads that would help when the generator cannot go there.
    """
    for switched in _combinations(kit.switches_db):
        between = kit.fixed_db + sum(switched)
        output = _output(kit, wanted_dbm + between)
        if kit.least_dbm - 1e-9 <= output <= kit.most_dbm + 1e-9:
            # The generator was told what is marked on the pads, not what they are.
            shown = output - sum(kit.pads_db) if kit.generator_knows else output
            setting = Dial(shown, switched, kit.gives(output) - between, kit.fixed_db)
            bound = leak_bound_db(setting.arrives_dbm, output - kit.leak_db) if kit.leak_db is not None else 0.0
            # Of a phase that nobody knows: the arcsine distribution, a/√2 (JCGM 100:2008, F.2.3.3).
            u = None if kit.level_u_db is None else math.hypot(kit.level_u_db, bound / math.sqrt(2.0))
            return Dial(
                shown,
                switched,
                setting.arrives_dbm,
                kit.fixed_db,
                _words(kit, setting, u),
                u,
                _describe_leak(kit, bound),
            )
    between = kit.fixed_db + sum(kit.switches_db)
    if wanted_dbm + between < kit.least_dbm:
        more = kit.least_dbm - wanted_dbm - between
        raise LevelOutOfReach(
            tr(
                "The generator cannot go down to {level}. Add at least {more} dB of pads.",
                level=microvolts(wanted_dbm),
                more=number(more, 0),
            )
        )
    raise LevelOutOfReach(
        tr("The generator cannot reach {level} through {pads} dB of pads. Take pads out.", level=microvolts(wanted_dbm),
           pads=number(kit.fixed_db, 0))
    )  # fmt: skip


def _output(kit: Kit, wanted_dbm: float) -> float:
    """What to dial so that the generator gives ``wanted_dbm``, in its own steps; its corrections hardly change over one."""
    dialled = wanted_dbm
    for _ in range(3):
        dialled += wanted_dbm - kit.gives(dialled)
    return round(dialled / kit.resolution_db) * kit.resolution_db


def _describe_leak(kit: Kit, bound_db: float) -> str:
    if bound_db < 0.5:
        return ""
    if bound_db > 6.0:
        return tr(
            "The generator leaks {db} dB below its output: the radio hears the leakage. Move the generator away, "
    "or add pads and dial up.", db=number(kit.leak_db or 0.0, 0),
        )  # fmt: skip
    return tr("The generator's leakage can change this level by {db} dB.", db=number(bound_db, 1))


def _combinations(switches: tuple[float, ...]) -> list[tuple[float, ...]]:
    """All sets of switches, the least attenuation first."""
    sets: set[tuple[float, ...]] = {()}
    for switch in switches:
        sets |= {tuple(sorted((*s, switch))) for s in sets}
    return sorted(sets, key=lambda s: (sum(s), len(s)))


def _words(kit: Kit, setting: Dial, u_db: float | None) -> str:
    parts = []
    if kit.fixed_db:
        pads = " + ".join(number(p, 0) for p in kit.pads_db)
        told = tr(", already in the generator's display") if kit.generator_knows else ""
        parts.append(tr("{pads} dB pad in line{told}", pads=pads, told=told))
    if setting.switched_db:
        parts.append(tr("attenuator switches {on} dB on", on=" + ".join(number(s, 0) for s in setting.switched_db)))
    elif kit.switches_db:
        parts.append(tr("attenuator all off"))
    between = ", ".join(parts) or tr("no pad in line")
    if kit.corrected:
        between += tr(", corrected as My bench found")
    level = shown_on_dial(kit, setting.dial_dbm)
    doubt = "" if u_db is None else tr(" ± {db} dB", db=number(2.0 * u_db, 1))
    return tr("Set the generator to {level}: {between}, {arrives}{doubt} at the radio.", level=level, between=between,
              arrives=microvolts(setting.arrives_dbm), doubt=doubt)  # fmt: skip


#: What is connected to what, drawn as a chain, for each hook-up.
HOOK_UPS: dict[str, tuple[str, tuple[str, ...], str]] = {
    "probe": (
        N_("meter on a test point"),
        (N_("Meter"), N_("Test point")),
        N_("Set on receive. Nothing else is needed."),
    ),
    "receive": (
        N_("receive"),
        (N_("Generator"), N_("Pads"), N_("Aerial socket")),
        N_("Danger to the generator: it is on the aerial socket. Hands off the microphone switch."),
    ),
    "transmit": (
        N_("transmit"),
        (N_("Aerial socket"), N_("Wattmeter"), N_("Dummy load")),
        N_("Generator off the aerial socket, dummy load on. RF burns; the load gets hot."),
    ),
}
