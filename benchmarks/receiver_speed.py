"""How many times faster than real time the simulated radio receiver runs on one core, in live blocks and whole.

Run: ``OMP_NUM_THREADS=1 OPENBLAS_NUM_THREADS=1 .venv/bin/python benchmarks/receiver_speed.py``
"""

from __future__ import annotations

import time

from unitone.sheet.format.read import read_sheet
from unitone.sheet.library import find, physics_path
from unitone.simulator.physics import read_physics
from unitone.simulator.radio import Panel, SimulatedRadio
from unitone.simulator.receiver import Signal


def main() -> None:
    """Print the two ratios."""
    path = find("ostrel-tarn-40")
    sheet = read_sheet(path)
    radio = SimulatedRadio(sheet, read_physics(physics_path(path), sheet), 1)
    signal = Signal(27.205e6, -118.0, 1000.0, 1500.0)
    for block, words in ((0.1, "in blocks of 0.1 s"), (1.0, "in blocks of 1 s")):
        radio.receive(1.0, "20", signal, Panel())
        rounds = []
        for _ in range(5):
            start = time.process_time()
            for _ in range(round(5 / block)):
                radio.receive(block, "20", signal, Panel())
            rounds.append(5.0 / (time.process_time() - start))
        rounds.sort()
        print(f"{words}: {rounds[2]:.0f} times real time (median of 5; {rounds[0]:.0f} to {rounds[-1]:.0f})")


if __name__ == "__main__":
    main()
