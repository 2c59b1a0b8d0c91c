"""What a converted radio goes through again: rails first, then frequencies, then every coil that the new channels are heard through."""

from __future__ import annotations

import pytest

from unitone.robot._carrying_out import _again
from unitone.sheet.editing.cut import cut_text
from unitone.sheet.format.read import parse_sheet, read_sheet, to_data
from unitone.sheet.library import find
from unitone.sheet.model.sheet import Sheet


@pytest.fixture(scope="module")
def curlew() -> Sheet:
    return read_sheet(find("ostrel-curlew-5"))


def test_no_coil_of_the_receiver_is_left_as_somebody_left_it(curlew: Sheet) -> None:
    """An IF that is out of tune costs more than the new channels do: it belongs to a conversion."""
    steps = [curlew.step(s) for s in _again(curlew, "am")]
    turned = {a for s in steps for a in s.adjusters}
    cores = {a.id for a in curlew.adjusters if a.kind == "core" and a.id.startswith("T")}
    assert cores - turned == {"T8"}, "the FM detector's null is no matter of channels"
    assert {"CT1", "CT2", "CT6", "L1", "P1", "L8", "L9"} <= turned
    assert not {"P4", "P7", "P10", "P12"} & turned, "nor are balance, deviation, S-meter and squelch"


@pytest.mark.parametrize("mode, proof", [("am", {"sensitivity-am"}), ("fm", {"sensitivity-fm"})])
def test_the_sensitivity_of_the_wanted_mode_proves_it(curlew: Sheet, mode: str, proof: set[str]) -> None:
    again = set(_again(curlew, mode))
    assert {s.id for s in curlew.steps if s.id in again and s.quantity_id.startswith("rx.sensitivity")} == proof


def test_what_is_left_is_a_sheet_in_the_procedures_order(curlew: Sheet) -> None:
    again = _again(curlew, "am")
    made = parse_sheet(cut_text(curlew.source_text, to_data(curlew.source_text, "curlew"), again), "curlew", "curlew")
    assert [s.id for s in made.steps] == [s.id for s in curlew.steps if s.id in again]
    rails = [n for n, s in enumerate(made.steps) if s.quantity_id == "supply.rail"]
    coils = [n for n, s in enumerate(made.steps) if s.quantity_id == "rx.sn_ratio"]
    assert max(rails) < min(coils), "rails first"
