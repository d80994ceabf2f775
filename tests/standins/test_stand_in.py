"""The stand-in prints what the file says: physics, camera, eye, and a wrong file giving a wrong object."""

import io
from dataclasses import replace

import numpy as np
import pytest
from PIL import Image

from drumbo.core.gcode.writer import PrintJob, write
from drumbo.core.piece import block
from drumbo.core.toolpath import Role, build, settings_for
from drumbo.standins import eye
from drumbo.standins.filament import physics
from drumbo.standins.filament.camera import front_picture
from drumbo.standins.filament.geometry import Geometry, geometry
from drumbo.standins.filament.interpreter import Machine
from drumbo.standins.filament.printing import lagging_c, melt
from drumbo.standins.filament.spool import draw_spool
from drumbo.trials import kind
from tests.conftest import plain_context

SPOOL = draw_spool("pla", 3)
HOT = np.array([SPOOL.centre_c - 20, SPOOL.centre_c, SPOOL.centre_c + 20])
ONES = np.ones(3)


def test_the_same_seed_is_the_same_spool_and_another_is_not() -> None:
    assert draw_spool("pla", 3) == SPOOL
    assert draw_spool("pla", 4) != SPOOL


def test_capability_gives_95_per_cent_and_then_plummets() -> None:
    at = physics.capability(SPOOL, HOT, 0.4)
    assert np.all(np.diff(at) > 0)
    assert physics.delivered(at, at) == pytest.approx(0.95, abs=1e-3)
    assert np.all(physics.delivered(1.7 * at, at) < 0.5)
    assert at[2] / at[1] == pytest.approx(np.exp(20 * SPOOL.melt_rate)), "1.4 to 2 % a degree"
    assert 0.014 <= SPOOL.melt_rate <= 0.020


def test_every_relation_leans_the_way_makers_know() -> None:
    assert np.all(np.diff(physics.sag(SPOOL, HOT, 28 * ONES, ONES, 30 * ONES)) > 0), "hot bridges hang"
    assert np.all(
        physics.sag(SPOOL, HOT, 28 * ONES, 0 * ONES, 30 * ONES) > physics.sag(SPOOL, HOT, 28 * ONES, ONES, 30 * ONES)
    )
    assert physics.sag(SPOOL, HOT, 14 * ONES, ONES, 30 * ONES) == pytest.approx(
        physics.sag(SPOOL, HOT, 28 * ONES, ONES, 30 * ONES) / 4
    )
    assert np.all(physics.droop(SPOOL, HOT, 39 * ONES, ONES) == 0)
    assert np.all(np.diff(physics.droop(SPOOL, HOT, 62 * ONES, ONES)) > 0)
    assert np.all(np.diff(physics.curl(SPOOL, HOT, 62 * ONES)) <= 0)
    assert np.all(np.diff(physics.bond(SPOOL, HOT, ONES, 8 * ONES)) > 0), "heat welds"
    assert np.all(physics.bond(SPOOL, HOT, ONES, 8 * ONES) <= physics.bond(SPOOL, HOT, 0 * ONES, 8 * ONES))
    assert np.all(np.diff(physics.sheen(SPOOL, HOT, 0.3 * ONES)) > 0)
    assert np.all(np.diff(physics.ooze(SPOOL, HOT, 0.5 * ONES, 0.2 * ONES)) > 0)
    longer = physics.ooze(SPOOL, HOT, 0.9 * ONES, 0.2 * ONES)
    assert np.all(longer < physics.ooze(SPOOL, HOT, 0.3 * ONES, 0.2 * ONES)), "pulling back helps"
    assert physics.damage(SPOOL, np.array([SPOOL.damage_c - 1]))[0] == 0


def test_a_layer_that_needs_longer_than_it_has_stays_soft() -> None:
    """Worked number: 6 s where 8 are needed leave a quarter; air and a cooler nozzle help."""
    spool = replace(SPOOL, set_s=8.0)
    at = np.array([spool.centre_c])
    usual = np.array([spool.usual_fan])
    assert physics.slump(spool, at, usual, np.array([6.0])) == pytest.approx(0.25)
    assert physics.slump(spool, at, usual, np.array([8.0])) == 0
    assert physics.slump(spool, at, 0 * usual, np.array([6.0])) > physics.slump(spool, at, usual, np.array([6.0]))
    assert physics.slump(spool, at - 10, usual, np.array([6.0])) < 0.25


def test_what_is_printed_hot_is_chilled_more() -> None:
    """PLA hardly loses bond at full fan against half of it; ASA, usually printed with little, loses plainly."""
    loss = {}
    for family in ("pla", "asa"):
        spool = draw_spool(family, 3)
        heat = np.full(2, spool.centre_c)
        half, full = physics.bond(spool, heat, np.array([0.5, 1.0]), np.full(2, 8.0))
        loss[family] = 1 - full / half
    assert loss["asa"] > 2 * loss["pla"]


def test_infill_over_the_air_between_lines_is_no_overhang() -> None:
    """A block with sparse infill has no edge that leans out, whatever its lines cross."""
    solid = block((-12, -12, 0), (12, 12, 6))
    context = plain_context()
    settings = settings_for(context.profile.numbers(), context.printer)
    path = build(solid, settings, middle=context.printer.bed_middle, purge_from=(10, 8))
    machine = Machine()
    for line in write(path, PrintJob(context.printer, 210, 210, 60, 60)).splitlines():
        machine.run(line)
    found = geometry(machine.moves)
    assert (path.role == Role.INFILL).sum() > 100
    assert (found.angle_deg > 50).sum() < 0.002 * len(found.angle_deg)


def test_the_nozzle_follows_its_target_with_a_lag() -> None:
    ends, target = np.arange(1.0, 101.0), np.where(np.arange(100) < 10, 210.0, 205.0)
    heat = lagging_c(ends, target)
    assert heat[9] == 210
    assert 205 < heat[12] < 210
    assert heat[-1] == pytest.approx(205, abs=0.1)


def _file(**plan: object) -> str:
    context = plain_context()
    trial = kind("temperature")
    file = trial.print_file(replace(trial.suggest(context), hot_c=220.0, cold_c=200.0, step_c=10.0, **plan), context)
    return str(file.gcode)


def _geometry(gcode: str) -> Geometry:
    machine = Machine()
    for line in gcode.splitlines():
        machine.run(line)
    return geometry(machine.moves)


@pytest.fixture(scope="module")
def gcode() -> str:
    return _file()


@pytest.fixture(scope="module")
def shape(gcode: str) -> Geometry:
    return _geometry(gcode)


def test_bridges_and_overhangs_are_seen_in_the_moves_alone(shape: Geometry) -> None:
    spans = shape.span_mm[shape.span_mm > 20]
    assert len(spans) > 500
    assert np.median(spans) == pytest.approx(28, abs=0.6)
    wing = shape.a[:, 0] > 110 + 29
    steep = shape.angle_deg[wing & (shape.angle_deg > 50) & (shape.angle_deg < 85)]
    assert np.median(steep) == pytest.approx(63, abs=3), "the wing's steep side"
    assert shape.volume_mm3 * 1.24e-3 == pytest.approx(8, abs=4)


def test_the_same_file_and_seed_give_the_same_object_to_the_byte(shape: Geometry) -> None:
    one, other = (front_picture(melt(shape, SPOOL), "#cfc6b4", 4.0)[0] for _ in range(2))
    assert one == other
    assert front_picture(melt(replace(shape, digest=10), SPOOL), "#cfc6b4", 4.0)[0] != one


def test_the_picture_shows_the_object_at_its_scale(shape: Geometry) -> None:
    data, frame = front_picture(melt(shape, SPOOL), "#cfc6b4", 8.0)
    with Image.open(io.BytesIO(data)) as image:
        assert image.size == (frame.width, frame.height)
        assert float(image.info["mm_per_px"]) == pytest.approx(1 / 8)
        pixels = np.asarray(image.convert("L"), float)
    row = frame.height - round((15.0 - frame.bottom_mm) * 8)
    pale = np.flatnonzero(pixels[row - 3 : row + 3].mean(axis=0) > 110)
    mast_mm = frame.left_mm + pale.min() / 8, frame.left_mm + pale.max() / 8
    assert mast_mm[0] == pytest.approx(110 - 28 - 5, abs=6)
    assert mast_mm[1] == pytest.approx(110 + 25, abs=6)
    cells = pixels[: frame.height - 40].std()
    assert cells > 15, "light and shade"


def test_a_forgotten_temperature_shows(gcode: str) -> None:
    """A file without its steps prints one temperature all the way up; the stand-in is not told what was meant."""
    first = gcode.index("M104 S220")
    flat = gcode[: first + 9] + gcode[first + 9 :].replace("M104 S210", "").replace("M104 S200", "")
    stepped, constant = (melt(_geometry(text), SPOOL) for text in (gcode, flat))
    top = stepped.geometry.z > 22
    assert np.median(stepped.nozzle_c[top]) == pytest.approx(200, abs=1)
    assert np.median(constant.nozzle_c[top]) == pytest.approx(220, abs=1)
    assert constant.bond[top].mean() > stepped.bond[top].mean() + 0.2


def test_a_speed_factor_left_behind_shows_in_the_time(gcode: str, shape: Geometry) -> None:
    slow = _geometry(gcode.replace("M107\nM204", "M220 S30\nM107\nM204", 1))
    assert slow.total_s > 2 * shape.total_s


def test_a_cold_nozzle_lays_nothing(gcode: str) -> None:
    cold = melt(_geometry(gcode.replace("M109 S215", "M109 S0").replace("M104 S2", "M104 S0 ;")), SPOOL)
    assert cold.missing.min() == 1.0


def test_the_eye_is_noisy_whole_and_repeatable(shape: Geometry) -> None:
    thing = melt(shape, SPOOL)
    boxes = [((-1e4, -1e4, low), (1e4, 1e4, low + 10)) for low in (0.84, 10.84, 20.84)]
    aspects = ["bridge", "overhang", "strings", "surface", "bond"]
    one = eye.look(thing, boxes, aspects, 1)
    assert np.array_equal(one, eye.look(thing, boxes, aspects, 1))
    assert one.min() >= 0
    assert one.max() <= 4
    exact = eye.exact_scores(thing, boxes, aspects)
    many = np.stack([eye.look(thing, boxes, aspects, s) for s in range(200)])
    middle = (exact > 0.8) & (exact < 3.2)
    assert np.abs(many.mean(axis=0) - exact)[middle].max() < 0.2, "right on the whole"
    assert 0.4 < many.std(axis=0)[middle].mean() < 0.9, "and human at each look"
    assert exact[0, aspects.index("bridge")] < exact[2, aspects.index("bridge")], "hot bridges score lower"
    assert exact[0, aspects.index("bond")] > exact[2, aspects.index("bond")]
