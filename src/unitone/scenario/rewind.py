"""Back to before a mistake: a new job whose log goes as far as it did then. The first job stays as it is."""

from __future__ import annotations

from dataclasses import replace

import msgspec

from unitone.errors import TapeError
from unitone.job.card import Card
from unitone.job.entries.opening import Opened
from unitone.session.session import Session
from unitone.store.ports import Store
from unitone.words import tr


def rewind(book: Store, job_id: str, seq: int, into: Store | None = None) -> Session:
    """A session on a copy of the job's log before entry ``seq``, kept in the same book or ``into`` another one; adjusters, hook-up and
    bench clock stand as they did. Raises TapeError for a log that has no such entry, StoreError."""
    tape = book.tape(job_id)
    opened = tape[0].said
    into = into or book
    if not isinstance(opened, Opened) or not 1 < seq <= tape[-1].seq + 1:
        raise TapeError(tr("There is nothing before that move. Start the exercise again instead."))
    card = replace(Card.from_data(opened.card), number=into.next_number())
    radio = next((r.radio for r in book.like(card.sheet_id) if r.id == job_id), card.sheet_id)
    job = into.create_job(card, radio, msgspec.structs.replace(opened, card=card.to_data()))
    for entry in tape[1:]:
        if entry.seq >= seq:
            break
        into.append(job, entry.said, entry.bench_s, entry.seq)
    return Session(into, job)
