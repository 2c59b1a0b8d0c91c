"""The proof over many seeds: coach and golden section on the same radios, judged by the referee.

Run: ``.venv/bin/python benchmarks/robot.py [SETS] [SEED] [PAGE]``; writes its table into docs/robot.md, or into PAGE.
"""

from __future__ import annotations

import os
import sys
from pathlib import Path

from unitone.robot.whole_radios import run_trial

TOP = Path(__file__).resolve().parent.parent


def main() -> None:
    """Run the trial and write its table."""
    sets = int(sys.argv[1]) if len(sys.argv) > 1 else 50
    seed = int(sys.argv[2]) if len(sys.argv) > 2 else 1
    report = run_trial("ostrel-tarn-40", sets, seed, workers=os.cpu_count() or 1)
    base, loss = report["baseline"], report["loss_db"]
    rows = [
        ("coach", report["readings_per_set"], report["recovered"], loss),
        (base["name"], base["readings_per_set"], base["recovered"], base["loss_db"]),
    ]
    lines = [
        f"{sets} simulated radios of the Ostrel Tarn 40, seeds {seed} to {seed + sets - 1}, from as-found to finished.",
        f"Wrong verdicts of the coach: {report['wrong_verdicts']}. Left alone per radio: {report['left_alone_per_set']}.",
        "",
        "| technician | readings a radio | recovered | joint loss median dB | 95 % dB | largest dB |",
        "|---|---|---|---|---|---|",
    ]
    lines += [
        f"| {name} | {readings} | {recovered} of {sets} | {v['median']} | {v['p95']} | {v['max']} |"
        for name, readings, recovered, v in rows
    ]
    table = "\n".join(lines)
    print(table)
    for problem in report["problems"]:
        print(problem)
    page = Path(sys.argv[3]) if len(sys.argv) > 3 else TOP / "docs" / "robot.md"
    text = page.read_text(encoding="utf-8")
    mark = f"<!-- seeds {seed} -->"
    before, _, after = text.partition(mark)
    rest = after.partition("<!-- end -->")[2]
    page.write_text(f"{before}{mark}\n{table}\n<!-- end -->{rest}", encoding="utf-8")


if __name__ == "__main__":
    main()
