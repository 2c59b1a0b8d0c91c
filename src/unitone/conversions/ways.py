"""The ways to wanted channels: what is there already, pins tied high or low, crystals pulled, exchanged or added, a board on all the pins.

Each plan takes the ways in an order of its own until every channel that can be reached is; plans are ranked by parts, cuts and risk.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from itertools import combinations, product
from typing import Literal

from unitone.conversions.locks import Locks, LockTable, lock_table
from unitone.conversions.synthesiser import Chain, Synthesiser
from unitone.conversions.wanted import Wanted
from unitone.errors import SheetError
from unitone.radio.vcofit import Law
from unitone.sheet.model.mixing_model import Place, outputs
from unitone.sheet.model.sheet import Sheet

WayKind = Literal["there", "pins", "pull", "crystal", "board"]
#: So many pins are tied at once, so many sets of them and so many crystals are tried.
_MOST_TIED, _MOST_SETS, _MOST_CRYSTALS = 2, 3, 6
#: A crystal is pulled so far (ppm) by a trimmer and an inductor (common practice, no source); above the last frequency it is an
#: overtone crystal.
_PULLED_PPM, _OVERTONE_HZ = 120.0, 24e6
#: The load that a parallel crystal is ordered for where the sheet says nothing (F; common practice, no source).
LOAD_F = 30e-12
#: What a plan is ranked by.
_PER_MISSING, _PER_PART, _PER_CUT = 40.0, 2.0, 1.0
_RISK: dict[WayKind, float] = {"there": 0.0, "pins": 0.5, "pull": 1.0, "crystal": 1.0, "board": 4.0}
_PER_DOUBTFUL, _PER_UNLOCKED = 5.0, 40.0


@dataclass(frozen=True)
class Crystal:
    """A crystal to order, or one to pull: which it stands beside or moves, its frequency (exact Hz), how far that is off, its load and cut."""

    oscillator: str
    hz: Fraction
    shift_hz: Fraction
    pulled: bool

    @property
    def cut(self) -> Literal["fundamental", "third overtone"]:
        """As it is ordered."""
        return "fundamental" if self.hz <= _OVERTONE_HZ else "third overtone"


@dataclass(frozen=True)
class Reached:
    """A wanted channel and how it comes about: on which band's crystals (``crystal``: on one that is new), with which N, and at which
    place of the channel switch (empty where a board takes its place)."""

    wanted: Wanted
    way: WayKind
    band: str | None
    n: int
    shown: str = ""
    crystal: Crystal | None = None
    tied: tuple[tuple[str, int], ...] = ()


@dataclass(frozen=True)
class Plan:
    """One plan: what it reaches and what not, its crystals, the pins that are lifted, whether all of it locks, and its rank (least is best)."""

    reached: tuple[Reached, ...]
    missing: tuple[Wanted, ...]
    crystals: tuple[Crystal, ...]
    lifted: tuple[str, ...]
    kinds: tuple[WayKind, ...]
    locks: LockTable
    vco_hz: tuple[float, ...]
    #: The same for the ends of each band that the radio has: (band, VCO in Hz, lock). They go on with the core as it is turned.
    kept: tuple[tuple[str | None, float, Locks], ...]

    @property
    def lock(self) -> Locks:
        """The worst of what is wanted and of what the radio had."""
        worst: tuple[Locks, ...] = ("no", "too close", "not known")
        found = {self.locks.all_lock, *(x for _, _, x in self.kept)}
        return next((x for x in worst if x in found), "yes")

    @property
    def parts(self) -> int:
        """Parts to fit: crystals, coils for those that are pulled, switches for tied pins, the board."""
        return len(self.crystals) + len({r.tied for r in self.reached if r.tied}) + ("board" in self.kinds)

    @property
    def cuts(self) -> int:
        """Pins to lift and tracks to cut."""
        return len(self.lifted) + len(self.crystals)

    @property
    def score(self) -> float:
        """Its rank: least is best."""
        every = (*self.locks.locks, *(x for _, _, x in self.kept))
        doubtful = sum(x == "too close" for x in every)
        unlocked = sum(x == "no" for x in every)
        return (
            _PER_MISSING * len(self.missing) + _PER_PART * self.parts + _PER_CUT * self.cuts + sum(_RISK[k] for k in self.kinds)
            + (_PER_DOUBTFUL if doubtful else 0.0) + (_PER_UNLOCKED + unlocked if unlocked else 0.0)
        )  # fmt: skip


def band_crystal(sheet: Sheet, band: str | None, mode: str | None, ties_to: str) -> tuple[str, Fraction] | None:
    """The crystal that a band has to itself, and how often it is in what is sent; of a radio without bands any that is not the loop's
    reference. None where the band comes from N alone. Raises SheetError."""
    name = sheet.plan.names[0]
    own = _terms(sheet, Place("transmit", band, mode, name))
    others = [_terms(sheet, Place("transmit", b, mode, name)) for b, _ in sheet.plan.bands if b != band]
    for identifier, times in own.items():
        if identifier == ties_to or not times:
            continue
        if all(identifier not in terms for terms in others):
            return identifier, times
    return None


def _terms(sheet: Sheet, place: Place) -> dict[str, Fraction]:
    made = next((m for m in outputs(sheet, place) if m.output == "tx.carrier"), None)
    if made is None:
        raise SheetError([f"{sheet.id}: mixing: tx.carrier"])
    return dict(made.terms)


def reference_of(synthesiser: Synthesiser) -> str:
    """The oscillator that N multiplies."""
    lines = [m for m in synthesiser.sheet.mixing if m.output == synthesiser.pll.output]
    return next((name for m in lines for name, term in m.terms if "N" in term), "")


class Planner:
    """Finds the ways of one sheet to some channels."""

    def __init__(self, synthesiser: Synthesiser, wanted: Sequence[Wanted], law: Law | None) -> None:
        self._synthesiser, self._law = synthesiser, law
        self._wanted = {w.hz: w for w in wanted}
        mode = synthesiser.mode
        self._chains: dict[str | None, Chain] = {b: synthesiser.chain(b, mode) for b in synthesiser.bands()}
        sheet = synthesiser.sheet
        #: N of each place of the channel switch, by band, and what N is wanted there.
        self._shown: dict[str | None, dict[int, str]] = {}
        self._asked: dict[str | None, dict[int, int]] = {}
        for band, chain in self._chains.items():
            ns = {name: synthesiser.n_of_channel(name, band) for name in sheet.plan.names}
            self._shown[band] = {n: name for name, n in ns.items() if n is not None}
            self._asked[band] = {n: hz for hz in self._wanted if (n := chain.n_of(hz)) is not None}
        self._ns = {b: tuple(sorted(shown)) for b, shown in self._shown.items()}
        reference = reference_of(synthesiser)
        self._crystals: Mapping[str | None, tuple[str, Fraction] | None] = {
            b: band_crystal(sheet, b, mode, reference) for b in self._chains
        }

    def plans(self) -> tuple[Plan, ...]:
        """The plans, best first, each once: with tied pins before crystals, with crystals alone, with a board on the pins."""
        orders: tuple[tuple[WayKind, ...], ...] = (
            ("there", "pins", "pull", "crystal"), ("there", "pull", "crystal"), ("there", "board", "crystal"), ("there", "pins", "board"),
        )  # fmt: skip
        found: dict[tuple[object, ...], Plan] = {}
        for order in orders:
            plan = self._plan(order)
            found.setdefault((plan.crystals, plan.lifted, plan.missing, plan.kinds), plan)
        return tuple(sorted(found.values(), key=lambda p: (p.score, len(p.kinds))))

    def _plan(self, order: Sequence[WayKind]) -> Plan:
        reached: dict[int, Reached] = {}
        for kind in order:
            step = {"there": self._there, "pins": self._pins, "board": self._board}.get(kind)
            if step is not None:
                step(reached)
            else:
                self._by_crystals(reached, pulled=kind == "pull")
        rows = tuple(reached[hz] for hz in sorted(reached))
        crystals = tuple(dict.fromkeys(r.crystal for r in rows if r.crystal is not None))
        tied = {name for r in rows for name, _ in r.tied}
        kinds = tuple(dict.fromkeys(r.way for r in rows))
        lifted = tuple(
            n
            for n, _ in self._synthesiser.pll.pins
            if n in tied or ("board" in kinds and n in self._synthesiser.pll.driven)
        )
        hz = tuple(self._vco_hz(r) for r in rows)
        # What the radio did before has to go on locking.
        before = [
            (b, c.vco_hz(n)) for b, c in self._chains.items() if self._ns[b] for n in (self._ns[b][0], self._ns[b][-1])
        ]
        table = lock_table(self._synthesiser.pll, self._law, (*hz, *(x for _, x in before)))
        kept = tuple((b, x, lock) for (b, x), lock in zip(before, table.locks[len(hz) :], strict=True))
        table = LockTable(table.volts[: len(hz)], table.locks[: len(hz)], table.turned)
        missing = tuple(w for at, w in self._wanted.items() if at not in reached)
        return Plan(rows, missing, crystals, lifted, kinds, table, hz, kept)

    def _vco_hz(self, r: Reached) -> float:
        chain = self._chains[r.band]
        if r.crystal is None:
            return chain.vco_hz(r.n)
        found = self._crystals[r.band]
        assert found is not None
        moved = Synthesiser(self._synthesiser.sheet, self._synthesiser.pll, {r.crystal.oscillator: r.crystal.hz})
        return moved.chain(r.band, self._synthesiser.mode).vco_hz(r.n)

    # -- the ways ---------------------------------------------------------------------------------------------

    def _left(self, reached: Mapping[int, Reached]) -> set[int]:
        return set(self._wanted) - set(reached)

    def _there(self, reached: dict[int, Reached]) -> None:
        for band, shown in self._shown.items():
            for n, name in shown.items():
                hz = self._asked[band].get(n)
                if hz is not None:
                    reached.setdefault(hz, Reached(self._wanted[hz], "there", band, n, name))

    def _pins(self, reached: dict[int, Reached]) -> None:
        """Up to so many sets of pins tied high or low, each set while it brings the most channels a pin."""
        pll = self._synthesiser.pll
        weights = dict(pll.pins)
        words = self._words()
        for _ in range(_MOST_SETS):
            left = self._left(reached)
            best: tuple[float, dict[int, Reached]] = (0.0, {})
            for count in range(1, _MOST_TIED + 1):
                for names in combinations(pll.driven, count):
                    for states in product((0, 1), repeat=count):
                        tied = tuple(zip(names, states, strict=True))
                        made = self._with_tied(tied, weights, words, left)
                        worth = len(made) / count
                        if worth > best[0]:
                            best = (worth, made)
            # One channel for a pin is no way to a channel plan.
            if best[0] < min(3.0, len(left)):
                return
            reached |= best[1]

    def _words(self) -> tuple[tuple[str | None, tuple[tuple[int, str], ...]], ...]:
        """What the pins say for every position, band by band: asked for each of thousands of sets of pins."""
        word = self._synthesiser.word
        return tuple((band, tuple((word(n), name) for n, name in shown.items())) for band, shown in self._shown.items())

    def _with_tied(
        self, tied: tuple[tuple[str, int], ...], weights: Mapping[str, int],
        words: tuple[tuple[str | None, tuple[tuple[int, str], ...]], ...], left: set[int],
    ) -> dict[int, Reached]:  # fmt: skip
        high = sum(weights[name] for name, state in tied if state)
        kept = ~sum(weights[name] for name, state in tied if not state)
        pll, made = self._synthesiser.pll, dict[int, Reached]()
        adds, counts = pll.adds, pll.counts
        for band, shown in words:
            asked = self._asked[band]
            for word, name in shown:
                moved = (((word | high) & kept) - adds) * counts
                hz = asked.get(moved)
                if hz is not None and hz in left and hz not in made:
                    made[hz] = Reached(self._wanted[hz], "pins", band, moved, name, None, tied)
        return made

    def _board(self, reached: dict[int, Reached]) -> None:
        for hz in sorted(self._left(reached)):
            options = [
                (abs(n - self._ns[band][len(self._ns[band]) // 2]), band, n)
                for band, chain in self._chains.items()
                if self._ns[band] and (n := chain.n_of(hz)) is not None and self._synthesiser.pins(n) is not None
            ]
            if options:
                _, band, n = min(options, key=lambda o: (o[0], str(o[1])))
                reached[hz] = Reached(self._wanted[hz], "board", band, n)

    def _by_crystals(self, reached: dict[int, Reached], pulled: bool) -> None:
        for _ in range(_MOST_CRYSTALS):
            left = self._left(reached)
            if not left:
                return
            best = self._best_crystal(left, pulled)
            if best is None:
                return
            band, crystal, shift = best
            chain = self._chains[band]
            for n in self._ns[band]:
                hz = chain.hz(n) + shift
                if hz.denominator == 1 and int(hz) in left:
                    way: WayKind = "pull" if pulled else "crystal"
                    reached[int(hz)] = Reached(self._wanted[int(hz)], way, band, n, self._shown[band][n], crystal)

    def _best_crystal(self, left: set[int], pulled: bool) -> tuple[str | None, Crystal, Fraction] | None:
        """The crystal that brings the most channels with the divider as it is switched; the least moved one of those."""
        found: list[tuple[int, float, str | None, Fraction]] = []
        for band, chain in self._chains.items():
            own = self._crystals[band]
            if own is None:
                continue
            nominal = self._nominal(own[0])
            a_ppm = abs(float(1 / own[1] / nominal)) * 1e6
            here = [int(at) for n in self._ns[band] if (at := chain.hz(n)).denominator == 1]
            for by, count in Counter(hz - at for hz in left for at in here).items():
                if by and pulled == (abs(by) * a_ppm <= _PULLED_PPM):
                    found.append((count, float(abs(by)), band, Fraction(by)))
        if not found:
            return None
        most, _, band, shift = min(found, key=lambda f: (-f[0], f[1], str(f[2])))
        if not most:
            return None
        own = self._crystals[band]
        assert own is not None
        moved = shift / own[1]
        return band, Crystal(own[0], self._nominal(own[0]) + moved, moved, pulled), shift

    def _nominal(self, oscillator: str) -> Fraction:
        return next(o.at(Fraction(0)) for o in self._synthesiser.sheet.oscillators if o.id == oscillator)
