"""Receive sides peaked by sweep with the SINAD read from a drawn needle by camera, beside the same hand with the number itself.

PYTHONPATH=src python benchmarks/by_camera.py [SHEET] [RADIOS] [FIRST SEED] [WORKERS]
"""

from __future__ import annotations

import sys

import numpy as np

from unitone.robot.many import many
from unitone.robot.sweep_side import SideResult, receive_side


def one(asked: tuple[str, int]) -> tuple[SideResult, SideResult]:
    """One radio by camera, and by the number."""
    sheet, seed = asked
    return receive_side(sheet, seed, "by camera"), receive_side(sheet, seed, "sweep")


def main() -> None:
    """Print the table."""
    sheet, *numbers = (sys.argv[1:] + ["ostrel-tarn-40", "4", "1", "1"][len(sys.argv) - 1 :])[:4]
    radios, seed, workers = (int(n) for n in numbers)
    found = many(one, [(sheet, seed + n) for n in range(radios)], workers)
    print(
        f"{sheet}, {radios} radios, seed {seed}\n\n| read | within 0.3 dB | median | worst | seconds each | sweeps |\n|---|---|---|---|---|---|"
    )
    for name, results in (("needle by camera", [f[0] for f in found]), ("the number", [f[1] for f in found])):
        losses = np.array([r.loss_db for r in results])
        seconds, sweeps = np.mean([r.seconds for r in results]), np.mean([len(r.ends) for r in results])
        within = sum(r.finished and r.loss_db <= 0.3 for r in results)
        print(
            f"| {name} | {within} of {radios} | {np.median(losses):.3f} dB | {losses.max():.3f} dB | {seconds:.0f} | {sweeps:.1f} |"
        )


if __name__ == "__main__":
    main()
