"""What was found before is told where the next is planned, and where a result lies far from it."""

from __future__ import annotations

from dataclasses import replace

import pytest
from flask.testing import FlaskClient

from drumbo.core.profile import Origin, OriginKind, Value, changed
from drumbo.services import adopting, profiles, reading, trials, workshop
from drumbo.services.convert import latest, profile_of
from drumbo.services.prior import found_before
from drumbo.store.database import Workshop
from tests.conftest import LABEL, Begun

FLOWS = (0.962, 0.968, 0.957)


def _found(house: Workshop, printer: int, product: str, flow: float, **more: object) -> int:
    """Another spool with a profile whose flow a trial found."""
    spool = workshop.save_material(house, {**LABEL, "product": product, **more})  # type: ignore[dict-item]
    number = profiles.create(house, spool, printer, product)
    with house.writing() as session:
        row = profiles.get_row(session, number)
        value = Value(flow, Origin(OriginKind.TRIAL, "a trial", 1), 0.005)
        profiles.append(session, row, changed(profile_of(latest(row)), {"flow_ratio": value}, {}), "by a trial")
    return number


@pytest.fixture
def history(house: Workshop, begun: Begun) -> list[int]:
    return [_found(house, begun.printer, f"spool {k}", flow) for k, flow in enumerate(FLOWS)]


def test_only_spools_alike_whose_values_hold_are_counted(house: Workshop, begun: Begun, history: list[int]) -> None:
    found = found_before(house, begun.profile, "flow_ratio")
    assert found is not None
    assert (found.who, found.before.count) == ("3 PLA on Petrel One", 3)
    assert found.before.mean == pytest.approx(sum(FLOWS) / 3)
    assert found_before(house, history[0], "flow_ratio") is None, "of its own spool nothing is told it"
    assert found_before(house, begun.profile, "retraction_mm") is None
    assert found_before(house, begun.profile, "no_such_key") is None
    with house.writing() as session:
        row = profiles.get_row(session, history[0])
        doubted = profile_of(latest(row))
        old = doubted.values["flow_ratio"]
        value = replace(old, recheck="temperature changed")
        profiles.append(session, row, replace(doubted, values={**doubted.values, "flow_ratio": value}), "doubt")
    assert found_before(house, begun.profile, "flow_ratio") is None, "two are left that hold"
    _found(house, begun.printer, "PETG", 0.95, family="petg", nozzle_low_c="230", nozzle_high_c="250")
    assert found_before(house, begun.profile, "flow_ratio") is None, "another polymer says nothing of this one"
    other = workshop.save_printer(house, {**workshop.as_typed(house, begun.printer), "name": "Another", "link_url": ""})
    _found(house, other, "there", 0.964)
    alike = found_before(house, begun.profile, "flow_ratio")
    assert alike is not None
    assert alike.who == "3 PLA on printers like Petrel One"


def test_it_is_told_on_the_plan_and_a_result_far_off_is_asked_about(
    house: Workshop, begun: Begun, history: list[int], client: FlaskClient
) -> None:
    more = [_found(house, begun.printer, f"more {k}", flow) for k, flow in enumerate((0.966, 0.959, 0.966))]
    assert len(history + more) == 6
    page = client.get(f"/profiles/{begun.profile}/trials/new/flow-surface").text
    assert "6 PLA on Petrel One came to" in page
    assert "0.963 ±" in page
    trial = trials.create(house, begun.profile, "flow-surface", trials.draft(house, begun.profile, "flow-surface").plan)
    trials.printed_by_hand(house, trial)
    steps = trials.sheet(house, trial).steps
    for best, asked in ((0.962, False), (1.06, True)):
        scores = {}
        for step in steps:
            off = round(abs(step.value - best) / 0.03)
            scores["gaps", step.index] = 4 if step.value >= best else max(4 - off, 0)
            scores["ridges", step.index] = 4 if step.value <= best else max(4 - off, 0)
        reading.score_all(house, trial, scores)
        page = client.get(f"/trials/{trial}/adopt").text
        assert ("farther off than one spool in fifty" in page) is asked, best


def test_earlier_spools_have_a_say_in_a_result_until_somebody_leaves_them_out(
    house: Workshop, begun: Begun, history: list[int], client: FlaskClient
) -> None:
    assert history
    trial = trials.create(house, begun.profile, "flow-surface", trials.draft(house, begun.profile, "flow-surface").plan)
    trials.printed_by_hand(house, trial)
    scores = {}
    for step in trials.sheet(house, trial).steps:
        off = round(abs(step.value - 0.985) / 0.03)
        scores["gaps", step.index] = 4 if step.value >= 0.985 else max(4 - off, 0)
        scores["ridges", step.index] = 4 if step.value <= 0.985 else max(4 - off, 0)
    reading.score_all(house, trial, scores)
    result = trials.sheet(house, trial).result
    assert result is not None
    assert result.value is not None
    told = adopting.preview(house, trial).history
    assert told is not None
    assert told.has_say
    assert not told.differs
    assert told.alone[0] == pytest.approx(result.value, abs=1e-3)
    assert sum(FLOWS) / 3 < told.joined.value < told.alone[0], "between what both say"
    assert told.joined.error < told.alone[1]
    assert "3 PLA on Petrel One came before" in client.get(f"/trials/{trial}/adopt").text

    client.post(f"/trials/{trial}/history", data={"say": "0"})
    (change, *_) = adopting.preview(house, trial).changes
    assert change.after is not None
    assert change.after.number == pytest.approx(told.alone[0])
    assert change.after.alone is None
    client.post(f"/trials/{trial}/history", data={"say": "1"})
    adopting.adopt(house, trial)
    held = profiles.sheet(house, begun.profile).profile.values["flow_ratio"]
    assert held.number == pytest.approx(told.joined.value, abs=6e-4)
    assert held.alone == pytest.approx(told.alone)

    other = workshop.save_material(house, {**LABEL, "product": "the next"})
    following = profiles.create(house, other, begun.printer, "the next")
    found = found_before(house, following, "flow_ratio")
    assert found is not None
    assert found.before.mean == pytest.approx((sum(FLOWS) + told.alone[0]) / 4, abs=1e-3), (
        "its own word, not the joined one"
    )
