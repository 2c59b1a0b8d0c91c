"""What can be done with a key, as data: the table that help shows, and the keys that somebody chose instead.

Words that name a key take it from here (``keyed``, ``shown_key``), so that they say the one that works.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Literal

from unitone.words import N_, tr, translated

Scope = Literal[
    "everywhere",
    "bench",
    "jobs",
    "card",
    "trace",
    "sheets",
    "meters",
    "calculators",
    "practice",
    "debrief",
    "help",
    "welcome",
]


@translated("words")
@dataclass(frozen=True)
class Action:
    """One action: id, words, its key, and where it works."""

    id: str
    words: str
    key: str
    scope: Scope
    #: Goes on while its key is held: moving about only. What turns, logs or voids is done once a press.
    repeats: bool = False


ACTIONS: tuple[Action, ...] = (
    Action("jobs", N_("Jobs view"), "Ctrl+1", "everywhere"),
    Action("bench", N_("Bench view"), "Ctrl+2", "everywhere"),
    Action("sheets", N_("Sheets view"), "Ctrl+3", "everywhere"),
    Action("workshop", N_("Workshop: instruments and conventions"), "Ctrl+4", "everywhere"),
    Action("meters", N_("Meters: sound card, simulated radio and recordings"), "Ctrl+5", "everywhere"),
    Action("calculators", N_("Calculators: by the question they answer"), "Ctrl+6", "everywhere"),
    Action("trace", N_("Trace: find the dead stage of the job at hand"), "Ctrl+7", "everywhere"),
    Action("practice", N_("Practice: exercises on simulated radios"), "Ctrl+8", "everywhere"),
    Action("card", N_("The card of the job: intake, inspection, rails, work, papers"), "Ctrl+J", "everywhere"),
    Action("palette", N_("Find any action, view, job, step, part or calculator"), "Ctrl+K", "everywhere"),
    Action("help", N_("Help with the view and step at hand"), "F1", "everywhere"),
    Action("terms", N_("What the words at hand mean"), "Shift+F1", "everywhere"),
    Action("theme", N_("Day or night"), "Ctrl+T", "everywhere"),
    Action("larger", N_("Larger type"), "Ctrl++", "everywhere", True),
    Action("smaller", N_("Smaller type"), "Ctrl+-", "everywhere", True),
    Action("quit", N_("Quit (everything is on disk already)"), "Ctrl+Q", "everywhere"),
    Action("main", N_("Do what the orange button says"), "Return", "bench"),
    Action("ccw", N_("Turn the selected adjuster one step anticlockwise (⅛ turn for cores)"), "Left", "bench"),
    Action("cw", N_("Turn the selected adjuster one step clockwise"), "Right", "bench"),
    Action("ccw-more", N_("Turn four steps anticlockwise"), "Shift+Left", "bench"),
    Action("cw-more", N_("Turn four steps clockwise"), "Shift+Right", "bench"),
    Action("stop-ccw", N_("Your bench: the adjuster is at its anticlockwise stop"), "Ctrl+Left", "bench"),
    Action("stop-cw", N_("Your bench: the adjuster is at its clockwise stop"), "Ctrl+Right", "bench"),
    Action("previous-adjuster", N_("Select the previous adjuster"), "Up", "bench", True),
    Action("next-adjuster", N_("Select the next adjuster"), "Down", "bench", True),
    Action("previous-step", N_("Previous step"), "PgUp", "bench", True),
    Action("next-step", N_("Next step"), "PgDown", "bench", True),
    Action("chart", N_("Read the chart: S-meter against level, squelch against its control, detector and IF against frequency"), "M", "bench"),
    Action("worth", N_("Worth aligning? Probe each core of the step and predict the gain"), "V", "bench"),
    Action("what", N_("Probe the selected adjuster: move it a little, see what changes, put it back"), "Q", "bench"),
    Action("keep-effect", N_("Keep what a probe found in this radio's own sheet"), "Y", "bench"),
    Action("far", N_("Far view: number, limit and arrow over the whole window"), "F", "bench"),
    Action("pitch", N_("A pitch that rises with the reading, on or off"), "U", "bench"),
    Action("voice", N_("The coach's line spoken, on or off"), "J", "bench"),
    Action("log-key", N_("Choose a key or foot-switch that logs"), "D", "bench"),
    Action("log", N_("Log the live reading"), "L", "bench"),
    Action("type", N_("Type a reading (a digit, a sign, < or > starts it too)"), "R", "bench"),
    Action("back", N_("Turn the selected adjuster back to where it was found"), "B", "bench"),
    Action("back-all", N_("Take every adjuster back"), "Shift+B", "bench"),
    Action("void", N_("Delete the last reading, note or conclusion"), "Ctrl+Z", "bench"),
    Action("hook-up", N_("Confirm the hook-up of this step"), "H", "bench"),
    Action("key-anyway", N_("Practice: transmit with this hook-up, right or wrong"), "Shift+H", "bench"),
    Action("repair", N_("Practice: repair what a wrong hook-up destroyed"), "Ctrl+Shift+H", "bench"),
    Action("coach-step", N_("Go to the coach's step"), "G", "bench"),
    Action("generator", N_("Generator, pads and dummy load"), "P", "bench"),
    Action("note", N_("Write a note in the log"), "N", "bench"),
    Action("side", N_("Procedure or board, in a small window"), "S", "bench"),
    Action("touched", N_("A part was touched: what to measure again"), "T", "bench"),
    Action("recheck", N_("Re-check: what to measure again"), "K", "bench"),
    Action("tried", N_("What was tried, and what came of it"), "X", "bench"),
    Action("loose", N_("Loose: what is lifted, out or on for now"), "W", "bench"),
    Action("judge", N_("Accept what is out, or put the step aside, with a reason"), "A", "bench"),
    Action("conventions", N_("Conventions: this job's own choices"), "O", "bench"),
    Action("instrument", N_("Which instrument typed readings come from"), "I", "bench"),
    Action("sweep", N_("Sweep the selected core: turn it while it is read"), "Space", "bench"),
    Action("sweep-stop", N_("While sweeping: the core is at its stop"), "Z", "bench"),
    Action("sweep-beyond", N_("After a sweep's peak: look outwards for a second one"), "Shift+Z", "bench"),
    Action("source", N_("Read it from the sound card, or type it"), "Shift+I", "bench"),
    Action("recording", N_("Read it from a recording (WAV, FLAC, SigMF)"), "Ctrl+O", "bench"),
    Action("reference", N_("Sound card: hold what is heard now as reference (quieting, hum and noise)"), "Shift+Y", "bench"),
    Action("job-sheet", N_("This job's own copy of its sheet: a variant"), "E", "bench"),
    Action("adjuster", N_("An adjuster that the sheet does not name, or that this radio does not have"), "Ctrl+N", "bench"),
    Action("new-step", N_("A step that the sheet does not have"), "Ctrl+Shift+N", "bench"),
    Action("save-sheet", N_("Finished: save this radio as a sheet for the next of its kind"), "Ctrl+Shift+S", "bench"),
    Action("readings", N_("As-found sheet: every reading in one table"), "Shift+M", "bench"),
    Action("certificate", N_("Certificate"), "C", "bench"),
    Action("hear", N_("Hear the simulated radio, on or off"), "Shift+U", "bench"),
    Action("exercise-hint", N_("Exercise: a hint, which costs 3 marks"), "Ctrl+H", "bench"),
    Action("exercise-level", N_("Exercise: the generator's level"), "Ctrl+D", "bench"),
    Action("exercise-sheet", N_("Exercise: set everything as the sheet says"), "Ctrl+Y", "bench"),
    Action("exercise-tool", N_("Exercise: take the screwdriver out of the core, or the other tool"), "Shift+T", "bench"),
    Action("exercise-finish", N_("Exercise: finish it, and be marked"), "Ctrl+Return", "bench"),
    Action("welcome-radio", N_("The first radio of a new workshop"), "Return", "welcome"),
    Action("welcome-practice", N_("A practice radio first"), "Ctrl+P", "welcome"),
    Action("welcome-later", N_("Neither: to the list of jobs"), "Escape", "welcome"),
    Action("practice-start", N_("Start the chosen exercise"), "Return", "practice"),
    Action("practice-another", N_("The chosen exercise on another radio"), "Ctrl+N", "practice"),
    Action("practice-daily", N_("The exercise of the day"), "Ctrl+D", "practice"),
    Action("practice-surprise", N_("Surprise me"), "Ctrl+R", "practice"),
    Action("debrief-main", N_("Do what the orange button says"), "Return", "debrief"),
    Action("debrief-again", N_("Take the exercise again"), "Ctrl+R", "debrief"),
    Action("debrief-leave", N_("Back to the exercises"), "Esc", "debrief"),
    Action("new-job", N_("New job"), "Ctrl+N", "jobs"),
    Action("find", N_("Find a job"), "Ctrl+F", "jobs"),
    Action("open-job", N_("Take the chosen job to the bench"), "Return", "jobs"),
    *(Action(f"tab-{n}", f"Tab: {words}", f"Alt+{n % 10}", "card") for n, words in enumerate(
        ("intake", "inspection", "rails", "as-found sheet", "capacitors", "bands", "conversion", "work", "handing over", "history"), 1)),
    Action("look-fine", N_("Inspection: the item at hand is fine"), "Alt+F", "card"),
    Action("look-wrong", N_("Inspection: something is wrong with it"), "Alt+W", "card"),
    Action("look-mended", N_("Inspection: repaired"), "Alt+M", "card"),
    Action("card-void", N_("Delete the last entry"), "Ctrl+Z", "card"),
    Action("card-bench", N_("Take this job to the Bench"), "Ctrl+Return", "card"),
    Action("card-leave", N_("Back to the jobs"), "Esc", "card"),
    Action("trace-main", N_("Do what the orange button says"), "Return", "trace"),
    Action("trace-nothing", N_("Heard nothing, at any level; no, in the noise hunt"), "N", "trace"),
    Action("trace-mark", N_("A generator without a scale: set the mark here"), "M", "trace"),
    Action("trace-fine", N_("What was looked at, or the part at hand, is fine"), "F", "trace"),
    Action("trace-wrong", N_("Something is wrong with what was looked at"), "W", "trace"),
    Action("trace-repaired", N_("The part at hand was it, and is repaired"), "R", "trace"),
    Action("trace-other", N_("Another test instead"), "O", "trace"),
    Action("trace-walk", N_("Walk in order, from the loudspeaker back"), "I", "trace"),
    Action("trace-way", N_("Trace the transmit side, or the receive side"), "T", "trace"),
    Action("trace-mode", N_("Trace the signal of another mode"), "D", "trace"),
    Action("trace-up", N_("Look at the stage before"), "Up", "trace", True),
    Action("trace-down", N_("Look at the next stage"), "Down", "trace", True),
    Action("trace-yes", N_("Noise hunt: yes"), "Y", "trace"),
    Action("trace-listen", N_("Noise hunt: listen to the simulated radio as it is, then with it done"), "L", "trace"),
    Action("trace-drop", N_("Watching: a drop-out was heard"), "Space", "trace"),
    *(Action(f"trace-pane-{n}", words, f"Alt+{n}", "trace") for n, words in enumerate(
        (N_("Trace: the ladder of stages"), N_("Trace: watch an intermittent"), N_("Trace: hunt a noise")), 1)),
    Action("trace-void", N_("Delete the last entry"), "Ctrl+Z", "trace"),
    Action("trace-bench", N_("Take this job to the Bench"), "Ctrl+Return", "trace"),
    Action("meter-open", N_("Choose a recording"), "Ctrl+O", "meters"),
    Action("meter-card", N_("Listen to the sound card"), "Ctrl+L", "meters"),
    Action("meter-simulated", N_("Listen to the simulated radio on the Bench"), "Ctrl+R", "meters"),
    Action("meter-freeze", N_("Freeze the picture while the sound goes on, or go on"), "Ctrl+F", "meters"),
    Action("meter-keep", N_("Keep the last ten seconds as a sound file"), "Ctrl+S", "meters"),
    Action("meter-tones", N_("Tones out: show the generator, or the wave again"), "Ctrl+G", "meters"),
    Action("meter-tone", N_("Start the tone, or stop it"), "Ctrl+.", "meters"),
    Action("meter-hold", N_("Hold this reading, to compare the next with it"), "Ctrl+H", "meters"),
    Action("meter-send", N_("Send this reading to the step at hand"), "Ctrl+Return", "meters"),
    Action("find-help", N_("Find in the manual and the glossary"), "Ctrl+F", "help"),
    Action("find-calculator", N_("Find a question"), "Ctrl+F", "calculators"),
    Action("new-sheet", N_("New sheet"), "Ctrl+N", "sheets"),
    Action("find-sheet", N_("Find a sheet"), "Ctrl+F", "sheets"),
    Action("save", N_("Save the sheet"), "Ctrl+S", "sheets"),
    Action("undo", N_("Undo"), "Ctrl+Z", "sheets", True),
    Action("redo", N_("Do it again"), "Ctrl+Shift+Z", "sheets", True),
    Action("next-row", N_("Add a row like this one"), "Ctrl+Return", "sheets"),
    Action("duplicate", N_("Duplicate the chosen rows"), "Ctrl+D", "sheets"),
    Action("row-up", N_("Move the chosen rows up"), "Alt+Up", "sheets", True),
    Action("row-down", N_("Move the chosen rows down"), "Alt+Down", "sheets", True),
    Action("problem", N_("Go to the next problem"), "F8", "sheets"),
)  # fmt: skip


#: Keys that stay: what is done with them is the same everywhere, or begins a reading.
_STAY = frozenset(
    {"Return", "Enter", "Ctrl+Return", "Esc", "Escape", "Left", "Right", "Up", "Down", "Tab", "Backspace", "Delete"}
)
#: On the Bench and in a trace these begin a reading, or say louder, softer, same.
_READINGS = frozenset("0123456789+-/<>.,;")
_NAMED = {
    "Ctrl": N_("Ctrl"), "Shift": N_("Shift"), "Alt": N_("Alt"), "Space": N_("Space"), "Return": N_("Return"), "Up": N_("Up"),
    "Down": N_("Down"), "Left": N_("Left"), "Right": N_("Right"), "PgUp": N_("PgUp"), "PgDown": N_("PgDown"), "Esc": N_("Esc"),
}  # fmt: skip
#: The setting that holds the keys that were chosen.
KEPT_KEYS = "keys"
_chosen: dict[str, str] = {}


def action(identifier: str) -> Action:
    """The action of that id, with its key of today. Raises KeyError."""
    found = next((a for a in ACTIONS if a.id == identifier), None)
    if found is None:
        raise KeyError(identifier)
    return replace(found, key=key_of(found))


def key_of(of: Action) -> str:
    """The key of an action: the chosen one, else its own. Empty where it has none any more."""
    return _chosen.get(of.id, of.key)


def use_keys(chosen: Mapping[str, str]) -> None:
    """Use these instead of the actions' own, by their ids; unknown ids and keys that must stay are passed over."""
    _chosen.clear()
    _chosen.update({a.id: chosen[a.id] for a in ACTIONS if a.id in chosen and can_change(a) and chosen[a.id] != a.key})


def chosen_keys() -> dict[str, str]:
    """What was chosen, by the actions' ids."""
    return dict(_chosen)


def can_change(of: Action) -> bool:
    """May the action have another key?"""
    return of.key not in _STAY


def shown_key(identifier: str) -> str:
    """A key as sentences name it; where the action has none, where it is found instead."""
    return named_key(action(identifier).key) or tr("{key}, by its name", key=named_key(key_of(action("palette"))))


def bare_key(identifier: str) -> str:
    """A key in as few letters as there are, for a button without room for words; three points where there is none."""
    return named_key(key_of(action(identifier))) or "…"


def keyed(words: str, identifier: str) -> str:
    """Words of a button, which end in two spaces and a key, with the key that works today."""
    if identifier not in _chosen:
        return words
    plain, key = words.rpartition("  ")[0], named_key(_chosen[identifier])
    return f"{plain}  {key if key == '+' else key.replace('+', ' ')}" if key else plain


def named_key(key: str) -> str:
    """A key as the keyboard of this language names it: ``Ctrl+S`` as ``Strg+S``."""
    *held, last = key.split("+") if not key.endswith("+") else [*key[:-1].rstrip("+").split("+"), "+"]
    return "+".join(tr(_NAMED[k]) if k in _NAMED else k for k in [*held, last] if k)


def refusal(of: Action, key: str) -> str:
    """Why an action cannot have a key: it stays elsewhere, begins a reading, or is another action's; empty where it can."""
    if key in _STAY:
        return tr("{key} stays as it is.", key=named_key(key))
    if of.scope in ("bench", "trace", "everywhere") and key in _READINGS:
        return tr("{key} begins a reading on the Bench.", key=key)
    other = taken_by(of, key)
    return "" if other is None else tr("{key} is taken: {words}.", key=named_key(key), words=other.words)


def taken_by(of: Action, key: str) -> Action | None:
    """The other action that has a key where this one works; None where it is free."""
    for other in ACTIONS:
        together = of.scope == other.scope or "everywhere" in (of.scope, other.scope)
        if key and other.id != of.id and together and key_of(other) == key:
            return other
    return None


def clashes() -> list[tuple[str, str]]:
    """Pairs of actions that share a key in one place: there must be none."""
    found = []
    for i, first in enumerate(ACTIONS):
        for second in ACTIONS[i + 1 :]:
            together = first.scope == second.scope or "everywhere" in (first.scope, second.scope)
            if together and key_of(first) and key_of(first) == key_of(second):
                found.append((first.id, second.id))
    return found
