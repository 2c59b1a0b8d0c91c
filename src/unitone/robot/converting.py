"""Conversions asked of simulated radios: is each channel right to the hertz once the sheet is changed so, and was the lock foretold right?

The VCO is read on the radio as it is found. Each plan is then carried out on the sheet's text (crystals exchanged, bands moved), which
is read and checked anew; the truth of the lock is the radio's own coil and varactor, its core turned as the plan said.
"""

from __future__ import annotations

import time
from dataclasses import dataclass
from typing import Any

import numpy as np

from unitone.align.frequency.vco_readings import apart
from unitone.conversions.convert import Conversion, coil_reach, convert
from unitone.conversions.ways import Crystal, Plan
from unitone.errors import SheetError
from unitone.radio.vco import control_volts
from unitone.radio.vcofit import Law, fit
from unitone.robot._carrying_out import NEAR_HZ, CarriedOut, carry_out, exchanged
from unitone.robot.many import many, simulated
from unitone.sheet.model.mixing_model import Place, outputs, vco_hz
from unitone.sheet.model.sheet import Conditions, Sheet
from unitone.simulator.physics import PhysicsFile
from unitone.simulator.radio import SimulatedRadio
from unitone.simulator.simulated_bench import SimulatedBench


@dataclass(frozen=True)
class Converted:
    """One conversion: what was asked, channels wanted and reached, those that came out off frequency, what was foretold of the lock and
    what is true."""

    seed: int
    want: str
    wanted: int
    reached: int
    off: int
    foretold: str
    locks: bool
    #: Do the coils reach, as the plan says; and what came of carrying it out (None: something was named that stands against it).
    coils: str
    carried: CarriedOut | None

    @property
    def right(self) -> bool:
        """Every channel on frequency, the lock foretold right or left open, and what was carried out is on frequency, locks and is in spec."""
        told = self.foretold == "too close" or (self.foretold == "yes") == self.locks
        done = self.carried is None or (
            self.carried.worst_hz <= NEAR_HZ and self.carried.locked and not self.carried.out
        )
        return self.off == 0 and told and done


def some_wish(rng: np.random.Generator) -> str:
    """Something that people ask for: bands above or below, alphas, a shift, another plan, a few single channels."""
    kind = int(rng.integers(6))
    if kind == 0:
        return "alphas"
    if kind == 1:
        return f"{rng.choice([-10, -5, 5, 10]):+d} kHz"
    if kind == 2:
        return "uk-40"
    low = 18.0 + 0.005 * int(rng.integers(0, 4000))
    if kind == 3:
        return f"{low:.3f}; {low + 0.35:.3f}"
    return f"{low:.3f}..{low + 0.45:.3f} step 0.01"


def read_law(sheet: Sheet, physics: PhysicsFile, seed: int) -> tuple[SimulatedRadio, Law, float]:
    """A radio as it is found, its VCO's law from the tuning voltage at both ends of every band, and its rail over nominal.

    Raises UnitoneError where too few lock.
    """
    radio = SimulatedRadio(sheet, physics, seed)
    bench = SimulatedBench(radio)
    points: dict[float, float] = {}
    mode = next((m.mode for m in sheet.mixing if m.mode and m.mode.lower() in ("am", "fm")), None)
    bands: list[str | None] = [name for name, _ in sheet.plan.bands] or [None]
    point = next(s.setting.test_point for s in sheet.steps if s.quantity_id == "vco.tuning_voltage")
    for band in bands:
        for channel in (sheet.plan.names[0], sheet.plan.names[-1]):
            at = Conditions("receive", channel, point, band=band, mode=mode)
            hz = vco_hz(sheet, at)
            if hz is not None and radio.locked(Place("receive", band, mode, channel)):
                value = bench.measure("vco.tuning_voltage", at).value
                if value is not None:
                    points[hz] = value
    rail = next((s for s in sheet.steps if s.quantity_id == "supply.rail"), None)
    read = None if rail is None else bench.measure("supply.rail", rail.setting).value
    share = read / rail.limit.middle if rail is not None and read else 1.0
    return radio, fit(apart(points.items())), share


def off_frequency(conversion: Conversion, plan: Plan) -> int:
    """How many reached channels are not what was wanted, once the sheet is changed as the plan says."""
    sheet, wrong = conversion.synthesiser.sheet, 0
    mode = conversion.synthesiser.mode
    changed: dict[tuple[Crystal, str | None], Sheet] = {}
    for r in plan.reached:
        if r.crystal is not None:
            key = (r.crystal, r.band)
            if key not in changed:
                shift = r.wanted.hz - sheet.carrier_hz(r.shown, r.band)
                changed[key] = exchanged(sheet, {r.band: (r.crystal, shift)})
            made = outputs(changed[key], Place("transmit", r.band, mode, r.shown))
            hz = float(next(m.hz for m in made if m.output == "tx.carrier"))
        else:
            # Beside a channel of the plan: N counts on from there by the radio's own step.
            name = r.shown or sheet.plan.names[0]
            n = conversion.synthesiser.n_of_channel(name, r.band)
            two = [conversion.synthesiser.n_of_channel(x, r.band) for x in sheet.plan.names[:2]]
            assert n is not None and two[0] is not None and two[1] is not None
            step = (sheet.carrier_hz(sheet.plan.names[1], r.band) - sheet.carrier_hz(sheet.plan.names[0], r.band)) / (
                two[1] - two[0]
            )
            hz = sheet.carrier_hz(name, r.band) + step * (r.n - n)
        wrong += abs(hz - r.wanted.hz) > 0.5
    return wrong


def truly_locks(radio: SimulatedRadio, plan: Plan) -> bool:
    """Do all channels, wanted and there before, lock on this radio, its core turned as the plan says? By its own coil and varactor."""
    vco = radio.physics.vco["transmit"]
    henry = (
        vco.inductance * (1.0 + vco.per_turn * radio.mechanics.off(vco.adjuster)) * (1.0 + (plan.locks.turned or 0.0))
    )
    top = vco.highest * radio.rail_share()
    volts = [
        control_volts(hz, henry, vco.fixed, vco.varactor, vco.phi, vco.gamma)
        for hz in (*plan.vco_hz, *(x for _, x, _ in plan.kept))
    ]
    if vco.mirror is not None:
        volts = [vco.mirror - v for v in volts]
    return all(vco.lowest < v < top for v in volts)


def run_conversion(sheet_name: str, seed: int) -> Converted:
    """One conversion on the radio of a seed. Raises SheetError for a sheet without its synthesiser."""
    _, sheet, physics = simulated(sheet_name)
    rng = np.random.default_rng(np.random.SeedSequence([seed, 26]))
    want = some_wish(rng)
    radio, law, share = read_law(sheet, physics, seed)
    conversion = convert(sheet, want, law, share)
    plan = conversion.best
    reach = coil_reach(conversion, plan)
    possible = plan.lock == "yes" and reach == "reach" and not plan.missing
    return Converted(
        seed, want, len(conversion.wanted), len(plan.reached), off_frequency(conversion, plan), plan.lock, truly_locks(radio, plan), reach,
        carry_out(sheet_name, conversion, plan, seed) if possible else None,
    )  # fmt: skip


def _one(arguments: tuple[str, int]) -> Converted:
    return run_conversion(*arguments)


def run_convert_trial(sheet: str, sets: int, seed: int = 1, workers: int = 1) -> dict[str, Any]:
    """The report of ``./unitone robot SHEET --task convert``. Raises SheetError for a sheet without synthesiser or VCO."""
    path, written, physics = simulated(sheet)
    if not written.plls or "transmit" not in physics.vco:
        raise SheetError([f"{path}:1: pll: no synthesiser and VCO are described, so nothing can be converted."])
    started = time.monotonic()
    found = many(_one, [(sheet, s) for s in range(seed, seed + sets)], workers)
    told = [r for r in found if r.foretold != "too close"]
    carried = [r.carried for r in found if r.carried is not None]
    return {
        "task": "convert", "sheet": path.stem, "sets": sets, "seed": seed,
        "recovered": sum(r.right and r.reached == r.wanted for r in found),
        "locks_right": round(sum((r.foretold == "yes") == r.locks for r in told) / max(len(told), 1), 4),
        "too_close": round(1.0 - len(told) / len(found), 4),
        "off_frequency": sum(r.off for r in found), "not_reached": sum(r.wanted - r.reached for r in found),
        "truly_unlocked": sum(not r.locks for r in found),
        "carried_out": len(carried), "named_before": len(found) - len(carried), "error": _spread([c.worst_hz for c in carried]),
        "in_spec": sum(c.locked and not c.out for c in carried),
        "own_limit": sum(bool(c.own_limit) for c in carried),
        "problems": [
            {
                "seed": r.seed, "want": r.want, "reached": r.reached, "wanted": r.wanted, "off": r.off, "foretold": r.foretold, "locks": r.locks,
                "coils": r.coils, "left_hz": None if r.carried is None else round(r.carried.worst_hz, 1),
                "out": [] if r.carried is None else list(r.carried.out),
            }
            for r in found if not (r.right and r.reached == r.wanted)
        ],
        "seconds": round(time.monotonic() - started, 1),
    }  # fmt: skip


def _spread(values: list[float]) -> dict[str, float | None]:
    """The worst channel of each radio (Hz off): median, 95th percentile, largest; None where none was carried out."""
    if not values:
        return {"median_hz": None, "p95_hz": None, "max_hz": None}
    return {
        "median_hz": round(float(np.median(values)), 1), "p95_hz": round(float(np.percentile(values, 95)), 1), "max_hz": round(max(values), 1),
    }  # fmt: skip
