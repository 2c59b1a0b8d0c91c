"""What to do at a step to get its reading: a sentence for every quantity, and where the generator goes.

Nothing here speaks of transmitting unless the step transmits: a generator hangs on the aerial socket of every other one.
"""

from __future__ import annotations

from unitone.bench.path import HOOK_UPS, dial
from unitone.errors import BenchError
from unitone.job.hookup import describe_load
from unitone.job.state import JobState
from unitone.present.bench.figures import describe_place
from unitone.quantities.registry import FOUND_BY
from unitone.quantities.show import microvolts, number
from unitone.sheet.model.front_panel import knob_words
from unitone.sheet.model.injection import SIDES, injected_hz
from unitone.sheet.model.mixing_model import Place, first_oscillator_hz
from unitone.sheet.model.sheet import Conditions, Step
from unitone.words import N_, figure, tr

#: Above this a point can hurt (V DC): extra-low voltage ends at 60 V without ripple (IEC 61140, from memory).
_HURTS_V = 60.0

#: Read on receive, or by a meter alone.
_QUIET: dict[str, str] = {
    "supply.voltage": N_("Radio on receive, squelched. Read the supply voltage at the radio's terminals."),
    "supply.current": N_("Radio on receive, squelched. Read the supply current."),
    "supply.rail": N_("Voltmeter on the rail, against ground."),
    "stage.voltage": N_("Voltmeter on the point, against ground."),
    "rx.injection": N_("Generator on the stage. Turn it up until the output is standard, then read its level."),
    "ref.frequency": N_("Counter on the reference oscillator, loosely coupled."),
    "osc.frequency": N_("Counter on the oscillator, loosely coupled."),
    "rx.lo_error": N_("Counter on the local oscillator, loosely coupled."),
    "vco.tuning_voltage": N_("Voltmeter on the VCO's tuning voltage."),
    "rx.sinad": N_("Read the SINAD at the loudspeaker."),
    "rx.sn_ratio": N_("Read the loudspeaker voltage with the modulation on, then off."),
    "rx.distortion": N_("Read the distortion at the loudspeaker."),
    "rx.af_voltage": N_("AF voltmeter across the loudspeaker, volume as the step says."),
    "rx.quieting": N_("RF on without modulation: read how far the noise falls."),
    "rx.hum": N_("Read how far mains hum stands below the tone."),
    "rx.tone_frequency": N_("Counter across the loudspeaker: read the tone."),
    "rx.loudness": N_("Listen: louder, softer or the same."),
    "rx.agc_voltage": N_("Voltmeter of 10 MΩ or more on the AVC line."),
    "rx.scope_height": N_("Scope across the loudspeaker: read the height of the tone in divisions."),
    "rx.attenuation": N_("Switch attenuation in until the signal just goes. Enter the total in dB."),
    "rx.needle": N_("Read any needle that rises with the signal, in figures of its scale or tenths of it."),
    "rx.agc_rise": N_("Read the loudspeaker voltage at 10 µV, then at the step's level."),
    "rx.selectivity": N_("Move the generator to the next channel and raise it until the reading is the same."),
    "rx.blanker": N_("Noise pulses with the blanker on: read the signal over the noise."),
    "rx.frequency_error": N_("Tune the generator for the loudest tone. Enter how far it is from the dial."),
    "rx.sensitivity": N_("Find the level that gives {mark}."),
    "rx.sensitivity_am": N_("Find the level that gives {mark}."),
    "rx.s_meter": N_("Read the radio's S-meter."),
    "rx.led_lights": N_("Come up from the lowest level until the {led} just lights. Enter that level."),
    "rx.squelch_opens": N_("Start with RF off, then come up from the lowest level until the squelch opens."),
    "rx.squelch_closes": N_("Open the squelch with a strong signal, then come down until it closes."),
    "rx.squelch_tight": N_("Squelch fully up. Enter the level that opens it."),
}
_INTO_LOAD = N_("Key into the dummy load")
#: Read while the radio transmits: what to read, after "Key into the dummy load, …".
_TRANSMITTING: dict[str, str] = {
    "supply.voltage": N_("{key}. Read the supply voltage at the radio, let go."),
    "supply.current": N_("{key}. Read the supply current, let go."),
    "supply.rail": N_("{key}. Read the rail, let go."),
    "stage.voltage": N_("{key}. Read the voltage, let go."),
    "tx.stage_voltage": N_("{key}. RF probe on the stage's output. Read the peak, let go."),
    "ref.frequency": N_("{key}. Read the counter, let go."),
    "osc.frequency": N_("{key}. Read the counter, let go."),
    "vco.tuning_voltage": N_("{key}. Read the VCO's tuning voltage, let go."),
    "tx.bias_voltage": N_("{key} without modulation. Read the bias voltage, let go."),
    "tx.bias_current": N_("{key} without modulation. Read the idle current, let go."),
    "tx.power": N_("{key} without modulation. Read the wattmeter, let go."),
    "tx.pep": N_("{key} with two tones. Read the peak power, let go."),
    "tx.voice_shift": N_("{key}, read a sentence aloud. Read by how much the voice is shifted, let go."),
    "tx.frequency_error": N_("{key} without modulation. Read the counter, let go."),
    "tx.deviation": N_("{key}. Read the deviation, let go."),
    "tx.am_depth": N_("{key}. Read the modulation depth, let go."),
    "tx.spurious": N_("{key} without modulation. Read the strongest spurious line, let go."),
    "tx.harmonic": N_("{key} without modulation. Read the harmonic against the carrier, let go."),
    "tx.carrier_suppression": N_("{key}. Read the residual carrier, let go."),
    "tx.field_strength": N_("Key for a second, step back, read the field-strength meter."),
    "tx.meter": N_("{key}. Read the radio's own power meter, let go."),
    "tx.audio_response": N_("{key}. Read the modulation relative to 1 kHz, let go."),
    "tx.hum_noise": N_("{key} with the tone off. Read hum and noise below the tone, let go."),
}
#: Modulated by a voice: what is said, and what is read meanwhile.
#: What is done where no generator feeds the radio, or no counter counts it: by what conditions call the source.
_WITHOUT: dict[str, dict[str, str]] = {
    "station": {
        "rx.loudness": N_(
            "Tune in a weak, steady station near there. Rock the core between the old and the new place: where is it louder?"
        ),
        "rx.frequency_error": N_("Tune in a station that you know, loudest. Enter how far from it the pointer stands."),
    },
    "clarifier": {
        "tx.frequency_error": N_(
            "Key into the dummy load, read a sentence. Turn the second radio’s clarifier until the voice is natural; enter how far up "
            "(+) or down (−) it was turned, or where it points (11:00)."
        ),
    },
    "voice": {
        "tx.frequency_error": N_(
            "Key into the dummy load, read a sentence aloud for five seconds. The second radio’s sound goes to the sound card."
        ),
    },
}
_SPOKEN: dict[str, str] = {
    "tx.deviation": N_(
        "{key}. Say “one, two, three, four, five, six, seven” into the microphone. Read the highest deviation, let go."
    ),
    "tx.am_depth": N_(
        "{key}. Say “one, two, three, four, five, six, seven” into the microphone. Read the highest depth, let go."
    ),
    "tx.pep": N_(
        "{key}. Say “one, two, three, four, five, six, seven” into the microphone. Read the highest power, let go."
    ),
}


def transmits(step: Step) -> bool:
    """Does the radio transmit at this step?"""
    return step.hook_up == "transmit" or any(c.way == "transmit" for c in step.required)


def instruction(state: JobState, wanted: Conditions, step: Step, by_wire: bool = False) -> str:
    """What to do to get the reading at ``wanted``: the level to dial (``by_wire``: what it is set to), or what to read where.

    Raises KeyError for a quantity that has no words: a test holds the registry against them.
    """
    if wanted.source in _WITHOUT:
        return tr(_WITHOUT[wanted.source].get(step.quantity_id, "")) or tr(_QUIET[step.quantity_id])
    if wanted.level_dbm is not None:
        try:
            setting = dial(state.kit, wanted.level_dbm)
            words = setting.words
            if by_wire:
                words = tr(
                    "Generator set by wire: {dbm} dBm, {arrives} at the radio.",
                    dbm=number(setting.dial_dbm, 1),
                    arrives=microvolts(setting.arrives_dbm),
                )
            return " ".join(x for x in (words, setting.caution, _describe_read(step)) if x)
        except BenchError as error:
            return str(error)
    if transmits(step):
        return _describe_transmit(step, wanted, _describe_read(step) or _describe_point(state, step))
    if step.quantity_id == "rx.frequency_error" and step.read is None:
        return tr(_QUIET[step.quantity_id]) + _describe_other_receiver(state, wanted)
    if step.read is not None:
        return _high_voltage(step) + _describe_read(step)
    known = _describe_point(state, step)
    if known:
        return _high_voltage(step) + known
    mark = FOUND_BY.get(step.quantity_id, ("", 0.0, ""))[2]
    return _high_voltage(step) + tr(_QUIET[step.quantity_id]).format(mark=mark, led=wanted.test_point or tr("LED"))


def _describe_transmit(step: Step, wanted: Conditions, point: str) -> str:
    words, into = tr(_TRANSMITTING[step.quantity_id]), tr(_INTO_LOAD)
    if step.spoken:
        return tr(_SPOKEN[step.quantity_id]).format(key=into)
    if point:
        return tr("{key}. {point} Read it, let go.", key=into, point=point)
    if wanted.mic_mv is not None:
        into = tr("Feed {mv} mV to the microphone input, key into the dummy load", mv=number(wanted.mic_mv, 0))
    return words.format(key=into)


def _describe_read(step: Step) -> str:
    """``AF voltmeter, loudspeaker terminals.``: what a step is read with, and where, as its sheet says."""
    if step.read is None:
        return ""
    words = ", ".join(x for x in (step.read.meter, step.read.at) if x)
    return words[:1].upper() + words[1:].rstrip(".") + "." if words else ""


def _describe_other_receiver(state: JobState, wanted: Conditions) -> str:
    """Where the oscillator is heard on another receiver; empty for a sheet that does not say where it runs."""
    hz = first_oscillator_hz(state.sheet, Place("receive", wanted.band, wanted.mode, wanted.channel))
    if hz is None:
        return ""
    mhz = f"{hz / 1e6:.3f}"
    return " " + tr(
        "Or hear the oscillator on another receiver, at {mhz} MHz: zero beat, and enter what that shows.", mhz=mhz
    )


def _describe_point(state: JobState, step: Step) -> str:
    """Which meter goes to the step's test point; empty where it has none, or where it is looked at, not measured."""
    point = next((p for p in state.sheet.test_points if p.id == step.required[0].test_point), None)
    if point is None or step.leds:
        return ""
    if step.read is not None:
        return ""
    meter = tr("Counter") if step.quantity.kind in ("hertz", "hertz-error") else tr("Voltmeter")
    if point.title in ("", point.id):
        return tr("{meter} at {id}.", meter=meter, id=point.id)
    return tr("{meter} at {id}, {title}.", meter=meter, id=point.id, title=point.title)


def _high_voltage(step: Step) -> str:
    """The danger first, where a voltage is read that can hurt."""
    ends = [abs(x) for x in (step.limit.low, step.limit.high) if x is not None]
    if step.quantity.kind != "volts" or not ends or max(ends) <= _HURTS_V or step.quantity_id == "rx.af_voltage":
        return ""
    return tr("High voltage: switch off, clip the meter on, then switch on and read.") + " "


def panel_words(state: JobState, wanted: Conditions, step: Step) -> str:
    """How radio and generator stand: channel, modulation, front panel."""
    words = []
    if step.inject is not None:
        words.append(describe_inject(state, wanted, step))
        # The dial stands where the step wants it; the generator does not.
        words += [tr("dial at {channel}", channel=wanted.channel)] if wanted.channel else []
    elif wanted.channel or wanted.band or wanted.mode:
        words.append(describe_place(state, wanted))
    words += _describe_beat(state, wanted, step)
    if wanted.offset_hz and step.inject is not None:
        words.append(tr("{khz} kHz beside that", khz=number(wanted.offset_hz / 1e3, 1, sign=True)))
    elif wanted.offset_hz:
        words.append(tr("generator {khz} kHz off channel", khz=number(wanted.offset_hz / 1e3, 1, sign=True)))
    if step.spoken:
        words.append(tr("by voice, five seconds"))
    elif wanted.tone_hz:
        words.append(tr("tone {khz} kHz", khz=f"{wanted.tone_hz / 1e3:g}"))
    if wanted.deviation_hz:
        words.append(tr("FM {khz} kHz dev.", khz=f"{wanted.deviation_hz / 1e3:g}"))
    if wanted.depth_pct:
        words.append(tr("AM {pct} %", pct=f"{wanted.depth_pct:g}"))
    if step.hook_up == "receive":
        if wanted.level_dbm is not None and not wanted.deviation_hz and not wanted.depth_pct:
            words.append(tr("no modulation"))
        words.append(tr("RF on") if wanted.source is None else tr("a weak, steady station near there"))
    words += [knob_words(name, place) for name, place in wanted.panel]
    if not words:
        words.append(tr("set on receive, any channel"))
    return " · ".join(words)


def _describe_beat(state: JobState, wanted: Conditions, step: Step) -> list[str]:
    """In single sideband the generator stands beside the carrier by the tone that is to be heard: where, in megahertz."""
    side = SIDES.get((wanted.mode or "").lower())
    if side is None or step.hook_up != "receive" or step.inject is not None or not wanted.tone_hz or not wanted.channel:
        return []
    hz = float(state.sheet.carrier_hz(wanted.channel, wanted.band)) + side * wanted.tone_hz
    mhz, khz = f"{hz / 1e6:.6f}", f"{wanted.tone_hz / 1e3:g}"
    words = tr("generator at {mhz} MHz, {khz} kHz above, unmodulated", mhz=mhz, khz=khz)
    return [words if side > 0 else tr("generator at {mhz} MHz, {khz} kHz below, unmodulated", mhz=mhz, khz=khz)]


def describe_inject(state: JobState, wanted: Conditions, step: Step) -> str:
    """``generator at 465 kHz to the mixer grid, through a loop``; empty for a step whose generator feeds the aerial socket."""
    where = step.inject
    if where is None:
        return ""
    hz = injected_hz(state.sheet, where, wanted)
    if hz is None:
        words = tr("generator")
    elif hz < 2e6:
        words = tr("generator at {khz} kHz", khz=f"{hz / 1e3:g}")
    else:
        words = tr("generator at {mhz} MHz", mhz=f"{hz / 1e6:.6f}".rstrip("0").rstrip("."))
    words += tr(" to the {at}", at=where.at)
    return words + (f", {figure(where.coupling)}" if where.coupling else "")


def describe_hook_up(state: JobState, step: Step) -> str:
    """What has to be true before the hook-up is confirmed."""
    if step.quantity_id == "tx.field_strength":
        return tr("This radiates, RF burns: generator and dummy load off. Seconds only, as your licence allows.")
    if step.setting.source == "station":
        return tr("No generator: a short aerial to the aerial terminal.")
    if step.hook_up == "transmit":
        return f"{tr(HOOK_UPS['transmit'][2])} {describe_load(state)}".strip()
    if step.inject is not None:
        words = describe_inject(state, step.setting, step)
        return words[:1].upper() + words[1:] + "."
    if step.hook_up == "receive" and not any(s.hook_up == "transmit" for s in state.sheet.steps):
        return tr("Generator to the aerial terminal, through its pads.")
    return tr(HOOK_UPS[step.hook_up][2])


def chain(state: JobState, step: Step) -> tuple[str, ...]:
    """What is connected to what, as a chain."""
    if step.setting.source == "station":
        return (tr("A short aerial"), tr("Aerial terminal"), tr("Your ear"))
    if step.setting.source in ("clarifier", "voice"):
        last = tr("Your ear") if step.setting.source == "clarifier" else tr("Sound card")
        return (tr("Dummy load"), tr("Second radio"), last)
    if step.quantity_id == "tx.field_strength":
        return (tr("Whip, fully out"), tr("same place"), tr("Field meter"))
    parts = HOOK_UPS[step.hook_up][1]
    if "Pads" not in parts:
        return tuple(tr(c) for c in parts)
    fixed = state.kit.fixed_db
    middle = [tr("{db} dB pad", db=number(fixed, 0))] if fixed else []
    if state.kit.switches_db:
        middle.append(tr("Attenuator"))
    last = tr(parts[-1]) if step.inject is None else step.inject.at[:1].upper() + step.inject.at[1:]
    return (tr(parts[0]), *middle, last)
