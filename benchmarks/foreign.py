"""Radios of another design: aligned, sent with, brought on frequency and with faults, by the coach alone, judged by the physics.

The sheets stand in tests/radios and benchmarks/radios; the coach was not written on them. Prints a table in Markdown.

    PYTHONPATH=src python benchmarks/foreign.py [SETS [SEED [NAME...]]]
"""

from __future__ import annotations

import os
import sys
from pathlib import Path

from unitone.align.frequency.trimming import countables
from unitone.robot.on_frequency import run_frequency_trial
from unitone.robot.transmit_side import run_transmit_trial
from unitone.robot.whole_radios import run_trial
from unitone.sheet.format.read import read_sheet
from unitone.sheet.library import physics_path
from unitone.simulator.physics import read_physics

TOP = Path(__file__).resolve().parent.parent
FOLDERS = (TOP / "tests" / "radios", TOP / "benchmarks" / "radios")


def sheets(names: list[str]) -> list[Path]:
    """The foreign sheets, or those named."""
    found = sorted(p for folder in FOLDERS for p in folder.glob("*.toml") if not p.name.endswith(".physics.toml"))
    return [p for p in found if not names or p.stem.removeprefix("skerry-") in names]


def main() -> None:
    """Run them and print the table, a row as soon as a radio is done."""
    sets = int(sys.argv[1]) if len(sys.argv) > 1 else 25
    seed = int(sys.argv[2]) if len(sys.argv) > 2 else 6001
    cores = os.cpu_count() or 1
    print(
        "| radio | aligned | readings | first fifth: coach / golden section | loss dB: median, 95 % | transmit | on frequency "
        "| faults named | wrong verdicts |"
    )
    print("|---|---|---|---|---|---|---|---|---|", flush=True)
    for path in sheets(sys.argv[3:]):
        sheet = read_sheet(path)
        faults = read_physics(physics_path(path), sheet).fault
        # Under five, it is only to be seen that it runs: no baseline, no faults.
        few = sets // 5
        whole = run_trial(str(path), sets, seed, cores, with_baseline=False)
        beside = run_trial(str(path), few, seed, cores, with_baseline=True) if few else None
        # A receiver is among them.
        sent = any(s.hook_up == "transmit" for s in sheet.steps)
        transmit = run_transmit_trial(str(path), sets, seed, cores, with_baseline=False) if sent else None
        counted = run_frequency_trial(str(path), sets, seed, cores, with_baseline=False) if countables(sheet) else None
        broken = [run_trial(str(path), few, seed, cores, False, name) for name in sorted(faults) if few]
        reports = [r for r in (whole, transmit, *broken, counted) if r is not None]
        named = sum(n["named"] for b in broken for n in b["named"].values())
        # A fault that keeps nothing out of its limits is not to be found by readings.
        missed = sum("was not named" in what for b in broken for p in b["problems"] for what in p["what"])
        wrong = sum(r["wrong_verdicts"] for r in reports)
        loss = whole["loss_db"]
        base = "" if beside is None else f"{beside['readings_per_set']} / {beside['baseline']['readings_per_set']}"
        keyed = "" if transmit is None else f"{transmit['recovered']} of {sets}"
        on = "" if counted is None else f"{counted['recovered']} of {sets}"
        print(
            f"| {sheet.name} | {whole['recovered']} of {sets} | {whole['readings_per_set']} | {base} | "
            f"{loss['median']}, {loss['p95']} | {keyed} | {on} | {named} of {named + missed} | {wrong} |",
            flush=True,
        )
        for report in reports:
            for problem in report["problems"]:
                print(
                    f"{sheet.name} {report['task']}, seed {problem['seed']}: {'; '.join(problem['what'])}",
                    file=sys.stderr,
                )


if __name__ == "__main__":
    main()
