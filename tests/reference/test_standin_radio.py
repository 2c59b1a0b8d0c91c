"""The aligned simulated radio against physics and the trade's figures."""

from __future__ import annotations

import numpy as np
import pytest

from unitone.quantities.show import microvolts
from unitone.radio.levels import Dbm, pd_from_dbm
from unitone.radio.noise import friis, ktb_dbm
from unitone.robot.referee import Referee
from unitone.sheet.model.mixing_model import Place
from unitone.sheet.model.sheet import Sheet
from unitone.signals.sinad import merge, tone_powers
from unitone.simulator.physics import PhysicsFile
from unitone.simulator.radio import Panel, SimulatedRadio
from unitone.simulator.receive_physics import AmplifierStage
from unitone.simulator.receiver import RATE, Signal


def sinad_at(radio: SimulatedRadio, dbm: float, seconds: int = 2, tone: float = 1000.0) -> float:
    signal = Signal(27.205e6, dbm, tone, 1500.0)
    radio.receive(0.3, "20", signal, Panel())
    return merge([tone_powers(radio.receive(1.0, "20", signal, Panel()).audio, RATE) for _ in range(seconds)]).sinad_db


def test_sensitivity_lies_in_the_trades_range(sheet: Sheet, physics: PhysicsFile) -> None:
    # Common practice, no source: a good 27 MHz FM set gives 12 dB SINAD at 0.15 to 0.4 uV.
    referee = Referee(sheet, physics, 11)
    referee.radio.mechanics.specimen.found.update(referee.radio.mechanics.specimen.right)
    for conditions in sheet.step("sensitivity").required:
        level = referee.sensitivity_dbm("rx.sensitivity", conditions, conditions.channel or "")
        assert 0.15e-6 < pd_from_dbm(Dbm(level)) < 0.4e-6, microvolts(level)


def test_noise_figure_of_the_aligned_chain_against_friis(aligned: SimulatedRadio, physics: PhysicsFile) -> None:
    # H. T. Friis (1944); passive losses at T0 have F = L. Mid-band, before the filters' skirts.
    stages = []
    for stage in physics.receive.stage:
        if isinstance(stage, AmplifierStage):
            stages.append((10 ** (stage.noise_figure / 10), 10 ** (stage.gain / 10)))
        else:
            loss = 10 ** (stage.loss / 10)
            stages.append((loss, 1 / loss))
    chain = aligned.receiver.chain(27.185e6)
    middle = int(np.argmin(np.abs(chain.hz)))
    ours = chain.noise[middle] / abs(chain.gain[middle]) ** 2 / (10 ** ((ktb_dbm(1.0) - 30) / 10))
    assert 10 * np.log10(ours) == pytest.approx(10 * np.log10(friis(stages)), abs=0.02)


def test_carson_threshold_region_is_steeper_than_one_db_per_db(aligned: SimulatedRadio) -> None:
    # Common practice, no source: near 12 dB an FM receiver's SINAD moves 1.2 to 2.5 dB for each dB of signal.
    slope = (sinad_at(aligned, -118.5) - sinad_at(aligned, -120.5)) / 2.0
    assert 1.1 < slope < 2.6


def test_on_a_strong_signal_sinad_flattens_so_that_peaking_fails(aligned: SimulatedRadio) -> None:
    strong = sinad_at(aligned, -61.0), sinad_at(aligned, -71.0)
    assert abs(strong[0] - strong[1]) < 0.5
    weak, strong_before = sinad_at(aligned, -118.0), sinad_at(aligned, -61.0)
    aligned.mechanics.moved_mdeg["T1"] = 360_000
    assert weak - sinad_at(aligned, -118.0) > 2.0
    assert abs(strong_before - sinad_at(aligned, -61.0)) < 0.5


def test_detuned_quadrature_coil_distorts_a_strong_signal(aligned: SimulatedRadio) -> None:
    signal = Signal(27.205e6, -67.0, 1000.0, 1500.0)
    aligned.receive(0.3, "20", signal, Panel())
    clean = tone_powers(aligned.receive(1.0, "20", signal, Panel()).audio, RATE).distortion_pct
    aligned.mechanics.moved_mdeg["T6"] = 540_000
    aligned.receive(0.3, "20", signal, Panel())
    bent = tone_powers(aligned.receive(1.0, "20", signal, Panel()).audio, RATE).distortion_pct
    assert clean < 2.0
    assert bent > 3.0


def test_no_signal_means_noise_and_kt_b_forbids_wonders(aligned: SimulatedRadio) -> None:
    # 12 dB SINAD below about 0.07 uV would be against kT0 B (common practice, from the noise in 10 kHz).
    assert sinad_at(aligned, -130.0) < 3.0
    quiet = aligned.receive(1.0, "20", None, Panel())
    assert tone_powers(quiet.audio, RATE).sinad_db < 1.0


def test_s9_is_fifty_microvolts_and_the_squelch_opens_above_noise(aligned: SimulatedRadio) -> None:
    deflection, marks = aligned.meter_scale()
    s9 = aligned.receive(1.0, "20", Signal(27.205e6, -73.0), Panel()).needle
    assert np.interp(s9, deflection, marks) == pytest.approx(0.0, abs=2.0)  # IARU Region 1 R.1
    shut = Panel(squelch=0.5)
    for _ in range(3):
        silent = aligned.receive(0.2, "20", None, shut)
    assert not silent.squelch_open
    assert not silent.audio.any()
    assert aligned.receive(0.4, "20", Signal(27.205e6, -100.0), shut).squelch_open


def test_sent_frequency_follows_the_reference_by_n_over_r(aligned: SimulatedRadio) -> None:
    # Exact arithmetic: the carrier is N/4096 of 10.240 MHz, N = carrier / 2.5 kHz.
    aligned.mechanics.moved_mdeg["CT1"] = 20_000
    ppm = aligned.reference_hz() / 10.24e6 - 1
    for channel in ("1", "40"):
        nominal, actual = aligned.synthesiser.output_hz("tx.carrier", Place("transmit", channel=channel))
        assert nominal == aligned.sheet.carrier_hz(channel)
        assert actual / nominal - 1 == pytest.approx(ppm, rel=1e-9)
