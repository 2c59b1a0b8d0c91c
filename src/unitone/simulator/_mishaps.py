"""What a hand can spoil on a simulated radio: cores driven on against their stops, and a final whose idle current is far too high."""

from __future__ import annotations

from unitone.job.damages import CORE_CRACKED, CORE_OUT, is_final_gone
from unitone.simulator.radio import SimulatedRadio

#: A final bears more idle current than its rating for so long (s), keyed: a turn too far that is taken back at once does no harm.
BEARS_S = 4.0
#: A steel blade in a core stands for about a turn inwards (common practice, no source: it always pulls, and by how much nobody knows).
STEEL_TURNS = 1.0


class Mishaps:
    """Watches one simulated radio; what it finds broken is told once."""

    def __init__(self, radio: SimulatedRadio) -> None:
        self._radio = radio
        self._cores = {a.id for a in radio.sheet.adjusters if a.kind == "core"}
        #: Which way each adjuster was turned when it came up against its stop.
        self._against: dict[str, bool] = {}
        self._hot_s = 0.0

    def turned(self, adjuster: str, asked_mdeg: int, moved_mdeg: int, stop: bool) -> str:
        """What a turn broke: a core that is at its stop bears being felt there once, and not being driven on. Empty for nothing."""
        inwards = asked_mdeg > 0
        if not stop or adjuster not in self._cores:
            self._against.pop(adjuster, None)
            return ""
        felt, self._against[adjuster] = self._against.get(adjuster), inwards
        if felt is inwards and moved_mdeg == 0:
            return f"{CORE_CRACKED if inwards else CORE_OUT}:{adjuster}"
        return ""

    def keyed(self, damaged: set[str], seconds: float) -> str:
        """What ``seconds`` of keying did to the final as its bias stands: ``bias``, or empty."""
        rating = self._radio.sheet.final.rating("tx.bias_current")
        if rating is None or self._radio.physics.bias is None or is_final_gone(damaged):
            return ""
        too_much = self._radio.idle_amps() > rating
        self._hot_s = self._hot_s + seconds if too_much else 0.0
        return "bias" if self._hot_s > BEARS_S else ""
