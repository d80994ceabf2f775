"""Every way through a change of filament: what the printer is told can be done by it, and nothing is pulled cold."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from hypothesis import given
from hypothesis import strategies as st

from drumbo.core.filament_change import PORTION_MM, STEPS, USUAL_PURGE_MM, ChangeStep, FilamentChange
from drumbo.core.printer import PRINTER_FIELDS
from drumbo.links.hands import Limits, handwork
from drumbo.links.words import HeatReport, Reading

TUBE = next(field for field in PRINTER_FIELDS if field.key == "tube_mm")
LIMITS = Limits(nozzle_max_c=320.0, bed_max_c=120.0)

changes = st.builds(
    FilamentChange,
    old_c=st.none() | st.floats(170, 310).map(round),
    new_c=st.floats(170, 310).map(round),
    drive=st.sampled_from(["direct", "bowden"]),
    tube_mm=st.none() | st.floats(TUBE.low, TUBE.high).map(lambda mm: round(mm, 1)),
    old_family=st.sampled_from(["pla", "tpu", "petg", ""]),
    new_family=st.sampled_from(["pla", "tpu", "pa"]),
    abrasive=st.booleans(),
    took_mm=st.none() | st.floats(1, 400).map(round),
    purges=st.booleans(),
)


def _onward(change: FilamentChange, again: int = 0) -> Iterator[tuple[ChangeStep, tuple[str, ...]]]:
    """Press "next" to the end, and "again" as often as said where that is offered; each step with what it told."""
    step = change.first
    while not step.over:
        for _ in range(again):
            try:
                step, told = change.press(step, "again")
            except KeyError:
                break
            yield step, told
        step, told = change.press(step, "next")
        yield step, told


def _fed(orders: tuple[str, ...]) -> float:
    return sum(float(length) for order in orders if order.startswith("feed") for length in order.split()[1::2])


@given(changes, st.integers(0, 2))
def test_whatever_it_tells_a_hot_printer_that_printer_does(change: FilamentChange, again: int) -> None:
    hot = HeatReport(Reading(float(change.hot_c), float(change.hot_c)))
    told = [order for _, orders in _onward(change, again) for order in orders]
    assert told
    for number, order in enumerate(told, start=1):
        assert handwork(f"{number} {order}", LIMITS, hot, homed=False).lines


@given(changes)
def test_it_goes_through_its_steps_in_order_and_ends_done(change: FilamentChange) -> None:
    steps = [change.first, *(step for step, _ in _onward(change))]
    assert steps[-1] is ChangeStep.DONE
    order = [STEPS.index(step) for step in steps[:-1]]
    assert order == sorted(set(order)), "none twice, none backwards"
    assert (ChangeStep.OUT in steps) == (change.old_c is not None), "nothing comes out where nothing is in"
    assert (ChangeStep.CLEAN in steps) == change.purges


@given(changes)
def test_all_of_the_old_comes_out_and_the_new_reaches_the_nozzle(change: FilamentChange) -> None:
    by_step = dict(_onward(change))
    if change.old_c is not None:
        assert _fed(by_step[ChangeStep.OUT]) == pytest.approx(-change.way_mm), (
            "out of the drive, the tip's push paid back"
        )
    assert _fed(by_step[ChangeStep.LOAD]) == pytest.approx(change.way_mm)
    if change.purges:
        assert _fed(by_step[ChangeStep.CLEAN]) == pytest.approx(change.purge_mm, abs=0.01)


@given(changes)
def test_it_is_as_hot_as_the_hotter_of_the_two_until_the_old_one_is_gone(change: FilamentChange) -> None:
    assert change.hot_c == max(change.new_c, change.old_c or 0)
    heats = [order for _, orders in _onward(change) for order in orders if order.startswith("heat")]
    assert heats == [f"heat {change.new_c:g}"], "then as the new one wants it"
    wipe = next(orders for step, orders in _onward(change) if step is ChangeStep.WIPE)
    assert wipe == tuple(heats), "and not before it is clean"


def test_soft_filament_is_moved_gently() -> None:
    stiff, soft = (FilamentChange(230, 230, "bowden", 400.0, family, family) for family in ("pla", "tpu"))

    def fastest(change: FilamentChange) -> float:
        feeds = [order.split() for _, orders in _onward(change) for order in orders if order.startswith("feed")]
        return max(float(speed) for words in feeds for speed in words[2::2])

    assert fastest(soft) < fastest(stiff) / 2
    assert "stretches" in soft.advice(ChangeStep.OUT)
    assert "stretches" not in stiff.advice(ChangeStep.OUT)


def test_what_it_took_before_is_what_is_pushed_through_and_told() -> None:
    assert FilamentChange(210, 240).purge_mm == USUAL_PURGE_MM
    assert FilamentChange(210, 240, took_mm=87).purge_mm == 90
    assert FilamentChange(210, 240, took_mm=3).purge_mm == PORTION_MM
    assert "87 mm made it clean before" in FilamentChange(210, 240, took_mm=87).advice(ChangeStep.CLEAN)


@given(changes)
def test_every_step_says_what_the_hand_does(change: FilamentChange) -> None:
    for step in STEPS:
        assert change.advice(step).endswith((".", "?")) or "?" in change.advice(step)
    assert f"{change.hot_c:g} °C" in change.advice(ChangeStep.HEAT)
    assert ("hardened" in change.advice(ChangeStep.PUT_IN)) == change.abrasive
    assert change.advice(ChangeStep.DONE) == ""


@pytest.mark.parametrize(("step", "action"), [
    (ChangeStep.HEAT, "again"), (ChangeStep.PUT_IN, "again"), (ChangeStep.DONE, "next"), (ChangeStep.OUT, "jump"),
])  # fmt: skip
def test_what_a_step_does_not_have_cannot_be_pressed(step: ChangeStep, action: str) -> None:
    with pytest.raises(KeyError):
        FilamentChange(210, 240).press(step, action)
