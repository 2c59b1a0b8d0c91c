"""Cores swept by simulated hands: the sweep coach beside the same hands that watch a needle alone. Prints a table in Markdown.

PYTHONPATH=src python benchmarks/sweep.py [SETS [SEED]]
"""

from __future__ import annotations

import os
import sys

from unitone.robot.sweep import run_sweep_trial


def main() -> None:
    """Run them and print the table; what went wrong goes to the other stream."""
    sets = int(sys.argv[1]) if len(sys.argv) > 1 else 2000
    seed = int(sys.argv[2]) if len(sys.argv) > 2 else 10001
    report = run_sweep_trial(sets, seed, os.cpu_count() or 1)
    print(f"{sets} cores, seeds {seed} to {seed + sets - 1}: {report['classes']}.\n")
    print(
        "| | loss dB: mean, median, 95 %, largest | seconds a core | wrong verdicts | unfinished |\n|---|---|---|---|---|"
    )
    for name, one in (("sweep coach", report), *((b["name"], b) for b in report["baselines"])):
        loss = ", ".join(str(one["loss_db"][k]) for k in ("mean", "median", "p95", "max"))
        print(f"| {name} | {loss} | {one['seconds_per_set']} | {one['wrong_verdicts']} | {one['unfinished']} |")
    two = report["two_peaks"]
    if two["sets"]:
        loss = two["loss_db"]
        print(
            f"\n{two['sets']} cores with two peaks: {two['outer']} end on the outer one where the second is looked for, "
            f"{two['outer_without_looking']} where not; loss {loss['mean']} dB mean, {loss['p95']} at 95 %, "
            f"{two['seconds_per_set']} s a core, {two['wrong_verdicts']} wrong, {two['unfinished']} unfinished."
        )
    for problem in report["problems"]:
        print(f"seed {problem['seed']}: {problem['what']}", file=sys.stderr)


if __name__ == "__main__":
    main()
