"""What was heard of a noise before and after something was tried, in words."""

from __future__ import annotations

from unitone.quantities.show import number
from unitone.simulator.noise_trials import NoiseTrial
from unitone.words import tr

#: A line with this share of the power is worth telling; less of a change than this is none to an ear (dB).
_LINE_SHARE, _SAME_DB = 0.1, 2.0


def heard_words(question: str, trial: NoiseTrial) -> str:
    """For a question of sound itself its strongest line; for one of doing something by how much it got louder or quieter."""
    if question in ("hum", "whistle"):
        hz, share = trial.line
        if share < _LINE_SHARE:
            return tr("No tone in it, a hiss.")
        return tr("A tone of {hz} Hz in it, {share} % of the power.", hz=number(hz, 0), share=number(100.0 * share, 0))
    change = trial.change_db
    if abs(change) < _SAME_DB:
        return tr("As it is, then with it done: as loud as before.")
    if change < 0.0:
        return tr("As it is, then with it done: {db} dB quieter.", db=number(-change, 0))
    return tr("As it is, then with it done: {db} dB louder.", db=number(change, 0))
