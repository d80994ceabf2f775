"""The changeover trial: rows that count filament, a stripe beside them, and what eye and photo tell together."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from drumbo.core.errors import InvalidInput
from drumbo.core.printer import NOZZLES
from drumbo.core.toolpath import PrintSettings
from drumbo.sight.rectify import View
from drumbo.sight.thinning import Found
from drumbo.trials import kind
from drumbo.trials.changeover import fields
from drumbo.trials.changeover.kind import Changeover
from drumbo.trials.changeover.plan import ROW_MM
from drumbo.trials.changeover.seen import found_in
from drumbo.trials.readings import Readings
from tests.conftest import plain_context

CONTEXT = plain_context()
PLAIN = PrintSettings()


def _kind() -> Changeover:
    found = kind("changeover")
    assert isinstance(found, Changeover)
    return found


def _made(most_mm: int = 150) -> tuple[fields.RowField, fields.RowField]:
    plan = replace(_kind().suggest(CONTEXT), most_mm=most_mm)
    return _kind()._fields(plan, CONTEXT)


@given(st.floats(0.35, 0.9), st.floats(0.1, 0.32), st.floats(0.9, 1.1))
@settings(max_examples=25)
def test_a_row_there_and_back_is_five_millimetres_of_filament_whatever_the_line(
    width: float, height: float, flow: float
) -> None:
    one = replace(PLAIN, width_mm=width, layer_mm=height, flow_ratio=flow)
    lower, upper = fields.layout((one, replace(one, flow_ratio=1.0)), 12)
    for field, laid in ((upper, one), (lower, replace(one, flow_ratio=1.0))):
        path = fields._to_and_fro(field, 0.0)
        rows = path[: 4 * field.rows]
        length = float(np.hypot(*np.diff(rows, axis=0).T).sum())
        fed = length * laid.road_area(height) * laid.flow_ratio / (np.pi * laid.filament_mm**2 / 4)
        assert fed / field.rows == pytest.approx(ROW_MM, rel=0.02)
        assert field.at(0.0) == field.low_y
        assert field.at(field.rows * ROW_MM) == pytest.approx(field.high_y)


def test_the_stripe_lies_on_the_base_beside_the_rows_and_comes_back_to_the_front() -> None:
    made = _made()
    left = fields.left(made)
    corners = np.array(fields.corners(made))
    for field in made:
        path = fields._to_and_fro(field, left)
        rows, stripe = path[: 4 * field.rows], path[4 * field.rows :]
        assert stripe[:, 0].max() < rows[:, 0].min(), "no line lies on another"
        gap = rows[:, 0].min() - stripe[:, 0].max()
        assert gap == pytest.approx(field.pitch / 2)
        assert stripe[:, 0].min() > corners[:, 0].min() + fields.EDGE / 2, "all of it on the base"
        assert stripe[-1, 1] > field.high_y - field.pitch, "there and back, so often"
        assert {round(float(y), 6) for y in stripe[:, 1]} == {
            round(field.low_y + field.pitch / 4, 6), round(field.high_y - field.pitch / 4, 6),
        }  # fmt: skip


def test_corners_go_round_and_hold_all_of_both_bases() -> None:
    made = _made(240)
    corners = np.array(fields.corners(made))
    sides = np.roll(corners, -1, axis=0) - corners
    turns = sides[:, 0] * np.roll(sides, -1, axis=0)[:, 1] - sides[:, 1] * np.roll(sides, -1, axis=0)[:, 0]
    assert (turns > 0).all(), "counter-clockwise as seen from above"
    bases = [part.solid.bounding_box() for part in fields.base(made, 0.24) if part.look == "foot"]
    assert min(box[0] for box in bases) == pytest.approx(corners[:, 0].min())
    assert max(box[3] for box in bases) == pytest.approx(corners[:, 0].max())
    assert (min(box[1] for box in bases), max(box[4] for box in bases)) == pytest.approx(
        (corners[:, 1].min(), corners[:, 1].max())
    )
    marks = _kind().photo_marks(_kind().suggest(CONTEXT), CONTEXT).corners
    assert [name.split(" corner")[0] for name, _, _ in marks] == [
        "front left",
        "front right",
        "back right",
        "back left",
    ]


def _read(eye: tuple[float | None, float | None], photo: tuple[float, float] | None = None, sd: float = 4.0):  # type: ignore[no-untyped-def]
    readings = Readings()
    for k, number in enumerate(eye):
        readings = readings.with_measure("clean", k, "here", number)
    for k, number in enumerate(photo or ()):
        readings = readings.with_photo("clean", k, "here", number, sd)
    return _kind().evaluate(_kind().suggest(CONTEXT), readings)


def test_one_field_alone_is_not_enough_and_each_way_keeps_its_own() -> None:
    for eye in ((None, None), (60.0, None), (None, 60.0)):
        assert _read(eye).state == "few"
    both = _read((60.0, 80.0))
    assert (both.state, both.value, both.also["back"]) == ("good", 60.0, 80.0)
    assert "Push 60 mm from the first to the second, 80 mm back." in both.says
    changed = _kind().changes(_kind().suggest(CONTEXT), both, CONTEXT, 7)
    assert {key: value.number for key, value in changed.items()} == {"purge_there_mm": 60.0, "purge_back_mm": 80.0}
    assert _kind().changes(_kind().suggest(CONTEXT), _read((60.0, None)), CONTEXT, 7) == {}


def test_eye_and_photo_count_by_how_sure_they_are_and_neither_alone_is_as_sure() -> None:
    eye, photo = _read((60.0, 80.0)), _read((None, None), (66.0, 74.0))
    both = _read((60.0, 80.0), (66.0, 74.0))
    assert photo.value == 66.0
    assert 60 < both.value < 66
    assert both.error < min(eye.error, photo.error)
    weighed = (60 / eye.error**2 + 66 / photo.error**2) / (1 / eye.error**2 + 1 / photo.error**2)
    assert both.value == pytest.approx(weighed)
    surer = _read((60.0, 80.0), (66.0, 74.0), sd=1.0)
    assert both.value < surer.value < 66.0
    assert not any("look again" in note for note in both.notes)


def test_two_that_are_far_apart_are_told_and_know_less() -> None:
    apart = _read((40.0, 80.0), (120.0, 80.0))
    assert any("First to second you read 40 mm and the photo says 120 mm" in note for note in apart.notes)
    assert apart.error > 2 * _read((40.0, 80.0), (44.0, 80.0)).error
    assert apart.also["back_error"] == _read((80.0, 80.0), (80.0, 80.0)).also["back_error"], "the other way is as sure"


@pytest.mark.parametrize(("eye", "longer"), [((140.0, 60.0), True), ((60.0, 150.0), True), ((60.0, 80.0), False)])
def test_what_is_clean_only_at_the_end_wants_a_longer_field(eye: tuple[float, float], longer: bool) -> None:
    found = _read(eye)
    assert (found.state == "edge") is longer
    assert (found.extend is not None) is longer
    if longer:
        assert found.extend["most_mm"] == 210
        assert "print a longer one" in found.says


def test_readings_with_a_photo_survive_being_kept_and_older_ones_are_read() -> None:
    kept = Readings().with_measure("clean", 0, "here", 60.0).with_photo("clean", 1, "here", 71.5, 3.2)
    again = Readings.from_json(kept.to_json())
    assert again == kept
    assert again.by_photo("clean", 1, "here") == (71.5, 3.2)
    assert again.by_photo("clean", 0, "here") is None
    assert kept.count() == 2, "a number and what a photo told of another"
    assert "photographed" not in Readings().with_measure("clean", 0, "here", 60.0).to_json()
    assert Readings.from_json({}) == Readings()


def test_where_each_has_a_nozzle_of_its_own_there_is_nothing_to_find() -> None:
    own = replace(CONTEXT, printer=replace(CONTEXT.printer, swaps=NOZZLES))
    assert "nothing has to be purged" in str(_kind().hindered(own))
    with pytest.raises(InvalidInput, match="has a nozzle for each"):
        _kind().check(_kind().suggest(CONTEXT), own)
    assert _kind().hindered(CONTEXT) is None
    assert "“Two materials…”" in str(_kind().hindered(replace(CONTEXT, other=None)))


def test_fields_that_have_no_room_or_no_second_material_are_refused() -> None:
    trial = _kind()
    plan = replace(trial.suggest(CONTEXT), most_mm=240)
    small = replace(CONTEXT, printer=replace(CONTEXT.printer, bed_y_mm=80.0))
    with pytest.raises(InvalidInput, match="bed"):
        trial.check(plan, small)
    with pytest.raises(InvalidInput, match="steps of 30 mm"):
        trial.check(replace(plan, most_mm=100), CONTEXT)
    with pytest.raises(InvalidInput, match="needs a second material"):
        trial.check(plan, replace(CONTEXT, other=None))
    cold = replace(CONTEXT, printer=replace(CONTEXT.printer, nozzle_max_c=200.0))
    with pytest.raises(InvalidInput, match="more than the printer may run"):
        trial.check(plan, cold)


PAIRS = (("#cfc6b4", "#2f4f8f"), ("#8d8f94", "#22335b"))
"""A bright one with a dark one, and two that are both darker than a plate."""
PX_MM, ROUND_MM = 12, 8.0


def _photo(ground: int, labels: tuple[str, str], fades_mm: float = 25.0) -> tuple[Found, Found]:
    """What is found where both fields fade with what was pushed, on a grey ground, by a camera that makes all of it as
    bright as it can.
    """
    made = _made()
    corner = np.array(fields.corners(made))
    low = corner.min(axis=0) - ROUND_MM
    wide, high = ((corner.max(axis=0) + ROUND_MM - low) * PX_MM).astype(int)
    x, y = np.meshgrid(low[0] + (np.arange(wide) + 0.5) / PX_MM, low[1] + (high - np.arange(high) - 0.5) / PX_MM)
    linear = np.empty((high, wide, 3))
    linear[:] = (ground / 255) ** 2.2
    left = fields.left(made)
    new, old = ((np.array(list(bytes.fromhex(colour[1:]))) / 255) ** 2.2 for colour in reversed(labels))
    for field, pure, was in zip(made, (old, new), (new, old), strict=True):
        on = (x > corner[:, 0].min()) & (x < corner[:, 0].max()) & (y > field.low_y - 1) & (y < field.high_y + 1)
        fed = np.clip((y - field.low_y) / field.pitch * ROW_MM, 0, None)[..., None]
        rows = pure + (was - pure) * np.exp(-fed / fades_mm)
        linear = np.where(on[..., None], np.where((x < left)[..., None], pure, rows), linear)
    linear *= 0.85 / np.quantile(linear, 0.995)
    pixels = np.clip(255 * linear ** (1 / 2.2), 0, 255).astype(np.uint8)
    to_px = np.array([[PX_MM, 0, -low[0] * PX_MM], [0, -PX_MM, high + low[1] * PX_MM], [0, 0, 1.0]])
    return found_in(View(pixels, to_px), made, left, labels)


@pytest.mark.parametrize("labels", PAIRS)
def test_a_grey_plate_is_not_taken_for_white_paper(labels: tuple[str, str]) -> None:
    paper = _photo(250, labels)
    for grey in (90, 120, 150):
        for on_paper, on_plate in zip(paper, _photo(grey, labels), strict=True):
            assert on_plate.clean_mm is not None
            assert on_paper.clean_mm is not None
            off = abs(on_plate.clean_mm - on_paper.clean_mm)
            assert off < 1.645 * float(np.hypot(on_plate.sd_mm, on_paper.sd_mm))
