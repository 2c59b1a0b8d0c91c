"""General procedures tried by a hand that only types, on radios that stand apart from them. Prints a table in Markdown.

PYTHONPATH=src python benchmarks/by_hand.py [SETS [SEED [PROCEDURE...]]]
"""

from __future__ import annotations

import os
import sys

from unitone.robot.by_hand import run_by_hand_trial
from unitone.sheet.library import general


def main() -> None:
    """Run them and print the table; what went wrong goes to the other stream."""
    sets = int(sys.argv[1]) if len(sys.argv) > 1 else 100
    seed = int(sys.argv[2]) if len(sys.argv) > 2 else 41001
    names = sys.argv[3:] or [p.stem for p in general()]
    print(f"{sets} radios each, seeds {seed} to {seed + sets - 1}.\n")
    print("| procedure | recovered | wrong verdicts | readings | loss dB: median, 95 % |\n|---|---|---|---|---|")
    for name in names:
        report = run_by_hand_trial(name, sets, seed, os.cpu_count() or 1)
        loss = f"{report['loss_db']['median']}, {report['loss_db']['p95']}"
        print(
            f"| {name} | {report['recovered']}/{sets} | {report['wrong_verdicts']} | {report['readings_per_set']} | {loss} |",
            flush=True,
        )
        for one in (*report["problems"], *report["out_of_reach"]):
            print(f"{name} {one}", file=sys.stderr)


if __name__ == "__main__":
    main()
