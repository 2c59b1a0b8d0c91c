"""One bench of a shared logbook: its copy is written first, and a thread keeps it and the server the same.

Nothing at the bench waits for the server but the taking of a job. While the server is away all goes on here: what is
written waits in the copy (``waiting``), jobs that nobody was known to have are taken on trust, and new jobs get numbers that
were set aside. When it is back, all is sent once (``_sending``), and what others did comes in (``_fetching``).
"""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from sqlalchemy import Connection, func, select
from ulid import ULID

from unitone import trouble
from unitone.errors import ServerAway, StoreError
from unitone.store.backend import Backend
from unitone.store.logbook import utc_now
from unitone.store.ports import Holder, SharingStatus
from unitone.store.postgres.numbers import take_block, take_one
from unitone.store.postgres.server import Server, server_url
from unitone.store.schema import Job
from unitone.store.shared import _benches, waiting
from unitone.store.shared._fetching import fetch, fetch_job
from unitone.store.shared._sending import Parted, send
from unitone.words import clock, tr

#: How often a bench looks at the server (s): while it answers, and at most while it does not.
_EVERY, _SELDOM = 2.0, 10.0
#: After something was written it is sent at once, but not more often than this (s).
_PAUSE = 0.15
#: So long a bench that is asked for its job is waited for (s): it looks at the server every ``_EVERY``.
_HANDING_OVER = 6.0
#: Numbers are set aside anew when no more than these are left.
_FEW = 5


@dataclass(frozen=True)
class _Seen:
    """What a bench sees at the server: the jobs it lost and those it is asked for (each with the other bench's name), who has
    what, and the numbers that it was given."""

    lost: dict[str, str]
    asked: dict[str, str]
    held: dict[str, Holder]
    numbers: list[tuple[int, int]]


class Link:
    """``Sharing`` of a logbook whose copy is ``local``; ``name`` is what the other benches read.

    Nothing is asked of the server before ``start`` or ``exchange``.
    """

    def __init__(self, local: Backend, url: str, name: str) -> None:
        self.on_change: Callable[[], None] | None = None
        self._local, self._url, self._name = local, url, name
        self._server: Server | None = None
        self._state = threading.RLock()
        #: One exchange at a time: the thread's, or one that somebody asked for.
        self._one = threading.Lock()
        self._woken, self._stop = threading.Event(), threading.Event()
        self._thread: threading.Thread | None = None
        self._granted: set[str] = set()
        self._open: set[str] = set()
        #: Being taken right now: the server may know of it before this bench does.
        self._asking: set[str] = set()
        self._holders: dict[str, Holder] = {}
        self._notices: list[str] = []
        self._away_since, self._why, self._waiting = "", "", 0
        self._numbers: list[tuple[int, int]] = []
        self.bench = local.write(self._begin)

    def _begin(self, connection: Connection) -> str:
        waiting.prepare(connection)
        bench = waiting.value(connection, "bench")
        if bench is None:
            bench = str(ULID())
            waiting.keep(connection, "bench", bench)
        self._numbers = [(int(a), int(b)) for a, b in waiting.value(connection, "numbers", [])]
        return str(bench)

    def is_new(self) -> bool:
        """Has this copy never reached its server?"""
        return not self._numbers

    def start(self) -> None:
        """Keep the copy and the server the same from now on."""
        self._thread = threading.Thread(target=self._run, name="shared-logbook", daemon=True)
        self._thread.start()

    # -- the thread -------------------------------------------------------------------------------

    def _run(self) -> None:
        pause = 0.0
        while not self._stop.is_set():
            try:
                self.exchange()
                pause = _EVERY
            except ServerAway:
                pause = min(max(pause, _EVERY / 2) * 2, _SELDOM)
            except StoreError:
                pause = _SELDOM
            except Exception as error:
                self._told(away=False, why=trouble.report(error, "shared-logbook").words)
                pause = _SELDOM
            if self._away_since or self._why:
                self._stop.wait(pause)
            else:
                self._woken.wait(pause)
                self._stop.wait(_PAUSE)
            self._woken.clear()

    def wake(self) -> None:
        """Something was written here: send it soon."""
        self._woken.set()

    def exchange(self) -> None:
        """Send what waits and fetch what is new, now. Raises StoreError where the server is away or will not take it."""
        with self._one:
            try:
                touched = self._exchange()
            except ServerAway as error:
                self._told(away=True, why=str(error))
                raise
            except StoreError as error:
                self._told(away=False, why=str(error))
                raise
            self._told(away=False, why="", changed=bool(touched))

    def _told(self, away: bool, why: str, changed: bool = True) -> None:
        with self._local.reading() as connection:
            count = waiting.count(connection)
        with self._state:
            since = (self._away_since or utc_now()) if away else ""
            changed = changed or (since, why, count) != (self._away_since, self._why, self._waiting)
            self._away_since, self._why, self._waiting = since, why, count
        if changed and self.on_change is not None and not self._stop.is_set():
            self.on_change()

    def _exchange(self) -> bool:
        """The whole round; has anything changed that somebody may look at?"""
        server = self._there()
        with self._state:
            granted, holders = set(self._granted), dict(self._holders)
        seen = server.write(lambda c: self._appear(c, granted))
        self._keep_numbers(seen.numbers)
        self._let_go(seen.lost)
        if seen.asked:
            self._hand_over(seen.asked)
        parted = send(self._local, server, self.bench, self._next_number, utc_now)
        for p in parted:
            self._say_parted(p)
            fetch_job(self._local, server, p.job_id)
        server.write(self._give_back)
        with self._state:
            self._holders = {job: h for job, h in seen.held.items() if job not in self._granted}
        touched = fetch(self._local, server)
        return bool(touched or parted or seen.lost or seen.asked or holders != self._holders)

    def _give_back(self, c: Connection) -> None:
        """What was taken for one entry alone (a state changed in the list), or is put away, is anybody's once it is sent."""
        with self._state:
            self._granted &= self._open
            keep = self._granted | self._asking
        _benches.give_back(c, self.bench, sorted(_benches.held_here(c, self.bench) - keep))

    def _there(self) -> Server:
        if self._server is None:
            self._server = Server(self._url)
        return self._server

    def _appear(self, c: Connection, granted: set[str]) -> _Seen:
        """Say that this bench is there, and look round."""
        _benches.greet(c, self.bench, self._name)
        lost = {}
        for job_id in granted:
            holder = _benches.take(c, self.bench, job_id)
            if holder is not None:
                lost[job_id] = holder.bench
        return _Seen(
            lost, _benches.wanted(c, self.bench), _benches.held_elsewhere(c, self.bench), self._take_numbers(c)
        )

    def _let_go(self, lost: Mapping[str, str]) -> None:
        for job_id, bench in lost.items():
            with self._state:
                self._granted.discard(job_id)
                self._open.discard(job_id)
            number = self._number_of(job_id)
            self._notices.append(
                tr("{bench} has taken over job {number:04d}. Here it can be looked at.", bench=bench, number=number)
            )

    def _hand_over(self, asked: Mapping[str, str]) -> None:
        """Nothing more is written to these; what was being written is in the copy before it is sent."""
        self._let_go(asked)
        self._local.write(lambda _: None)

    def _say_parted(self, p: Parted) -> None:
        self._notices.append(
            tr(
                "Job {number:04d} is another bench's now. What was entered here is kept as job {kept:04d}.",
                number=p.number,
                kept=p.kept_number,
            )
        )

    def _number_of(self, job_id: str) -> int:
        with self._local.reading() as connection:
            return int(
                connection.execute(select(func.coalesce(func.max(Job.number), 0)).where(Job.id == job_id)).scalar_one()
            )

    # -- numbers ----------------------------------------------------------------------------------

    def _take_numbers(self, c: Connection) -> list[tuple[int, int]]:
        """One number at hand for the next job, and some for the time when the server is away: the new ones, first and last."""
        ones, others = self._unused()
        more: list[tuple[int, int]] = []
        if not ones:
            number = take_one(c, self.bench)
            more.append((number, number))
        if len(others) <= _FEW:
            more.append(take_block(c, self.bench))
        return more

    def _keep_numbers(self, more: list[tuple[int, int]]) -> None:
        """They are this bench's: the server has said so for good. Those that are used up are forgotten."""
        if not more:
            return

        def work(connection: Connection) -> list[tuple[int, int]]:
            ones, others = (set(x) for x in self._unused_in(connection))
            left = [(a, b) for a, b in self._numbers if (ones | others) & set(range(a, b + 1))]
            waiting.keep(connection, "numbers", [list(n) for n in left + more])
            return left + more

        self._numbers = self._local.write(work)

    def _unused(self) -> tuple[list[int], list[int]]:
        """This bench's numbers that no job has: those given one by one, and those for the time when the server is away."""
        with self._local.reading() as connection:
            return self._unused_in(connection)

    def _unused_in(self, connection: Connection) -> tuple[list[int], list[int]]:
        ones: list[int] = []
        others: list[int] = []
        for first, last in self._numbers:
            used = set(connection.execute(select(Job.number).where(Job.number.between(first, last))).scalars())
            (ones if first == last else others).extend(n for n in range(first, last + 1) if n not in used)
        return ones, others

    def _next_number(self, connection: Connection) -> int:
        ones, others = self._unused_in(connection)
        if not ones + others:
            raise StoreError(
                tr(
                    "The job numbers set aside for this bench are used up, and the server is away. New jobs can be made when it is back."
                )
            )
        return (ones + others)[0]

    def next_number(self) -> int:
        """The next job number of this bench. Raises StoreError when none is left and the server is away."""
        if not self._unused()[0] and not self._away_since:
            with contextlib.suppress(StoreError):
                self.exchange()
        with self._local.reading() as connection:
            return self._next_number(connection)

    def owns(self, number: int) -> bool:
        """Is this one of the job numbers set aside for this bench?"""
        return any(first <= number <= last for first, last in self._numbers)

    # -- jobs -------------------------------------------------------------------------------------

    def refusal(self, job_id: str) -> str:
        """Why this bench may not write to a job; empty where it may. Takes the job where nobody has it."""
        with self._state:
            if job_id in self._granted:
                return ""
        return self._take(job_id)

    def open_job(self, job_id: str) -> str:
        """Take a job to this bench and bring its log up to date; why it can only be looked at, empty where it is taken."""
        with self._state:
            here = job_id in self._granted
        words = "" if here else self._take(job_id)
        if not words:
            with self._state:
                self._open.add(job_id)
        return words

    def _take(self, job_id: str) -> str:
        with self._state:
            away, known = bool(self._away_since), self._holders.get(job_id)
        holder = known
        if not away:
            with self._state:
                self._asking.add(job_id)
            try:
                server = self._there()
                holder = server.write(lambda c: self._try(c, job_id))
                fetch_job(self._local, server, job_id)
            except ServerAway as error:
                self._told(away=True, why=str(error))
                self.wake()
        with self._state:
            self._asking.discard(job_id)
            if holder is None:
                self._granted.add(job_id)
                self._holders.pop(job_id, None)
                return ""
            self._holders[job_id] = holder
        return self._has_it(job_id, holder)

    def _try(self, connection: Connection, job_id: str) -> Holder | None:
        _benches.greet(connection, self.bench, self._name)
        return _benches.take(connection, self.bench, job_id)

    def _has_it(self, job_id: str, holder: Holder) -> str:
        return tr(
            "Job {number:04d} is open at {bench} since {since}. Here it can be looked at; to work on it, take it over.",
            number=self._number_of(job_id),
            bench=holder.bench,
            since=clock(holder.since),
        )

    def leave_job(self, job_id: str) -> None:
        """Give a job back, once all of it is sent."""
        with self._state:
            self._open.discard(job_id)
        self.wake()

    def take_over(self, job_id: str) -> None:
        """Take a job from the bench that has it: what that bench logged comes first.

        A bench that does not answer is not waited for; what it logged and could not send is kept there, as a job of its own.
        Raises StoreError: the server is away, so that nobody can be asked.
        """
        server = self._there()
        with self._state:
            self._asking.add(job_id)
        there = server.write(lambda c: _benches.want(c, self.bench, job_id))
        until = time.monotonic() + (_HANDING_OVER if there else 0.0)
        while time.monotonic() < until:
            if server.write(lambda c: self._try(c, job_id)) is None:
                break
            time.sleep(0.1)
        else:
            server.write(lambda c: _benches.take_by_force(c, self.bench, job_id))
        with self._state:
            self._asking.discard(job_id)
            self._granted.add(job_id)
            self._open.add(job_id)
            self._holders.pop(job_id, None)
        fetch_job(self._local, server, job_id)
        if self.on_change is not None:
            self.on_change()

    def held(self) -> Mapping[str, Holder]:
        """The jobs that other benches have open."""
        with self._state:
            return dict(self._holders)

    # -- how it stands ----------------------------------------------------------------------------

    def status(self) -> SharingStatus:
        """How things stand with the server."""
        with self._state:
            name = server_url(self._url).set(drivername="postgresql").render_as_string(hide_password=True)
            return SharingStatus(name, self._away_since, self._why, self._waiting)

    def notices(self) -> list[str]:
        """What happened since it was last asked that somebody at this bench should read; each is told once."""
        with self._state:
            told, self._notices = self._notices, []
        return told

    def close(self) -> None:
        """Send what can be sent at once, give the jobs back, let go. What cannot be sent waits for the next start."""
        if self._stop.is_set():
            return
        self._stop.set()
        self._woken.set()
        if self._thread is not None:
            self._thread.join()
        with self._state:
            self._open.clear()
        if not self._away_since and self._server is not None:
            # What cannot be sent waits in the copy for the next start.
            with contextlib.suppress(StoreError):
                self.exchange()
        if self._server is not None:
            self._server.close()
