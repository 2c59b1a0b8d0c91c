"""What a mistake breaks on the simulated bench, how it is told, and what mends it."""

from __future__ import annotations

from dataclasses import dataclass

from unitone.words import N_, tr

#: A core that broke is written as one of these and its adjuster: ``core-out:T3``.
CORE_OUT, CORE_CRACKED = "core-out", "core-cracked"


@dataclass(frozen=True)
class Damage:
    """Something that broke on the simulated bench: its code, how the broken thing is called, what happened, and what mends it."""

    what: str
    name: str
    words: str
    cure: str

    @property
    def adjuster(self) -> str:
        """The adjuster whose core it is; empty for anything else."""
        return self.what.partition(":")[2]


#: Code: (name, what happened, what mends it).
_KNOWN: dict[str, tuple[str, str, str]] = {
    "generator": (
        N_("generator"),
        N_("Keyed into the generator: its output attenuator is burnt out."),
        N_("Practice: fit another attenuator"),
    ),
    "final": (
        N_("final"),
        N_("Keyed without a load: the final is destroyed."),
        N_("Practice: fit another final"),
    ),
    "bias": (
        N_("final"),
        N_("Idle current far too high: the final ran hot and is destroyed."),
        N_("Practice: fit another final"),
    ),
    CORE_OUT: (
        N_("core {adjuster}"),
        N_("{adjuster}: the core was screwed out of its former and no longer catches its thread."),
        N_("Practice: fit another core"),
    ),
    CORE_CRACKED: (
        N_("core {adjuster}"),
        N_("{adjuster}: the core was driven on against its stop and cracked. It is stuck."),
        N_("Practice: fit another core"),
    ),
}


def damage(what: str) -> Damage:
    """What a code stands for, in the program's language; a code that is not known is told as it is written."""
    kind, _, adjuster = what.partition(":")
    name, words, cure = _KNOWN.get(kind, (kind, kind, N_("Practice: repair the damage")))
    return Damage(what, tr(name, adjuster=adjuster), tr(words, adjuster=adjuster), tr(cure))


def is_final_gone(damaged: set[str]) -> bool:
    """Is the final destroyed, by whichever mistake?"""
    return bool(damaged & {"final", "bias"})


def stuck_core(damaged: set[str], adjuster: str) -> bool:
    """Can this adjuster's core not be turned any more?"""
    return bool(damaged & {f"{CORE_OUT}:{adjuster}", f"{CORE_CRACKED}:{adjuster}"})
