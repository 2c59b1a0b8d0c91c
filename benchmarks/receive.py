"""The receive side's settings over seeds: S-meter charts, squelches, and gains that were foretold.

.venv/bin/python benchmarks/receive.py [CHARTS [SQUELCHES [TRIALS]]]
"""

from __future__ import annotations

import os
import sys
from collections import Counter

from unitone.robot.many import many
from unitone.robot.receive_side import METERS, SHAPES, chart_of, foretold, squelch_of, summary

_SQUELCHES = ("ostrel-curlew-5", "ostrel-weir-40-am", "ostrel-tarn-40", "ostrel-teal-6")
_TRIALS = (("ostrel-tarn-40", "front-end"), ("ostrel-weir-40-am", "front-end"), ("ostrel-tarn-40", "if-first"))


def _chart(asked: tuple[str, int]) -> tuple[str, str]:
    return chart_of(*asked)


def _squelch(asked: tuple[str, int, str]) -> tuple[str, str, bool, bool, int]:
    told = squelch_of(*asked)
    return told.sheet, told.fault, told.holds, told.named, told.readings


def _foretold(asked: tuple[str, str, int]):  # type: ignore[no-untyped-def]
    return asked[:2], foretold(*asked)


def main() -> None:
    """Print the tables of docs/receive.md."""
    charts, squelches, trials = (int(v) for v in (sys.argv[1:] + ["300", "200", "150"][len(sys.argv) - 1 :]))
    cores = os.cpu_count() or 1
    told = many(_chart, [(shape, s) for s in range(1, charts // len(SHAPES) + 1) for shape in SHAPES], cores)
    print(
        f"## S-meter, {len(told)} charts on {len(METERS)} simulated radios\n\n| ails | charts | right | read as |\n|---|---|---|---|"
    )
    for shape in SHAPES:
        read = [r for s, r in told if s == shape]
        print(f"| {shape} | {len(read)} | {sum(r == shape for r in read)} | {dict(Counter(read))} |")
    print(
        "\n## Squelch\n\n| simulated radio | fault | radios | all hold | reason named | readings |\n|---|---|---|---|---|---|"
    )
    each = max(squelches // len(_SQUELCHES), 1)
    asked = [(name, s, "") for name in _SQUELCHES for s in range(1, each + 1)]
    asked += [(name, s, "leaky-squelch") for name in _SQUELCHES[:2] for s in range(1, each // 2 + 1)]
    done = many(_squelch, asked, cores)
    for name, fault in dict.fromkeys((d[0], d[1]) for d in done):
        of = [d for d in done if (d[0], d[1]) == (name, fault)]
        named = sum(d[3] for d in of if not d[2])
        print(
            f"| {name} | {fault or 'none'} | {len(of)} | {sum(d[2] for d in of)} | {named} | {sum(d[4] for d in of) / len(of):.1f} |"
        )
    print("\n## Worth aligning?\n")
    print(
        "| simulated radio | step | cores | in what was said | advice right | off where there are 3 dB or less (median) |"
    )
    print("|---|---|---|---|---|---|")
    made = many(_foretold, [(*t, s) for t in _TRIALS for s in range(1, trials // len(_TRIALS) + 1)], cores)
    for which in _TRIALS:
        s = summary([f for w, found in made if w == which for f in found])
        print(
            f"| {which[0]} | {which[1]} | {s['adjusters']} | {s['inside']} | {s['right']} | {s['error_db']} dB of {s['near']} |"
        )


if __name__ == "__main__":
    main()
