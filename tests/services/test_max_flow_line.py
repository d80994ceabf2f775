"""A wall and a tray from plan to profile, over the stand-in's real line."""

from __future__ import annotations

import pytest

from drumbo.core.errors import InvalidInput
from drumbo.services import adopting, by_hand, profiles, reading, simulated, trials
from drumbo.services.prints import PrintManager
from drumbo.store.database import Workshop
from tests.conftest import PATIENCE_S, Begun

SMALL_WALL = {"low_mm3_s": 6, "high_mm3_s": 12, "step_mm3_s": 2, "band_mm": 3}


def _printed(house: Workshop, room: PrintManager, profile: int, slug: str, **asked: float) -> int:
    plan = {**trials.draft(house, profile, slug).plan, **asked}
    number = trials.create(house, profile, slug, plan)
    room.join(room.start(number), PATIENCE_S)
    return number


def _by_hand(house: Workshop, profile: int) -> int:
    plan = {**trials.draft(house, profile, "rising-wall").plan, **SMALL_WALL}
    number = trials.create(house, profile, "rising-wall", plan)
    trials.printed_by_hand(house, number)
    return number


def test_a_sign_is_given_by_band_or_by_height_and_taken_back(house: Workshop, room: PrintManager, begun: Begun) -> None:
    wall = trials.create(
        house, begun.profile, "rising-wall", {**trials.draft(house, begun.profile, "rising-wall").plan, **SMALL_WALL}
    )
    trials.printed_by_hand(house, wall)
    assert reading.first(house, wall, "gaps", "2") == 2
    # The foot is 1.04 mm high, a band ten layers of 0.3 mm.
    assert reading.first(house, wall, "gaps", "5,5 mm") == 1
    assert trials.sheet(house, wall).readings.firsts == {"gaps": 1}
    assert reading.first(house, wall, "matt", "4") == 4, "nowhere"
    for typed, told in (("0.5 mm", "is not on the wall: it goes from 1.0 to 13.0 mm"), ("9", "no such step"),
                        ("²", "no such step"),
                        ("high mm", "not a number")):  # fmt: skip
        with pytest.raises(InvalidInput, match=told):
            reading.first(house, wall, "gaps", typed)
    with pytest.raises(InvalidInput, match="no such sign"):
        reading.first(house, wall, "colour", "1")
    assert trials.sheet(house, wall).readings.firsts == {"gaps": 1, "matt": 4}, "a refusal changes nothing"
    assert reading.first(house, wall, "gaps", "") is None
    assert trials.sheet(house, wall).readings.firsts == {"matt": 4}


def test_weighed_blobs_move_the_limit_with_every_later_temperature(
    house: Workshop, room: PrintManager, begun: Begun
) -> None:
    tray = _printed(house, room, begun.profile, "weighed-blobs")
    assert simulated.simulated_readings(house, tray) == 21
    before = adopting.preview(house, tray)
    assert [change.key for change in before.changes] == ["max_flow_mm3_s"]
    adopting.adopt(house, tray)
    limit = profiles.sheet(house, begun.profile).profile.values["max_flow_mm3_s"]
    assert limit.dependency is not None
    by_hand.set_value(house, begun.profile, "nozzle_c", "220")
    moved = profiles.sheet(house, begun.profile).profile.values["max_flow_mm3_s"]
    assert moved.number == round(limit.dependency.of(220), 1) > limit.number
    assert moved.recheck is None
    assert moved.origin.note.endswith("along its curve to 220 °C")
    history = profiles.sheet(house, begun.profile).history[0]
    assert {change.key for change in history.changes} >= {"nozzle_c", "max_flow_mm3_s"}, "the history says both"
    by_hand.undo(house, begun.profile)
    assert profiles.sheet(house, begun.profile).profile.values["max_flow_mm3_s"].number == limit.number


def test_a_wall_moves_the_curve_that_blobs_have_found(house: Workshop, room: PrintManager, begun: Begun) -> None:
    tray = _printed(house, room, begun.profile, "weighed-blobs")
    simulated.simulated_readings(house, tray)
    adopting.adopt(house, tray)
    limit = profiles.sheet(house, begun.profile).profile.values["max_flow_mm3_s"]
    by_hand.set_value(house, begun.profile, "nozzle_c", "220")
    wall = _by_hand(house, begun.profile)
    reading.first(house, wall, "gaps", "2")
    by_hand.set_value(house, begun.profile, "nozzle_c", "215")
    adopting.adopt(house, wall)
    newer = profiles.sheet(house, begun.profile).profile.values["max_flow_mm3_s"]
    assert limit.dependency is not None
    assert newer.dependency is not None
    assert (newer.dependency.at, newer.dependency.rate) == (220, limit.dependency.rate), (
        "it goes through what the wall found, where it did"
    )
    assert newer.number == round(newer.dependency.of(215), 1) < newer.dependency.number
