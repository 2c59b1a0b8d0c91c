"""A reading of the meters at the step at hand: which step takes it, under which conditions, and what is refused."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from unitone.errors import HookUpError, TapeError
from unitone.session.session import Session


def test_a_measured_sinad_settles_the_step_that_reads_sinad(new_session: Callable[..., Session]) -> None:
    session = new_session(None)
    session.go_to("front-end")
    with pytest.raises(HookUpError):
        session.measuring.send_in([("rx.sinad", 14.0, 0.1)], "a.wav")
    session.confirm_hook_up("receive")
    reading = session.measuring.send_in([("rx.sinad", 14.0, 0.1)], "a.wav")
    assert reading.source == "file" and reading.u == 0.1 and reading.conditions.settles(session.step.required[0])
    assert session.state.latest[("front-end", 0)].reading == reading
    with pytest.raises(TapeError, match="The step at hand, Peak the front end, reads SINAD; this is deviation"):
        session.measuring.send_in([("tx.deviation", 2000.0, None)], "b.wav")


def test_at_a_sensitivity_step_a_sinad_goes_to_the_level_that_is_dialled(new_session: Callable[..., Session]) -> None:
    session = new_session(None)
    session.go_to("sensitivity")
    session.confirm_hook_up("receive")
    advice = session.advice()
    assert advice.conditions is not None and advice.conditions.level_dbm is not None
    assert advice.act == "measure", "nothing is to be confirmed: what is dialled is told with it"
    reading = session.measuring.send_in([("rx.sinad", 11.2, 0.1)], "a.wav")
    assert reading.conditions.level_dbm == advice.conditions.level_dbm
    following = session.advice().conditions
    assert following is not None and following.level_dbm != advice.conditions.level_dbm, "the finder goes on from it"


def test_a_finished_job_takes_none(new_session: Callable[..., Session]) -> None:
    session = new_session(None)
    for step in session.sheet.steps:
        session.go_to(step.id)
        session.judge("not applicable", "not this time")
    session.finish()
    with pytest.raises(TapeError, match="finished"):
        session.measuring.send_in([("rx.sinad", 12.0, None)], "a.wav")
