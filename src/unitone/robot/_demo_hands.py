"""What hands and eyes did in the demo workshop: inspections, rails, capacitors, trials, papers; and the radios worked by hand."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from unitone.job.card import Card
from unitone.session.session import Session, open_job
from unitone.sheet.model.looks import inspection
from unitone.store.logbook import Logbook

#: A drawing in place of a photograph: the core of T5 with a corner out of it.
_CHIPPED = b"""<svg xmlns="http://www.w3.org/2000/svg" width="480" height="360" viewBox="0 0 480 360">
<rect width="480" height="360" fill="#3b4a3a"/><rect x="120" y="60" width="240" height="240" rx="10" fill="#b9bcc0"/>
<rect x="132" y="72" width="216" height="216" rx="6" fill="#8f9399"/><circle cx="240" cy="180" r="92" fill="#2a2c30"/>
<circle cx="240" cy="180" r="78" fill="#54504c"/><path d="M214 122h52v116h-52z" fill="#1c1a19"/>
<path d="M266 122l46 22-30 44-16-8z" fill="#1c1a19"/><path d="M296 250c16 6 30 20 34 36" stroke="#d9c24a" stroke-width="10" fill="none"/>
<text x="240" y="334" font-family="sans-serif" font-size="20" text-anchor="middle" fill="#e8e4da">T5, wax off, slot broken out</text></svg>"""


def stamp(moment: datetime) -> str:
    """UTC in ISO 8601 to the millisecond."""
    return moment.isoformat(timespec="milliseconds").replace("+00:00", "Z")


def before(session: Session, number: int) -> None:
    """What was looked at and measured before the first step of a simulated radio's job."""
    if number < 139:
        session.workshop.look_at("wax", "fine", "seals whole")
        session.workshop.look_at("controls", "repaired", done="controls and switches cleaned")
    if number == 147:
        _deaf(session)
    elif number == 146:
        _rails_halved(session)


def parts(session: Session, squelch_cap: bool, rail_cap: bool) -> None:
    """Parts that were found bad once the radio had been measured as it came."""
    if rail_cap:
        session.workshop.read_volts("in", "13.2")
        session.workshop.measure_capacitor("C41", "electrolytic", "100 uF", "210 uF", "3.1 ohm")
        session.workshop.look_at("electrolytics", "wrong", "brown at its foot", ("C41",))
        session.workshop.fit_part("C41", 1, "100 uF 25 V electrolytic", "100 uF 16 V electrolytic", price="0.35")
        session.tried("C41 leaks", "C41 replaced", "8 V rail 7.4 → 8.0 V", "the cause")
    if squelch_cap:
        session.workshop.measure_capacitor("C52", "electrolytic", "4.7 uF", "2.9 uF", "14 ohm")
        session.workshop.fit_part("C52", 1, "4.7 uF 35 V electrolytic", "4.7 uF 25 V electrolytic", price="0.20")
        session.tried("C52 leaks", "C52 replaced", "squelch shuts again", "the cause")


def _deaf(session: Session) -> None:
    session.workshop.amend_card({"first_look": "powers up, lamp on, hiss without end; case screws of three kinds"})
    session.workshop.look_at("wax", "wrong", "wax broken", ("T2", "T3", "T5"))
    session.workshop.look_at(
        "wax", "wrong", "slot chipped, core still turns", ("T5",), pictures={"t5-core.svg": _CHIPPED}, stage="if"
    )
    session.workshop.look_at("cuts", "fine", "no cut tracks, diodes in place")
    session.workshop.look_at("strands", "fine")
    session.workshop.look_at(
        "controls", "repaired", "pots scratchy", done="controls cleaned, microphone switch cleaned"
    )
    session.workshop.fit_part(
        "microphone plug", 1, "4-pin plug", "4-pin plug, cracked", "same pins, strain relief added", "2.40"
    )
    session.workshop.read_current("receive", "0.34 A")
    for row, volts in (("in", "13.21"), ("switched", "13.1"), ("squelch-base", "0.61")):
        session.workshop.read_volts(row, volts)
    session.tried("squelch preset worn", "squelch preset swept end to end", "no change", "not the cause")
    session.loosen("speaker leads off the board")
    session.workshop.spend("1 h 25", "inspection, rails, as-found round")


def _rails_halved(session: Session) -> None:
    session.workshop.look_at("wax", "fine", "seals whole")
    session.workshop.look_at("electrolytics", "wrong", "top swollen", ("C52",), stage="squelch")
    session.workshop.read_current("receive", "0.36 A")
    for row, volts in (
        ("in", "13.2"),
        ("switched", "13.1"),
        ("vco-8", "7.6"),
        ("if-8", "6.1"),
        ("squelch-base", "0.44"),
    ):
        session.workshop.read_volts(row, volts)
    for part, marked, measured, esr in (("C52", "4.7 uF", "2.6 uF", "18 ohm"), ("C44", "10 uF", "6.1 uF", "9 ohm"),
                                        ("C33", "22 uF", "23 uF", "1.1 ohm"), ("C47", "47 uF", "98 uF", "0.8 ohm")):  # fmt: skip
        session.workshop.measure_capacitor(part, "electrolytic", marked, measured, esr)
    session.workshop.heard("the lock keeper", "reception", "it cuts out in the middle of words")
    session.workshop.spend("40", "inspection and rails")


def after(session: Session, number: int) -> None:
    """What was done once a simulated radio's job was worked through."""
    if not session.state.finished:
        return
    for control in session.sheet.controls:
        session.workshop.test_control(control.id, True)
    if number == 142:
        session.workshop.heard("the ferry kiosk", "modulation", "now I understand every word")


# -- worked by hand -------------------------------------------------------------------------------------


def _open(
    book: Logbook,
    sheet: str,
    number: int,
    opened: str,
    serial: str,
    owner: str,
    complaint: str,
    title: str = "",
    **card: object,
) -> Session:
    start = datetime.fromisoformat(opened).replace(tzinfo=UTC)
    made = Card(number, sheet, serial, owner, complaint, None, **card)  # type: ignore[arg-type]
    session = Session(book, open_job(book, sheet, made, utc=stamp(start), title=title))
    session._now = lambda: stamp(start + timedelta(seconds=55.0 * session.state.seq))
    return session


def _read(session: Session, *steps: tuple[str, *tuple[str, ...]]) -> None:
    """Type readings: the step's id, then one for each of its requirements."""
    for name, *values in steps:
        session.go_to(name)
        if session.step.hook_up != "probe" and session.state.hook_up != session.step.hook_up:
            session.confirm_hook_up(session.step.hook_up)
        for required, typed in zip(session.step.required, values, strict=False):
            session.type_in(typed, required)


def handhelds_and_valves(book: Logbook) -> None:
    """The radios that have no simulated radio: an AM mobile, a handheld, a valve receiver, an SSB set, a portable."""
    _portable(book)
    _ssb_set(book)
    _handheld(book)
    _valves(book)
    _am_mobile(book)


def _portable(book: Logbook) -> None:
    session = _open(book, "valve-receiver", 134, "2026-09-08T10:00", "S 7702", "the harbour office", "dial slips, hums",
                    "Corvane Rowan 4", accessories=("back cover",), missing=("knobs",))  # fmt: skip
    session.workshop.look_at("cord", "wrong", "cord frayed, pointer a finger off")
    session.workshop.look_at("reservoir", "wrong", "bulged", ("reservoir capacitor",))
    session.workshop.set_status("later", "left for the winter: no hurry, no money", "15.00")
    session.keep_summary()


def _ssb_set(book: Logbook) -> None:
    session = _open(book, "ssb-set", 135, "2026-09-22T13:30", "SB-2218", "allotment society", "growls, low power on the top channels",
                    "Veldry Sandpiper 80", accessories=("microphone", "power lead", "manual"))  # fmt: skip
    for item in ("wax", "cuts", "resoldered", "strands", "joints", "electrolytics", "controls"):
        session.workshop.look_at(item, "fine")
    _read(session, ("current-rest", "0.52 A"), ("reference", "10.240006 MHz"), ("vco-top", "3.6"), ("vco-bottom", "2.2"),
          ("bias", "31 mA"), ("power", "3.6", "3.4", "2.2"))  # fmt: skip
    session.workshop.spend("2 h", "inspection, rails, synthesiser")
    session.workshop.set_status("waiting", "waits for the manual: which preset is the driver's bias?", "60.00")
    session.keep_summary()


def _handheld(book: Logbook) -> None:
    session = _open(book, "ostrel-mallard-6", 136, "2026-10-01T09:00", "M6-0419", "the island ferry", "dead squelch, half the power of its twin",
                    accessories=("aerial", "case"), missing=("charger",))  # fmt: skip
    session.workshop.look_at("battery-connector", "repaired", "green under the crimp", done="crimped anew")
    session.workshop.look_at("hinges", "fine", "loom flexed under the meter, steady")
    session.workshop.set_supply(path="bench supply", limit="0.7 A")
    for row, volts in (("cells", "12.0"), ("switched", "11.9"), ("osc", "8.2"), ("audio", "11.4")):
        session.workshop.read_volts(row, volts)
    crystals = zip("abcdef", (120, -80, 210, 60, 1940, -150), strict=True)
    _read(session, ("battery", "12.0"), ("current", "41 mA"), *((f"crystal-{c}", f"{hz} Hz") for c, hz in crystals),
          ("power", "0.55", "0.61", "0.58"))  # fmt: skip
    session.workshop.set_status("waiting", "waits for the owner: new crystal for channel E?", "30.00")
    session.keep_summary()


def _valves(book: Logbook) -> None:
    session = _open(book, "valve-receiver", 137, "2026-10-08T14:00", "A 1144", "the old ferryman", "crackles, two stations only",
                    "Corvane Alder 5", accessories=("mains lead", "back cover"), missing=("one knob",))  # fmt: skip
    session.workshop.set_supply(path="lamp limiter", meter="10 Mohm")
    for item, look, words in (("mains", "repaired", "rubber lead perished"), ("reservoir", "wrong", "bulged, 32 µF"),
                              ("coupling", "wrong", "leaks: +1.9 V on the output grid"), ("valves", "fine", "")):  # fmt: skip
        session.workshop.look_at(
            item, look, words, done="new three-core lead, by the electrician" if look == "repaired" else ""
        )
    for row, volts in (("ht-1", "182"), ("ht-2", "160"), ("screens", "58"), ("output-grid", "1.9")):
        session.workshop.read_volts(row, volts)
    for part, kind, marked, measured, esr in (("C30", "electrolytic", "32 uF", "9 uF", "41 ohm"), ("C31", "electrolytic", "32 uF", "12 uF", "30 ohm"),
                                              ("C12", "paper", "10 nF", "19 nF", ""), ("C14", "paper", "47 nF", "81 nF", ""),
                                              ("C9", "mica", "200 pF", "201 pF", "")):  # fmt: skip
        session.workshop.measure_capacitor(part, kind, marked, measured, esr)  # type: ignore[arg-type]
    session.tried(
        "output valve gassy", "grid leak lifted, volts on the grid", "gone: it comes through C14", "not the cause"
    )
    session.loosen("C14 lifted at the grid")
    session.workshop.spend("3 h 10", "inspection, capacitors")
    session.workshop.set_status("waiting", "waits for a 32 µF 450 V electrolytic", "45.00")
    session.keep_summary()


def _am_mobile(book: Logbook) -> None:
    session = _open(book, "ostrel-weir-40-am", 138, "2026-10-14T10:20", "40-0411", "market stall 9", "quiet, growls, no meter",
                    accessories=("microphone",), missing=("power lead",))  # fmt: skip
    for look in inspection(session.sheet)[:6]:
        session.workshop.look_at(look.id, "fine")
    for row, volts in (("in", "13.2"), ("switched", "13.1"), ("if-9", "8.7"), ("audio-9", "7.6"), ("rf-base", "1.39")):
        session.workshop.read_volts(row, volts)
    session.workshop.measure_capacitor("C58", "electrolytic", "470 uF", "190 uF", "2.2 ohm")
    session.tried("volume control worn", "bridged it", "still growls", "not the cause")
    session.tried("C58 dried out", "C58 replaced", "growl gone, audio supply 7.6 → 8.4 V", "the cause")
    session.workshop.fit_part("C58", 1, "470 uF 25 V electrolytic", "470 uF 16 V electrolytic", price="0.60")
    session.workshop.read_volts("audio-9", "8.4")
    _read(session, ("current-rest", "0.31 A"), ("rail", "9.02"), ("reference", "10.239998 MHz"), ("vco-receive", "2.1", "3.6"),
          ("vco-transmit", "2.2", "3.7"), ("power", "3.9", "4.0", "3.8"), ("harmonic", "-62"), ("frequency", "20 Hz", "-10 Hz", "-40 Hz"),
          ("depth", "71"))  # fmt: skip
    session.workshop.spend("1 h 50", "fault and rails")
    session.keep_summary()
