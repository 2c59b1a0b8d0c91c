"""How true the meters are: bias and spread against signals whose figures are known, beside simpler methods in the same run.

Prints the tables of docs/accuracy.md.

    PYTHONPATH=src python benchmarks/accuracy.py > docs/accuracy.md
"""

from __future__ import annotations

import math
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.signal import iirnotch, lfilter

from unitone.signals.am import measure_am
from unitone.signals.audio import AudioMeter
from unitone.signals.counter import count, crb_hz
from unitone.signals.fm import measure_fm
from unitone.signals.sinad import sinad_std_db

FS = 48_000.0
#: A second argument is the share of the runs that is made (0.01 to see that it runs).
SHARE = float(sys.argv[2]) if len(sys.argv) > 2 else 1.0


def times(runs: int) -> int:
    """How many of so many runs are made."""
    return max(3, round(runs * SHARE))


def some(values: tuple[Any, ...]) -> tuple[Any, ...]:
    """The values of a row or column; the first alone where it is only to be seen that it runs."""
    return values if SHARE >= 0.1 else values[:1]


def noisy(
    sinad: float, seconds: float, rng: np.random.Generator, hum: float = 0.0
) -> tuple[NDArray[np.float64], float]:
    """A tone between 900 and 1100 Hz in white noise of exactly this SINAD over 300 to 3400 Hz; (samples, tone Hz)."""
    t = np.arange(round(seconds * FS)) / FS
    hz = rng.uniform(900, 1100)
    rest = 0.045 / (10 ** (sinad / 10) - 1)
    x = 0.3 * np.sin(2 * np.pi * hz * t + rng.uniform(0, 6)) + math.sqrt(rest * FS / 2 / 3100) * rng.standard_normal(
        t.size
    )
    if hum:
        x = x + hum * 0.3 * (np.sin(2 * np.pi * 50 * t + rng.uniform(0, 6)) + 0.5 * np.sin(2 * np.pi * 100 * t))
    return x, hz


def ours(x: NDArray[np.float64]) -> float:
    meter = AudioMeter(FS)
    meter.take(x)
    return meter.report().sinad_db or 0.0


def fixed_notch(x: NDArray[np.float64]) -> float:
    """The simple meter: band-pass by FFT, then power with and without a fixed 1 kHz notch."""
    spectrum = np.fft.rfft(x)
    hz = np.fft.rfftfreq(x.size, 1 / FS)
    band = np.fft.irfft(spectrum * ((hz >= 300) & (hz <= 3400)), x.size)
    b, a = iirnotch(1000.0, 5.0, FS)
    left = lfilter(b, a, band)
    return 10 * math.log10(float(np.mean(band**2)) / float(np.mean(left[x.size // 8 :] ** 2)))


def fft_bins(x: NDArray[np.float64]) -> float:
    """Hann window, three bins either side of the peak are the tone, the rest of the band is not."""
    power = np.abs(np.fft.rfft(x * np.hanning(x.size))) ** 2
    hz = np.fft.rfftfreq(x.size, 1 / FS)
    band = (hz >= 300) & (hz <= 3400)
    top = int(np.argmax(power * band))
    tone = power[top - 3 : top + 4].sum()
    rest = power[band].sum() - tone
    return 10 * math.log10((tone + rest) / rest)


def sinad_table() -> None:
    print("## SINAD in white noise, tone unknown between 900 and 1100 Hz\n")
    print("| SINAD, dB | length | bias, dB | spread / theory | FFT bins: bias, spread / theory | fixed notch: bias |")
    print("|---|---|---|---|---|---|")
    for seconds, runs in some(((1.0, 600), (0.1, 2500))):
        for sinad in some((2.0, 6.0, 12.0, 20.0, 30.0, 40.0)):
            rng = np.random.default_rng(round(sinad * 10 + seconds))
            rows = []
            for n in range(times(runs)):
                x, _ = noisy(sinad, seconds, rng)
                rows.append((ours(x), fft_bins(x), fixed_notch(x) if n < max(times(runs) // 4, 1) else math.nan))
            found = np.array(rows)
            theory = sinad_std_db(sinad, seconds)
            print(
                f"| {sinad:g} | {seconds:g} s | {found[:, 0].mean() - sinad:+.3f} | {found[:, 0].std(ddof=1) / theory:.2f} | "
                f"{found[:, 1].mean() - sinad:+.2f}, {found[:, 1].std(ddof=1) / theory:.2f} | {np.nanmean(found[:, 2]) - sinad:+.1f} |"
            )
    shifts = []
    for seed in range(times(60)):
        for sinad in some((12.0, 40.0)):
            rng, again = np.random.default_rng(seed), np.random.default_rng(seed)
            shifts.append(ours(noisy(sinad, 1.0, again, 0.4)[0]) - ours(noisy(sinad, 1.0, rng)[0]))
    print(
        f"\n40 % of 50 Hz hum with half as much at 100 Hz: shift {np.mean(shifts):+.3f} dB on average, {np.max(np.abs(shifts)):.3f} dB at most."
    )
    x = np.tile(noisy(12.0, 10.0, np.random.default_rng(1))[0], 6 if SHARE >= 0.1 else 1)
    took = []
    for _ in range(times(5)):
        start = time.process_time()
        ours(x)
        took.append(time.process_time() - start)
    print(f"Speed: {x.size / FS / statistics.median(took):.0f} times real time on one core.\n")


def channel(x: NDArray[np.complex128], cnr: float, width: float, rng: np.random.Generator) -> NDArray[np.complex128]:
    level = math.sqrt(10 ** (-cnr / 10) * FS / width / 2) * math.sqrt(float(np.mean(np.abs(x) ** 2)))
    return x + level * (rng.standard_normal(x.size) + 1j * rng.standard_normal(x.size))


def modulation_table() -> None:
    print("## Deviation, depth\n")
    print("| what | carrier to noise | bias | spread | raw peak of the same samples |\n|---|---|---|---|---|")
    t = np.arange(round(FS)) / FS
    for deviation in some((500.0, 1500.0, 2500.0)):
        for cnr in some((20.0, 30.0, 40.0)):
            rng = np.random.default_rng(round(deviation + cnr))
            found, raw = [], []
            for _ in range(times(40)):
                hz = rng.uniform(920, 1080)
                x = channel(
                    np.exp(1j * deviation / hz * np.sin(2 * np.pi * hz * t + rng.uniform(0, 6))), cnr, 16_000, rng
                )
                found.append(measure_fm(x, FS).peak_deviation_hz / deviation - 1)
                raw.append(np.max(np.abs(np.angle(x[1:] * np.conj(x[:-1])))) * FS / 2 / np.pi / deviation - 1)
            bias, spread, peak = 100 * np.mean(found), 100 * np.std(found), 100 * np.mean(raw)
            print(f"| deviation {deviation:g} Hz, tone | {cnr:g} dB | {bias:+.2f} % | {spread:.2f} % | {peak:+.0f} % |")
    for deviation in some((500.0, 2400.0, 4800.0, 10_000.0)):
        for tone in some((100.0, 400.0, 1000.0, 3400.0)):
            rng = np.random.default_rng(round(deviation + tone))
            both: list[float] = []
            for _ in range(times(12)):
                x = channel(
                    np.exp(1j * deviation / tone * np.sin(2 * np.pi * tone * t + rng.uniform(0, 6))), 20.0, 16_000, rng
                )
                r = measure_fm(x, FS)
                both += [r.deviation_plus_hz / deviation - 1, r.deviation_minus_hz / deviation - 1]
            print(f"| deviation {deviation:g} Hz, tone of {tone:g} Hz found by itself | 20 dB | {100 * np.mean(both):+.2f} % | "
                  f"{100 * np.std(both):.2f} % | |")  # fmt: skip
    for cnr in some((20.0, 30.0, 40.0)):
        found = []
        for seed in range(times(30)):
            rng = np.random.default_rng(seed)
            n = round(4 * FS)
            band = np.fft.rfftfreq(n, 1 / FS)
            voice = np.fft.irfft(
                np.fft.rfft(rng.standard_normal(n)) * ((band > 300) & (band < 3000)) / np.maximum(band, 300) ** 0.5, n
            )
            voice = np.tanh(1.5 * voice / voice.std() * np.abs(np.sin(2 * np.pi * 2.3 * np.arange(n) / FS)))
            voice = np.fft.irfft(np.fft.rfft(voice) * (band < 3000), n)
            voice *= 2000 / np.max(np.abs(voice))
            truth = max(np.quantile(voice, 0.9995), -np.quantile(voice, 0.0005))
            found.append(
                measure_fm(channel(np.exp(2j * np.pi * np.cumsum(voice) / FS), cnr, 16_000, rng), FS).peak_deviation_hz
                / truth
                - 1
            )
        print(
            f"| deviation on speech (99.95 %) | {cnr:g} dB | {100 * np.mean(found):+.2f} % | {100 * np.std(found):.2f} % | |"
        )
    for depth in some((10.0, 30.0, 80.0, 95.0)):
        rng = np.random.default_rng(round(depth))
        found, raw = [], []
        for _ in range(times(40)):
            x = channel(
                (1 + depth / 100 * np.sin(2 * np.pi * 1000 * t)) * np.exp(2j * np.pi * rng.uniform(-300, 300) * t),
                20.0,
                9_000,
                rng,
            )
            found.append(measure_am(x, FS).depth_pct - depth)
            size = np.abs(x)
            raw.append(100 * (size.max() - size.min()) / (size.max() + size.min()) - depth)
        print(
            f"| AM depth {depth:g} % | 20 dB | {np.mean(found):+.3f} points | {np.std(found):.3f} points | {np.mean(raw):+.0f} points |"
        )
    print()


def counter_table() -> None:
    print(
        "## Counter\n\n| signal | carrier to noise (per sample) | gate | RMS error | over the Cramér–Rao bound |\n|---|---|---|---|---|"
    )
    for gate in some((0.1, 0.5)):
        n = round(gate * FS)
        t = np.arange(n) / FS
        for cnr in some((5.0, 20.0, 40.0)):
            for beta in some((0.0, 0.7, 2.4048)):
                rng = np.random.default_rng(round(cnr * 10 + beta * 100))
                errors = []
                for _ in range(times(150)):
                    hz, tone = rng.uniform(-3000, 3000), rng.uniform(950, 1050)
                    x = np.exp(
                        1j
                        * (
                            2 * np.pi * hz * t
                            + beta * np.sin(2 * np.pi * tone * t + rng.uniform(0, 6))
                            + rng.uniform(0, 6)
                        )
                    )
                    x = x + math.sqrt(10 ** (-cnr / 10) / 2) * (rng.standard_normal(n) + 1j * rng.standard_normal(n))
                    errors.append(count(x, FS).hz - hz)
                rms = float(np.sqrt(np.mean(np.square(errors))))
                name = "plain carrier" if not beta else f"FM, β = {beta:g}"
                print(
                    f"| {name} | {cnr:g} dB | {gate:g} s | {rms:.4f} Hz | {rms / crb_hz(10 ** (cnr / 10), n, FS):.2f} |"
                )
    print()


def stream_table(gigabytes: float) -> None:
    rate, n = 2.4e6, round(gigabytes * 1e9 / 8)
    with tempfile.TemporaryDirectory() as place:
        data = Path(place) / "wide.sigmf-data"
        t = np.arange(2_400_000) / rate
        x = (0.4 * np.exp(1j * (2 * np.pi * 310_000 * t + 1.5 * np.sin(2 * np.pi * 1000 * t)))).astype(np.complex64)
        x += (0.01 * np.random.default_rng(0).standard_normal(x.size)).astype(np.float32)
        with data.open("wb") as file:
            for _ in range(math.ceil(n / x.size)):
                x.tofile(file)
        data.with_suffix(".sigmf-meta").write_text(
            f'{{"global": {{"core:datatype": "cf32_le", "core:sample_rate": {rate}}}, "captures": []}}'
        )
        size = data.stat().st_size / 1e6
        # In a process of its own: what making the file took is not counted.
        done = subprocess.run(
            [sys.executable, "-c", _STREAM, str(data.with_suffix(".sigmf-meta"))],
            capture_output=True,
            text=True,
            check=True,
        )
        took, grew, deviation, carrier = (float(v) for v in done.stdout.split())
    print("## A long recording of I/Q, streamed\n")
    print(
        f"{size:.0f} MB at 2.4 million samples a second, one FM signal 310 kHz off the middle: {size / took:.0f} MB/s, peak "
        f"memory {grew:.0f} MB above the start, deviation {deviation:.1f} Hz (1500), carrier {carrier:.1f} Hz (310 000).\n"
    )


_STREAM = """
import sys, time
from pathlib import Path
from unitone.bench.drivers.measure import measure_iq_fm
from unitone.bench.drivers.recording import SigMfFile

def peak():
    # The peak of this program alone (kB); getrusage hands on that of the one that started it.
    return int(next(x for x in open("/proc/self/status") if x.startswith("VmHWM")).split()[1])

before = peak()
start = time.perf_counter()
report = measure_iq_fm(SigMfFile(Path(sys.argv[1])))
took = time.perf_counter() - start
print(took, (peak() - before) / 1e3, report.peak_deviation_hz, report.carrier_error_hz)
"""


def main() -> None:
    gigabytes = float(sys.argv[1]) if len(sys.argv) > 1 else 1.0
    print("# How true the meters are\n")
    print(
        "Remade by `benchmarks/accuracy.py`. Bias and spread are against the truth by construction; theory is the formula in"
    )
    print("`signals/sinad.py` (white noise) and the Cramér–Rao bound. The baselines run on the same samples.\n")
    stream_table(gigabytes)
    sinad_table()
    modulation_table()
    counter_table()


if __name__ == "__main__":
    main()
