"""The shapes of what the Bench shows: immutable, known to no widget and to no session."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from unitone.align.moves import Advice
from unitone.bench.instruments import Instrument
from unitone.bench.path import Kit
from unitone.job.verdicts import Verdict
from unitone.present.bench.channel_chart import ChartView
from unitone.sheet.model.sheet import Conditions

#: What an ear is asked: whether it is louder, or whether a voice is too high.
ByEar = Literal["", "loudness", "pitch"]


@dataclass(frozen=True)
class ProcedureRow:
    """One step in the procedure."""

    step_id: str
    title: str
    verdict: Verdict
    value: str
    current: bool
    look: bool = False


@dataclass(frozen=True)
class PathStage:
    """A stage in the path strip; ``mark`` is done, now, out, re-check or to do."""

    title: str
    way: str
    mark: str


@dataclass(frozen=True)
class Bar:
    """The limit bar: band, marks (0 to 1), the texts under it, and at which level it counts where another is dialled."""

    band: tuple[float, float]
    found: float | None
    now: float | None
    start: str
    end: str
    limit: str
    counts_at: str = ""


@dataclass(frozen=True)
class HillView:
    """The plot: points (position, value), fitted curve with its band, the peak, and the words of the axes."""

    points: tuple[tuple[float, float], ...]
    curve_x: tuple[float, ...]
    curve_y: tuple[float, ...]
    curve_low: tuple[float, ...]
    curve_high: tuple[float, ...]
    peak: float | None
    peak_text: str
    here: float
    adjuster: str
    x_unit: str
    y_unit: str
    target: float | None
    #: The same as it was found, where it has changed since: drawn as rings under it.
    found: tuple[tuple[float, float], ...] = ()


@dataclass(frozen=True)
class LedgerRow:
    """An adjuster in the turns ledger; ``place`` is -1 … 1 about where it was found."""

    adjuster: str
    kind: str
    where: str
    text: str
    place: float
    current: bool
    tool: str
    seen: str
    moved: bool


@dataclass(frozen=True)
class Pin:
    """A pin on the board."""

    id: str
    x: float
    y: float
    kind: str
    current: bool
    moved: bool


@dataclass(frozen=True)
class BoardPicture:
    """The board picture that is shown: its id, the hash of its content, its file name, and the part that is shown."""

    id: str
    hash: str
    file: str
    title: str
    crop: tuple[float, float, float, float]


@dataclass(frozen=True)
class RecheckRow:
    """One measurement of the re-check plan: the step to go to, what is read where, and the steps it settles."""

    step_id: str
    words: str
    settles: str
    hook_up: str


@dataclass(frozen=True)
class RecheckView:
    """The way back to a whole job."""

    headline: str
    why: str
    rows: tuple[RecheckRow, ...]


@dataclass(frozen=True)
class Touchable:
    """A part or an action that can be touched: its name, its words, and what it reaches."""

    id: str
    words: str
    affects: str
    steps: int


@dataclass(frozen=True)
class ConventionRow:
    """One question of conventions as it stands."""

    question: str
    title: str
    choices: tuple[tuple[str, str], ...]
    choice: str
    own: str
    by: str
    why: str


@dataclass(frozen=True)
class TriedRow:
    """Something that was tried, as one line, and its outcome."""

    words: str
    outcome: str


@dataclass(frozen=True)
class TapeCell:
    """A cell of the tape strip."""

    time: str
    what: str
    value: str
    voided: bool


@dataclass(frozen=True)
class ChannelLine:
    """One channel of a step with several."""

    channel: str
    found: str
    now: str
    inside: bool | None
    stale: bool


@dataclass(frozen=True)
class ProcedureView:
    """The way through the procedure: rounds, steps with their verdicts, the stages of the radio, what is to be measured again."""

    tally: str
    phase: str
    phase_words: str
    procedure: tuple[tuple[str, tuple[ProcedureRow, ...]], ...]
    why: str
    path: tuple[PathStage, ...]
    recheck: RecheckView | None
    conventions: tuple[ConventionRow, ...]


@dataclass(frozen=True)
class StepView:
    """The step at hand: what it asks for, what there is to say beside it, and what has been judged."""

    id: str
    quantity: str
    title: str
    place: str
    verdict: Verdict
    dial_words: str
    panel_words: str
    notes: tuple[str, ...]
    cautions: tuple[str, ...]
    channels: tuple[ChannelLine, ...]
    judged_words: str
    remarks: tuple[str, ...]
    can_judge: tuple[str, ...]
    #: What a trial at this step told, "" where there was none.
    trial: str
    #: May it be asked here whether aligning is worth it?
    can_be_worth: bool
    #: Is its reading live, so that its core may be swept?
    can_be_swept: bool
    conditions: Conditions
    limit_words: str
    leave_alone: bool


@dataclass(frozen=True)
class ReadingView:
    """The reading of the step: its large figure, its bar, its curve, and how the next one is typed."""

    figure: str
    unit: str
    figure_words: str
    bar: Bar
    hill: HillView | None
    chart: ChartView | None
    #: At an S-meter's or a squelch's step: what its chart reads next, "" where all is read or there is none.
    chart_next: str
    #: The entry of the reading that is shown (0 for none); how high it stands for the ear (dB), and what sounds as 440 Hz.
    seq: int
    pitch: tuple[float | None, float | None]
    instrument_words: str
    instruments: tuple[Instrument, ...]
    rule: str
    live: bool
    #: Who reads it live on the technician's own bench ("" where it is typed, or simulated), and whether that can be changed.
    source: str
    can_change_source: bool
    #: May a recording be read here?
    recorded: bool
    #: What would be read here without hands, one reading after the other: the step's chart, or its places; "" where nothing would.
    run: str
    quantity_id: str
    #: What an ear is asked, where no meter reads it.
    by_ear: ByEar
    expected: str
    #: The unit that a number typed without one is in, as it stands beside the field.
    entry_unit: str


@dataclass(frozen=True)
class BoardView:
    """The board and the adjusters: where they sit, how they stand, and which is in the hand."""

    pins: tuple[Pin, ...]
    picture: BoardPicture | None
    #: The scan of the page that the step comes from, where its sheet has one.
    scan: BoardPicture | None
    touchables: tuple[Touchable, ...]
    ledger: tuple[LedgerRow, ...]
    selected: str
    #: The adjuster in hand, where no picture shows its place yet.
    unpinned: str
    selected_step_mdeg: int
    step_words: tuple[str, str]
    moved_count: int


@dataclass(frozen=True)
class HookUpView:
    """What is connected to what, and what a wrong hook-up broke."""

    present: str
    wanted: str
    chain: tuple[str, ...]
    words: str
    ok: bool
    #: What a wrong hook-up broke on the simulated bench, and what mends it; and whether the interlock can be forced here.
    damage: tuple[str, str]
    #: What a simulated radio's cores are turned with (``plastic`` or ``metal``), and the one that it was left in.
    tool: str
    tool_in: str
    can_force: bool
    kit: Kit


@dataclass(frozen=True)
class LogView:
    """The last of the log, what was tried, and what is loose."""

    tried: tuple[TriedRow, ...]
    loose: tuple[tuple[str, str], ...]
    variant_words: str
    cells: tuple[TapeCell, ...]
    #: What to know of a job that rested; empty where it did not.
    rested_words: str = ""


@dataclass(frozen=True)
class CoachView:
    """The next move, as data and in words."""

    advice: Advice
    headline: str
    detail: str
    button: str
    arrow: int
    #: Practice without help: nothing is said, and nothing is done in its name.
    silent: bool = False


@dataclass(frozen=True)
class BenchView:
    """What the Bench shows of a job at one moment: seven views that change, are compared and painted apart."""

    job_id: str
    #: How far the log went when this was taken: a command from this picture is meant for that state alone.
    seq: int
    number: int
    title: str
    bench_words: str
    finished: bool
    simulated: bool
    procedure: ProcedureView
    step: StepView
    reading: ReadingView
    board: BoardView
    hook_up: HookUpView
    log: LogView
    coach: CoachView
