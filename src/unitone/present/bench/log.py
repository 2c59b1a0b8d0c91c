"""The log's strip on the Bench: one cell an entry, for those that say something to a person."""

from __future__ import annotations

from typing import assert_never

from unitone.align.trace.ladder import not_heard
from unitone.job.bands import section_title
from unitone.job.damages import damage
from unitone.job.entries import Entry
from unitone.job.entries.bench import Broken, HookedUp, InstrumentsSet, KitSet, Repaired, SetUp
from unitone.job.entries.hands import Swept, Touched, Turned
from unitone.job.entries.notes import Damaged, Loosened, Noted, Tied, Tried, Voided
from unitone.job.entries.opening import Archived, CardAmended, Finished, HandedOver, Opened, StatusSet
from unitone.job.entries.practice import TOOLS, Diagnosed, HintTaken, ToolTaken
from unitone.job.entries.procedure import Concluded, ConventionsChosen, Judged, PhaseBegun, VariantMade, WentTo
from unitone.job.entries.readings import Reading
from unitone.job.entries.tracing import Checked, Intermittent, NoiseAnswered
from unitone.job.entries.trials import TrialMoved
from unitone.job.entries.workshop import (
    CapacitorMeasured,
    ControlTold,
    FindingMade,
    HeardOnAir,
    LeavingNoted,
    Modified,
    PageWanted,
    PartFitted,
    PutBack,
    ReadBeside,
    SectionFound,
    StopsCounted,
    SupplySet,
    TimeSpent,
)
from unitone.job.leaving import leaving_title
from unitone.job.shop import describe_look
from unitone.job.state import JobState
from unitone.present.bench.bench_shapes import TapeCell
from unitone.present.bench.figures import plain_figure
from unitone.present.bench.sentences import position_text
from unitone.quantities.registry import quantity
from unitone.quantities.show import microvolts, number
from unitone.words import N_, tr, tr_n

#: So many cells are shown, and so many letters of words stand in one.
_CELLS, _LETTERS = 24, 24
#: How a step ended, in words.
_OUTCOMES = {
    "in-spec": N_("in spec"), "peaked": N_("peaked"), "staggered": N_("staggered"), "set": N_("set"), "at-stop": N_("at its stop"),
    "dead": N_("no effect"),
    "out-of-range": N_("out of range"), "no-convergence": N_("does not settle"), "nothing-to-adjust": N_("nothing to adjust"),
    "judged": N_("judged"), "even": N_("even"),
}  # fmt: skip
#: How something was checked while tracing, in a word.
CHECK_WAYS = {
    "look": N_("look"), "flex": N_("flex"), "signal": N_("signal"), "ohms": N_("power off"), "substitute": N_("substitute"),
}  # fmt: skip
#: So many entries are looked at for them: some say nothing to a person.
_LOOKED_AT = 60


def log_strip(state: JobState) -> tuple[TapeCell, ...]:
    """The last cells of the log."""
    cells = [cell for e in state.entries[-_LOOKED_AT:] if (cell := log_cell(state, e)) is not None]
    return tuple(cells[-_CELLS:])


def log_cell(state: JobState, entry: Entry) -> TapeCell | None:
    """An entry in the strip; None for those that say nothing to a person."""
    told = _told(state, entry)
    if told is None:
        return None
    what, value = told
    # What is a correction or an end itself is never shown as voided.
    voided = entry.id in state.voided and not isinstance(entry.said, Voided | Damaged | VariantMade | Finished)
    return TapeCell(entry.utc[11:19], what, value, voided)


def _told(state: JobState, entry: Entry) -> tuple[str, str] | None:
    """(what, value) of an entry."""
    said = entry.said
    match said:
        case Reading():
            return _reading(state, said)
        case Turned():
            return _turn(state, said)
        case Swept():
            return tr("{adjuster} swept", adjuster=said.adjuster), describe_sweep(said.ended, said.gained_db)
        case HookedUp():
            return tr("hook-up"), tr(said.way)
        case Broken():
            return damage(said.what).name, tr("broken")
        case Repaired():
            return damage(said.what).name, tr("repaired")
        case Concluded():
            known = state.sheet.has_step(said.step)
            title = state.sheet.step(said.step).title if known else said.step
            return title, tr(_OUTCOMES.get(said.outcome, said.outcome))
        case Voided():
            return tr("deleted"), ""
        case TrialMoved():
            words = {"worth": tr("worth it?"), "unknown": tr("what does it do?"), "over": tr("over")}
            return tr("trial"), words.get(said.what, tr("broken off"))
        case Damaged():
            return tr("damaged entry"), ""
        case Noted():
            return tr("note"), said.text[:_LETTERS]
        case Touched():
            return said.words[:_LETTERS], tr("touched")
        case Judged():
            return said.reason[:_LETTERS], tr(said.verdict)
        case VariantMade():
            return said.title[:_LETTERS], tr("variant")
        case Tried():
            return said.done[:_LETTERS], tr(said.outcome)
        case Loosened():
            return _loose(state, entry.id, said.what), tr("loose")
        case Tied():
            return _loose(state, said.entry, ""), tr("stays") if said.stays else tr("put right")
        case ConventionsChosen():
            return tr("conventions"), ""
        case HintTaken():
            return tr("hint"), ""
        case ToolTaken():
            return tr("tool"), tr(TOOLS[said.tool])
        case Diagnosed():
            return tr("diagnosis"), ""
        case Finished():
            return tr("finished"), ""
        case (
            FindingMade() | SupplySet() | CapacitorMeasured() | PartFitted() | TimeSpent() | HeardOnAir() | ControlTold()
            | PageWanted() | SectionFound() | StopsCounted() | ReadBeside() | Modified() | PutBack() | LeavingNoted()
            | HandedOver() | Archived() | CardAmended() | StatusSet()
        ):  # fmt: skip
            what, value = _workshop(state, said)
            return what[:_LETTERS], value[:_LETTERS]
        case Checked():
            return f"{_stage(state, said.stage) if not said.part else said.part}, {tr(CHECK_WAYS[said.way])}"[
                :_LETTERS
            ], (tr("wrong") if said.wrong else tr("fine"))
        case Intermittent():
            return tr("watched"), tr_n("{n} drop-out", "{n} drop-outs", len(said.drops))
        case NoiseAnswered():
            return tr("noise"), tr("yes") if said.yes else tr("no")
        case Opened() | KitSet() | InstrumentsSet() | SetUp() | PhaseBegun() | WentTo():
            return None
        case _:
            assert_never(said)


def _reading(state: JobState, reading: Reading) -> tuple[str, str]:
    figure, unit = plain_figure(reading)
    q = quantity(reading.quantity_id)
    if q.kind == "level" and reading.value is not None and not reading.word:
        figure, unit = microvolts(reading.value).split(" ")[:2]
        figure = reading.bound + figure
    if q.id in ("ref.frequency", "osc.frequency") and reading.value is not None:
        figure, unit = number(reading.value, 0), "Hz"
        if reading.value > 1e6:
            figure, unit = number(reading.value / 1e6, 6), "MHz"
    name = f"{_short(q.id)} {reading.conditions.place}".strip()
    if reading.conditions.offset_hz:
        name += f" {number(reading.conditions.offset_hz / 1e3, 1, sign=True)} kHz"
    if reading.conditions.inject and q.id == "tx.stage_voltage":
        return _stage(state, reading.conditions.inject)[:_LETTERS], f"{figure} {unit}".strip()
    if q.id == "rx.injection":
        at = next((s.inject.at for s in state.sheet.stages if s.id == reading.conditions.inject and s.inject), "")
        return tr("inject {at}", at=at)[:_LETTERS], tr("not heard") if not_heard(
            reading
        ) else f"{figure} {unit}".strip()
    if q.id == "stage.voltage":
        row = next((v for v in state.sheet.voltages if v.id == reading.conditions.test_point), None)
        name = row.title[:_LETTERS] if row is not None else name
    if q.id == "rx.led_lights":
        name = reading.conditions.test_point or name
    return name, f"{figure} {unit}".strip()


def _stage(state: JobState, identifier: str) -> str:
    return next((s.title for s in state.sheet.stages if s.id == identifier), identifier)


def describe_sweep(ended: str, gained_db: float) -> str:
    """How a sweep ended, in a word or as what it gained."""
    words = {"at stop": tr("at its stop"), "no effect": tr("no effect"), "broken off": tr("broken off")}
    return words.get(ended) or tr("{db} dB", db=number(gained_db, 1, sign=True))


def _turn(state: JobState, said: Turned) -> tuple[str, str]:
    if said.adjuster not in state.positions:
        return said.adjuster, ""
    adjuster = state.sheet.adjuster(said.adjuster)
    return said.adjuster, position_text(adjuster, said.moved) + (tr(" stop") if said.stop else "")


def _loose(state: JobState, entry_id: str, otherwise: str) -> str:
    end = state.loose.get(entry_id)
    return (state.describe_loose(end) if end else otherwise)[:_LETTERS]


def _workshop(
    state: JobState,
    said: FindingMade | SupplySet | CapacitorMeasured | PartFitted | TimeSpent | HeardOnAir | ControlTold
    | PageWanted | SectionFound | StopsCounted | ReadBeside | Modified | PutBack | LeavingNoted | HandedOver | Archived | CardAmended | StatusSet,
) -> tuple[str, str]:  # fmt: skip
    match said:
        case FindingMade():
            return said.words or said.done or said.item, describe_look(said.look)
        case SupplySet():
            return tr("supply"), said.path or tr("set")
        case CapacitorMeasured():
            return said.part, tr("measured")
        case PartFitted():
            return said.part, said.fitted
        case TimeSpent():
            return tr("time"), tr("{n:g} min", n=said.minutes)
        case HeardOnAir():
            return tr("on the air"), said.words
        case ControlTold():
            works = tr("works") if said.works else tr("does not work")
            return said.control, tr("told") if said.does is not None else works
        case LeavingNoted():
            return leaving_title(said.item), said.words or (tr("fine") if said.fine else tr("wrong"))
        case SectionFound():
            return " ".join(x for x in (said.band, section_title(state.sheet, said.section)) if x), tr(said.look)
        case StopsCounted():
            return tr(
                "{band}: dial stops", band=said.band
            ), f"{number(said.low_hz / 1e6, 3)} … {number(said.high_hz / 1e6, 3)} MHz"
        case ReadBeside():
            return tr("beside {other}", other=said.other), tr(said.what)
        case Modified():
            return said.where, tr(said.what)
        case PutBack():
            made = state.shop.modifications.get(said.entry)
            return made.where if made is not None else tr("modification"), tr("put back")
        case PageWanted():
            return said.page, tr("has come") if said.found else tr("wanted")
        case HandedOver():
            return tr("handed over"), said.to
        case Archived():
            return tr("archive"), tr("away") if said.archived else tr("back")
        case CardAmended():
            return tr("card"), ", ".join(said.card)
        case StatusSet():
            return tr(said.status), said.why
        case _:
            assert_never(said)


#: What a quantity is called where there is no room for its title.
_SHORT = {
    "rx.sinad": N_("SINAD"), "rx.distortion": N_("distortion"), "rx.sensitivity": N_("12 dB"), "rx.s_meter": N_("S-meter"),
    "rx.squelch_opens": N_("opens"), "rx.led_lights": N_("lamp"), "tx.power": N_("power"),
    "tx.frequency_error": N_("frequency"), "tx.voice_shift": N_("voice"), "tx.deviation": N_("deviation"),
    "vco.tuning_voltage": N_("VCO"), "supply.rail": N_("rail"), "ref.frequency": N_("reference"),
    "supply.current": N_("current"), "rx.lo_error": N_("LO"), "supply.voltage": N_("supply"),
    "osc.frequency": N_("oscillator"), "tx.bias_voltage": N_("bias"), "tx.bias_current": N_("idle"), "tx.pep": N_("PEP"),
    "tx.am_depth": N_("depth"), "tx.harmonic": N_("harmonic"), "tx.spurious": N_("spurious"),
    "tx.carrier_suppression": N_("carrier"), "tx.audio_response": N_("audio"), "tx.hum_noise": N_("hum"),
    "tx.meter": N_("meter"), "tx.field_strength": N_("field"), "rx.sn_ratio": N_("S/N"), "rx.af_voltage": N_("audio"),
    "rx.scope_height": N_("scope"), "rx.hum": N_("hum"), "rx.tone_frequency": N_("tone"), "rx.needle": N_("needle"),
    "rx.attenuation": N_("attenuation"), "rx.agc_voltage": N_("AVC"), "rx.frequency_error": N_("dial"),
    "rx.sensitivity_am": N_("10 dB"), "rx.squelch_tight": N_("tight"), "rx.squelch_closes": N_("closes"),
    "rx.agc_rise": N_("rise"), "rx.selectivity": N_("selectivity"), "rx.blanker": N_("blanker"),
    "rx.quieting": N_("quieting"), "rx.loudness": N_("ear"), "stage.voltage": N_("volts"),
    "rx.injection": N_("injected"), "tx.stage_voltage": N_("RF"),
}  # fmt: skip


def _short(quantity_id: str) -> str:
    return tr(_SHORT.get(quantity_id, quantity_id))
