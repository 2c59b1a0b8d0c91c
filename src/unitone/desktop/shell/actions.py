"""What can be done with a key, as data: the shortcut table that help shows and tests check."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Scope = Literal["everywhere", "bench", "jobs", "card", "sheets", "meters", "sums"]


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
    Action("jobs", "Jobs view", "Ctrl+1", "everywhere"),
    Action("bench", "Bench view", "Ctrl+2", "everywhere"),
    Action("sheets", "Sheets view", "Ctrl+3", "everywhere"),
    Action("workshop", "Workshop: instruments and conventions", "Ctrl+4", "everywhere"),
    Action("meters", "Meters: sound card, simulated radio and recordings", "Ctrl+5", "everywhere"),
    Action("sums", "Calculators: by the question they answer", "Ctrl+6", "everywhere"),
    Action("card", "The card of the job: intake, inspection, rails, work, papers", "Ctrl+J", "everywhere"),
    Action("help", "Help and all the keys", "F1", "everywhere"),
    Action("theme", "Day or night", "Ctrl+T", "everywhere"),
    Action("larger", "Larger type", "Ctrl++", "everywhere", True),
    Action("smaller", "Smaller type", "Ctrl+-", "everywhere", True),
    Action("quit", "Quit (everything is on disk already)", "Ctrl+Q", "everywhere"),
    Action("main", "Do what the orange button says", "Return", "bench"),
    Action("ccw", "Turn the selected adjuster one step anticlockwise (⅛ turn for cores)", "Left", "bench"),
    Action("cw", "Turn the selected adjuster one step clockwise", "Right", "bench"),
    Action("ccw-more", "Turn four steps anticlockwise", "Shift+Left", "bench"),
    Action("cw-more", "Turn four steps clockwise", "Shift+Right", "bench"),
    Action("stop-ccw", "By hand: it stands at its anticlockwise end stop", "Ctrl+Left", "bench"),
    Action("stop-cw", "By hand: it stands at its clockwise end stop", "Ctrl+Right", "bench"),
    Action("previous-adjuster", "Select the previous adjuster", "Up", "bench", True),
    Action("next-adjuster", "Select the next adjuster", "Down", "bench", True),
    Action("previous-step", "Previous step", "PgUp", "bench", True),
    Action("next-step", "Next step", "PgDown", "bench", True),
    Action("chart", "Read the chart: S-meter against level, squelch against its control, detector against frequency", "M", "bench"),
    Action("worth", "Worth aligning? Nudge each core of the step and foretell the gain", "V", "bench"),
    Action("what", "Probe the selected adjuster: move it a little, see what changes, put it back", "Q", "bench"),
    Action("keep-effect", "Keep what a nudge moved in this radio's own sheet", "Y", "bench"),
    Action("far", "Far view: number, limit and arrow over the whole window", "F", "bench"),
    Action("pitch", "A pitch that rises with the reading, on or off", "U", "bench"),
    Action("voice", "The coach's line spoken, on or off", "J", "bench"),
    Action("log-key", "Choose a key or foot-switch that logs", "D", "bench"),
    Action("log", "Log the reading on the needle", "L", "bench"),
    Action("type", "Type a reading (a digit, a sign, < or > starts it too)", "R", "bench"),
    Action("back", "Turn the selected adjuster back to where it was found", "B", "bench"),
    Action("back-all", "Take every adjuster back", "Shift+B", "bench"),
    Action("void", "Strike the last reading, note or conclusion", "Ctrl+Z", "bench"),
    Action("hook-up", "Confirm the hook-up of this step", "H", "bench"),
    Action("key-anyway", "Practice: key as the bench stands, hooked up or not", "Shift+H", "bench"),
    Action("mend", "Practice: repair what a wrong hook-up destroyed", "Ctrl+Shift+H", "bench"),
    Action("coach-step", "Go where the coach wants to go", "G", "bench"),
    Action("generator", "Generator, pads and dummy load", "P", "bench"),
    Action("note", "Write a note in the log", "N", "bench"),
    Action("side", "Procedure or board, in a small window", "S", "bench"),
    Action("touched", "A part was touched, or something done: what has to be measured again", "T", "bench"),
    Action("recheck", "The way back to a whole job: what to measure again", "K", "bench"),
    Action("tried", "What was suspected, done, and what came of it", "X", "bench"),
    Action("loose", "Loose ends: what is lifted, out or on for the time being", "W", "bench"),
    Action("judge", "Accept what is out, or put the step aside, with a reason", "A", "bench"),
    Action("conventions", "Conventions: this job's own choices", "O", "bench"),
    Action("instrument", "Which instrument typed readings come from", "I", "bench"),
    Action("job-sheet", "This job's own copy of its sheet: a variant", "E", "bench"),
    Action("certificate", "Certificate", "C", "bench"),
    Action("new-job", "New job", "Ctrl+N", "jobs"),
    Action("find", "Find a job", "Ctrl+F", "jobs"),
    Action("open-job", "Take the chosen job to the bench", "Return", "jobs"),
    *(Action(f"tab-{n}", f"Tab: {words}", f"Alt+{n}", "card") for n, words in enumerate(
        ("intake", "inspection", "rails", "capacitors", "work", "handing over", "history"), 1)),
    Action("look-fine", "Inspection: the item at hand is fine", "Alt+F", "card"),
    Action("look-wrong", "Inspection: something is wrong with it", "Alt+W", "card"),
    Action("look-mended", "Inspection: repaired", "Alt+M", "card"),
    Action("card-void", "Strike the last entry", "Ctrl+Z", "card"),
    Action("card-bench", "Take this job to the Bench", "Ctrl+Return", "card"),
    Action("card-leave", "Back to the jobs", "Esc", "card"),
    Action("meter-open", "Choose a recording", "Ctrl+O", "meters"),
    Action("meter-card", "Listen to the sound card", "Ctrl+L", "meters"),
    Action("meter-simulated", "Listen to the simulated radio on the Bench", "Ctrl+R", "meters"),
    Action("meter-freeze", "Freeze the picture while the sound goes on, or go on", "Ctrl+F", "meters"),
    Action("meter-keep", "Keep the last ten seconds as a sound file", "Ctrl+S", "meters"),
    Action("meter-tones", "Tones out: show the generator, or the wave again", "Ctrl+G", "meters"),
    Action("meter-tone", "Start the tone, or stop it", "Ctrl+.", "meters"),
    Action("meter-hold", "Hold this reading, to compare the next with it", "Ctrl+H", "meters"),
    Action("meter-send", "Send this reading to the step at hand", "Ctrl+Return", "meters"),
    Action("find-sum", "Find a question", "Ctrl+F", "sums"),
    Action("new-sheet", "New sheet", "Ctrl+N", "sheets"),
    Action("find-sheet", "Find a sheet", "Ctrl+F", "sheets"),
    Action("save", "Save the sheet", "Ctrl+S", "sheets"),
    Action("undo", "Undo", "Ctrl+Z", "sheets", True),
    Action("redo", "Do it again", "Ctrl+Shift+Z", "sheets", True),
    Action("next-row", "A row more, like the one at hand", "Ctrl+Return", "sheets"),
    Action("duplicate", "Duplicate the chosen rows", "Ctrl+D", "sheets"),
    Action("row-up", "Move the chosen rows up", "Alt+Up", "sheets", True),
    Action("row-down", "Move the chosen rows down", "Alt+Down", "sheets", True),
    Action("problem", "Go to the next problem", "F8", "sheets"),
)  # fmt: skip


def action(identifier: str) -> Action:
    """The action of that id. Raises KeyError."""
    return next(a for a in ACTIONS if a.id == identifier)


def clashes() -> list[tuple[str, str]]:
    """Pairs of actions that share a key in one place: there must be none."""
    found = []
    for i, first in enumerate(ACTIONS):
        for second in ACTIONS[i + 1 :]:
            together = first.scope == second.scope or "everywhere" in (first.scope, second.scope)
            if together and first.key == second.key:
                found.append((first.id, second.id))
    return found
