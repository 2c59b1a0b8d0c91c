"""Where was I? What a job that rested begins with: the last reading, the last note, what was found, what is waited for.

What is loose stands on the Bench at all times.
"""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from unitone.job.entries.notes import Noted
from unitone.job.shop import describe_finding
from unitone.job.state import JobState
from unitone.present.card.bands_view import where_words
from unitone.quantities.registry import quantity
from unitone.quantities.show import show
from unitone.words import day, tr

#: A job that was put down for less is still in the head.
RESTED = timedelta(hours=3)
#: The last note counts as the next idea if no more entries came after it.
_LATELY = 12
_MOST_FINDINGS = 2


def where_was_i(state: JobState, now: datetime | None = None) -> str:
    """What to know before going on; empty where nothing was read yet, the job is finished, or was at hand a while ago."""
    if not state.entries or not (state.readings or state.shop.sections) or state.finished:
        return ""
    last = _time_of(state.entries[-1].utc)
    if last is None or (now or datetime.now(UTC)) - last < RESTED:
        return ""
    when = day(state.entries[-1].utc)
    words = [tr("Where you were on {day}: nothing read yet.", day=when)]
    if state.readings:
        reading = state.readings[-1].reading
        value = (
            tr(reading.word)
            if reading.value is None
            else reading.bound + show(quantity(reading.quantity_id), reading.value)
        )
        title = quantity(reading.quantity_id).title
        words = [tr("Where you were on {day}: last reading {title} {value}.", day=when, title=title, value=value)]
    kind, why = state.status
    if kind == "waiting":
        words.append(tr("Waiting: {why}.", why=why) if why else tr("Waiting."))
    wrong = [describe_finding(f) for f in state.shop.standing_findings() if f.look == "wrong"]
    if wrong:
        words.append(tr("Found: {list}.", list="; ".join(wrong[:_MOST_FINDINGS])))
    words += [where_words(state, _MOST_FINDINGS)] if state.shop.sections else []
    note = next((e.said.text for e in reversed(state.entries[-_LATELY:]) if isinstance(e.said, Noted)), "")
    if note:
        words.append(tr("Your note: {note}", note=note))
    return " ".join(w for w in words if w)


def _time_of(utc: str) -> datetime | None:
    """The time of an entry; None for one that no clock gave."""
    try:
        made = datetime.fromisoformat(utc)
    except ValueError:
        return None
    return made if made.tzinfo is not None else made.replace(tzinfo=UTC)
