"""The ladder: exercises from the first core to a whole radio with a fault, in six skills; the one of the day; and a surprise."""

from __future__ import annotations

import datetime
import zlib

import numpy as np

from unitone.errors import EntryError
from unitone.scenario.exercise import Exercise
from unitone.words import N_, tr

_TARN, _WEIR, _TEAL, _CURLEW, _HERON, _ALDER = (
    "ostrel-tarn-40",
    "ostrel-weir-40-am",
    "ostrel-teal-6",
    "ostrel-curlew-5",
    "corvane-heron-3",
    "corvane-alder-5",
)
_RECEIVE_TARN = ("front-end", "if-first", "if-second", "detector", "sensitivity")

LADDER: tuple[Exercise, ...] = (
    # -- receive ----------------------------------------------------------------------------------------
    Exercise(
        "receive-1", "receive", 1, N_("Peak one core by SINAD"), N_("Weak stations are noisy. One core has fresh tool marks."),
        N_("Find the top of one core's peak."), N_("Go past the peak, then come back to it."),
        _TARN, ("if-first",), ("T3",), far=(0.9, 1.4), seed=11,
    ),
    Exercise(
        "receive-2", "receive", 1, N_("Peak one core by AF voltage"), N_("Quiet on every channel."),
        N_("Peak a can by what the audio voltmeter shows."), N_("Keep the signal below where the gain control works."),
        _WEIR, ("if-first",), ("T3",), far=(1.5, 2.0), seed=12,
    ),
    Exercise(
        "receive-3", "receive", 2, N_("Two cores of one can"), N_("Deaf since somebody “peaked it up”."),
        N_("Two cores of one can pull each other: go round twice."), N_("Repeat the pair until nothing more comes."),
        _TARN, ("if-second",), ("T4", "T5"), far=(1.0, 1.5), seed=13,
    ),
    Exercise(
        "receive-4", "receive", 2, N_("Front end at the right level"), N_("Local stations are fine, far ones are gone."),
        N_("Choose a level at which the peak can be seen."), N_("Turn the generator down as the radio gets better."),
        _WEIR, ("front-end", "sensitivity"), ("T1", "T2"), seed=14,
    ),
    Exercise(
        "receive-5", "receive", 2, N_("Null of the FM detector"), N_("Loud stations rasp."),
        N_("Find the null, which is narrower than a peak."), N_("Small moves near a null."),
        _TARN, ("detector",), ("T6",), seed=15,
    ),
    Exercise(
        "receive-6", "receive", 3, N_("“Peak it up”"), N_("The meter shows two S-units less. “Peak it up”, says the owner."),
        N_("Tell a low meter from a deaf receiver."), N_("In spec: leave it alone."),
        _WEIR, ("if-first", "if-second", "if-last", "sensitivity", "s-meter"), ("P2",), far=(0.7, 1.1), leave_alone=True, seed=16,
    ),
    Exercise(
        "receive-7", "receive", 4, N_("A whole receive side"), N_("Somebody has been round the receiver with a screwdriver."),
        N_("Bring a receiver in, from front end to detector."), N_("Prove the sensitivity when all cores are done."),
        _TARN, _RECEIVE_TARN, ("T1", "T2", "T3", "T4", "T5", "T6"), far=(0.4, 0.8), seed=17,
    ),
    # -- transmit ---------------------------------------------------------------------------------------
    Exercise(
        "transmit-1", "transmit", 1, N_("Set the deviation"), N_("Voice reports: thin, or splattering."),
        N_("Set a modulation preset against its limit."), N_("Dummy load first, then key."),
        _TARN, ("deviation",), ("P2",), seed=21,
    ),
    Exercise(
        "transmit-2", "transmit", 1, N_("Set the AM depth"), N_("Voice is weak on AM."),
        N_("Set the depth, then look at a quiet voice, too."), N_("Two readings belong to one preset."),
        _WEIR, ("depth", "depth-soft"), ("P1",), seed=22,
    ),
    Exercise(
        "transmit-3", "transmit", 2, N_("Power over the band"), N_("Half a watt."),
        N_("Bring driver and final up, evenly over the channels."), N_("Read both ends of the band, not the middle alone."),
        _WEIR, ("power", "current-keyed"), ("L6", "L7", "L8"), far=(0.4, 0.8), seed=23,
    ),
    Exercise(
        "transmit-4", "transmit", 2, N_("Harmonic trap"), N_("Stripes on the neighbour's television."),
        N_("Tune a trap to its null on the analyser."), N_("Look at the harmonic, not at the power."),
        _WEIR, ("harmonic",), ("L9",), seed=24,
    ),
    Exercise(
        "transmit-5", "transmit", 3, N_("A handheld's transmitter"), N_("Nobody hears it beyond the yard."),
        N_("Power, depth and loading coil of a handheld."), N_("The loading coil comes last, with the whip out."),
        _TEAL, ("power", "harmonic", "depth", "loading-coil"), ("L1", "L2", "L3", "P1", "L4"), far=(0.4, 0.8), seed=25,
    ),
    Exercise(
        "transmit-6", "transmit", 3, N_("“More power, please”"), N_("The owner wants more power. He says modulation is weak."),
        N_("Tell what is out from what the owner wishes."), N_("Power in spec: leave it alone."),
        _TARN, ("power", "frequency", "deviation", "harmonic"), ("P2",), leave_alone=True, seed=26,
    ),
    Exercise(
        "transmit-7", "transmit", 3, N_("Idle current of the final"), N_("Distorted on SSB, and the heatsink is hot at rest."),
        N_("Set a final's bias by its idle current."), N_("Eyes on the current, and a hand ready to turn back."),
        _CURLEW, ("bias",), ("P3",), far=(0.6, 1.0), seed=27,
    ),
    # -- synthesiser --------------------------------------------------------------------------------------
    Exercise(
        "synthesiser-1", "synthesiser", 1, N_("Set the VCO"), N_("Dead on the high channels."),
        N_("Set a VCO's tuning voltage with its core."), N_("Read the voltage at both ends of the band."),
        _TARN, ("vco-receive",), ("L1",), seed=31,
    ),
    Exercise(
        "synthesiser-2", "synthesiser", 1, N_("Reference on frequency"), N_("Reported off frequency on every channel."),
        N_("Trim a reference to the hertz."), N_("Let the radio warm up before you trim."),
        _TARN, ("reference", "frequency"), ("CT1",), seed=32,
    ),
    Exercise(
        "synthesiser-3", "synthesiser", 2, N_("One trimmer, six crystals"), N_("Two channels are reported off frequency."),
        N_("Find the one place that serves all crystals."), N_("Count every channel before you trim."),
        _TEAL, ("crystals", "receive-crystals"), ("CT1",), seed=33,
    ),
    Exercise(
        "synthesiser-4", "synthesiser", 3, N_("Rail before everything"), N_("Off frequency, and drops out of lock."),
        N_("Set the rail first: what it feeds follows it."), N_("Rails, reference, VCO: in this order."),
        _TARN, ("rail", "reference", "vco-receive", "vco-transmit", "frequency"), ("P1", "CT1", "L1"), far=(0.5, 0.8), seed=34,
    ),
    Exercise(
        "synthesiser-5", "synthesiser", 3, N_("Carriers for three modes"), N_("Voices too high on one sideband."),
        N_("Set the carrier oscillators of AM, USB and LSB."), N_("Count each mode's oscillator by itself."),
        _CURLEW, ("carrier-am", "carrier-usb", "carrier-lsb"), ("CT7", "CT8", "CT9"), seed=35,
    ),
    Exercise(
        "synthesiser-6", "synthesiser", 4, N_("One band of five is off"), N_("Band B is 600 Hz low, they say."),
        N_("Find the one crystal that is off."), N_("The others are in spec: leave them alone."),
        _CURLEW, ("reference", "band-a", "band-b", "band-c", "band-d", "band-e"), ("CT3",), leave_alone=True, seed=36,
    ),
    # -- settings -------------------------------------------------------------------------------------------
    Exercise(
        "settings-1", "settings", 1, N_("S-meter at S9"), N_("Everybody is S9 and more."),
        N_("Set an S-meter with a known level."), N_("Dial the level that the sheet says, pads included."),
        _TARN, ("s-meter",), ("P5",), seed=41,
    ),
    Exercise(
        "settings-2", "settings", 1, N_("Where a squelch opens"), N_("Squelch opens on noise."),
        N_("Find the level that opens a squelch."), N_("Come up from below until it opens."),
        _TARN, ("squelch",), ("P6",), seed=42,
    ),
    Exercise(
        "settings-3", "settings", 2, N_("Both ends of a squelch"), N_("Squelch never closes, or never opens."),
        N_("Set the tight end, then prove the loose one."), N_("Read both ends after every turn."),
        _WEIR, ("squelch-tight", "squelch"), ("P3",), seed=43,
    ),
    Exercise(
        "settings-4", "settings", 2, N_("Signal LEDs"), N_("The third LED never lights."),
        N_("Set LEDs by the level that lights them."), N_("Eyes on the LED, hand on the generator."),
        _TEAL, ("meter-leds", "sensitivity"), ("P2",), seed=44,
    ),
    Exercise(
        "settings-5", "settings", 3, N_("A late S-meter"), N_("No meter under S5."),
        N_("Tell gain from threshold before anything is turned."), N_("Read the meter's chart, not one mark."),
        _WEIR, ("sensitivity", "s-meter"), (), fault="silicon-meter-diode", seed=45,
    ),
    Exercise(
        "settings-6", "settings", 3, N_("A squelch that will not come in"), N_("Squelch opens and closes by itself."),
        N_("Tell a bad setting from a bad part."), N_("An end out of reach is a part, not a preset."),
        _WEIR, ("sensitivity", "squelch-tight", "squelch"), ("P3",), fault="leaky-squelch", seed=46,
    ),
    # -- tracing ----------------------------------------------------------------------------------------------
    Exercise(
        "tracing-1", "tracing", 2, N_("A dead IF"), N_("Dead. It hummed, then nothing."),
        N_("Walk a dead receiver from the loudspeaker back."), N_("Inject at each stage's own frequency."),
        _HERON, (), (), fault="R52:open", seed=57,
    ),
    Exercise(
        "tracing-2", "tracing", 3, N_("A weak first stage"), N_("Strong stations only."),
        N_("Tell a weak stage from a badly aligned one."), N_("Trace before you align."),
        _HERON, (), (), fault="V1:weak", seed=52,
    ),
    Exercise(
        "tracing-3", "tracing", 3, N_("A leaky capacitor"), N_("Faint, and distorted after an hour."),
        N_("Find the part by the voltages of its stage."), N_("Compare each voltage with its row of the table."),
        _HERON, (), (), fault="C31:leaky", seed=53,
    ),
    Exercise(
        "tracing-4", "tracing", 3, N_("Low gain behind the mixer"), N_("Deaf, although all cores peak."),
        N_("Name lost gain when every core peaks."), N_("Cores that peak are not the cause."),
        _WEIR, ("front-end", "if-first", "sensitivity", "s-meter"), ("T1",), fault="mismatch-after-rf", far=(0.9, 1.3), seed=54,
    ),
    Exercise(
        "tracing-5", "tracing", 4, N_("A can that does nothing"), N_("Deaf. One can has a chewed core."),
        N_("Tell a dead can from one that is out of tune."), N_("Flat over its travel: look at the part."),
        _WEIR, ("front-end", "if-first", "sensitivity"), ("T1",), fault="open-winding", seed=55,
    ),
    # -- vintage ------------------------------------------------------------------------------------------------
    Exercise(
        "vintage-1", "vintage", 1, N_("IF cans of a valve set"), N_("Stations are there, but dull and weak."),
        N_("Peak two IF cans, last one first."), N_("Generator as low as the meter allows."),
        _ALDER, ("if",), ("T1A", "T2B"), seed=61,
    ),
    Exercise(
        "vintage-2", "vintage", 2, N_("Dial on its marks"), N_("Stations sit beside their marks."),
        N_("Core at the low end, trimmer at the high end."), N_("Repeat both ends until neither moves."),
        _ALDER, ("dial-low", "dial-high", "dial-middle"), ("L3", "C9"), far=(0.4, 0.8), seed=62,
    ),
    Exercise(
        "vintage-3", "vintage", 2, N_("Signal circuits of a valve set"), N_("Weak at one end of the dial."),
        N_("Track the aerial circuit at both ends."), N_("Core low, trimmer high, then again."),
        _ALDER, ("aerial-low", "aerial-high", "sensitivity"), ("L1", "C3"), far=(0.9, 1.3), seed=63,
    ),
    Exercise(
        "vintage-4", "vintage", 4, N_("Somebody has been round it"), N_("It played until my uncle “tuned” it."),
        N_("Bring a valve set back: IF, dial, aerial."), N_("IF first: the dial is set through it."),
        _ALDER, (), (), everything=True, far=(0.4, 0.8), seed=64,
    ),
    # -- whole radios --------------------------------------------------------------------------------------------
    Exercise(
        "settings-7", "settings", 4, N_("A handheld from the market"), N_("Bought without a word about it."),
        N_("Take a radio through its whole procedure."), N_("Read all of it before you turn any of it."),
        _TEAL, (), (), everything=True, far=(0.3, 0.7), seed=47,
    ),
    Exercise(
        "receive-8", "receive", 5, N_("The boot-sale mobile"), N_("Boot sale. Cores chewed, screws missing."),
        N_("Restore a whole FM mobile."), N_("Phase by phase: each makes the next one true."),
        _TARN, (), (), everything=True, far=(0.3, 0.7), seed=18,
    ),
    Exercise(
        "tracing-6", "tracing", 5, N_("Round it with a screwdriver, and a fault"), N_("Somebody looked for the fault by turning things."),
        N_("Find the fault among what was turned."), N_("Name the fault: do not align round it."),
        _WEIR, (), (), everything=True, fault="silicon-meter-diode", far=(0.3, 0.6), seed=56,
    ),
)  # fmt: skip


def find_exercise(name: str) -> Exercise:
    """The exercise of the ladder with that id. Raises EntryError."""
    found = next((e for e in LADDER if e.id == name), None)
    if found is None:
        raise EntryError(tr("“{name}”: there is no such exercise. List them: ./unitone practice", name=name))
    return found


def daily(day: datetime.date) -> tuple[Exercise, int]:
    """The exercise and the seed of a day: the same everywhere."""
    number = day.toordinal()
    return LADDER[number % len(LADDER)], 100_000 + number


def surprise(grade: int, seed: int) -> tuple[Exercise, int]:
    """An exercise of about that grade, and its seed, drawn from ``seed``. Raises EntryError for a grade that there is not."""
    if not 1 <= grade <= 5:
        raise EntryError(tr("Grade {grade}: there are grades 1 to 5.", grade=grade))
    rng = np.random.default_rng([seed, zlib.crc32(b"surprise")])
    alike = [e for e in LADDER if e.grade == grade]
    return alike[int(rng.integers(len(alike)))], int(rng.integers(1_000, 90_000))
