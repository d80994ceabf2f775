"""What the stand-in makes of too much flow: spirals, blobs, starved layers, ground filament."""

from __future__ import annotations

import numpy as np
import pytest

from drumbo.standins import eye, tools
from drumbo.standins.filament import physics
from drumbo.standins.filament.geometry import geometry
from drumbo.standins.filament.interpreter import Machine
from drumbo.standins.filament.printing import PrintedObject, melt
from drumbo.standins.filament.spool import draw_spool

AREA = np.pi * 1.75**2 / 4
SPOOL = draw_spool("pla", 3)


def _run(*lines: str, heat: float = 210.0) -> PrintedObject:
    device = Machine()
    for line in ("G21", "G90", "M83", f"M104 S{heat:g}", "G28", *lines):
        device.run(line)
    return melt(geometry(device.moves), SPOOL)


def _circle(turns: int, rise: float, corners: int = 90, radius: float = 20.0) -> list[str]:
    """Two flat rings, then a rising line."""
    lines, e = [], 2 * np.pi * radius / corners * 0.2 * 0.45 / AREA
    for z in (0.2, 0.4):
        lines += [f"G0 X{100 + radius} Y100 Z{z}"]
        lines += [_at(radius, n, corners) + f" E{e:.5f} F1800" for n in range(1, corners + 1)]
    for n in range(1, turns * corners + 1):
        lines.append(_at(radius, n, corners) + f" Z{0.4 + rise * n / corners:.3f} E{e:.5f}")
    return lines


def _at(radius: float, n: int, corners: int) -> str:
    angle = 2 * np.pi * n / corners
    return f"G1 X{100 + radius * np.cos(angle):.3f} Y{100 + radius * np.sin(angle):.3f}"


def test_a_spirals_turns_are_its_layers_and_its_first_one_thickens_from_nothing() -> None:
    shape = _run(*_circle(5, 0.3)).geometry
    heights = {level: shape.height[shape.layer == level] for level in range(7)}
    assert shape.layer.max() == 6, "two flat layers and five turns"
    for level in (0, 1):
        np.testing.assert_allclose(heights[level], 0.2)
    assert heights[2].min() < 0.02
    assert heights[2].max() == pytest.approx(0.3, abs=0.01)
    for level in range(3, 7):
        np.testing.assert_allclose(heights[level], 0.3, atol=0.002)
    assert shape.angle_deg[shape.layer > 2].max() < 40, "every turn lies on the one beneath"


def test_a_flat_print_has_the_layers_that_its_heights_say() -> None:
    shape = _run(*_circle(0, 0.3)).geometry
    assert shape.layer.max() == 1
    np.testing.assert_allclose(shape.height, 0.2)


def _blob(x: float, flow: float, length: float = 100.0) -> list[str]:
    return [f"G0 X{x} Y50 Z40 F6000", *(f"G1 E{length / 10:.4f} F{flow / AREA * 60:.2f}" for _ in range(10))]


def _weight(thing: PrintedObject, x: float) -> float:
    jaws = tools.JawsOnBed((x - 10, 40), (x + 10, 60), 0.0, "scale")
    return tools.measure(thing, jaws, np.random.default_rng(0))


def test_a_blob_weighs_what_arrives() -> None:
    limit = float(physics.capability(SPOOL, np.array(210.0), 0.4)) / physics.fed_share(SPOOL)
    thing = _run(*_blob(50, 0.3 * limit), *_blob(90, limit), *_blob(130, 1.3 * limit))
    full = 100 * AREA * physics.fed_share(SPOOL) * 1.24 / 1000
    assert _weight(thing, 50) == pytest.approx(full, rel=0.03)
    assert _weight(thing, 90) / _weight(thing, 50) == pytest.approx(0.95, abs=0.03)
    assert _weight(thing, 130) < 0.85 * _weight(thing, 50)
    assert _weight(thing, 170) == 0.0, "an empty pan"
    assert thing.geometry.volume_mm3 == pytest.approx(300 * AREA)


def test_what_is_pushed_back_after_a_pull_is_no_blob() -> None:
    thing = _run(*_blob(50, 3), "G1 E-1 F2000", "G0 X90 Y50", "G1 E1 F2000", *_blob(90, 3))
    assert thing.geometry.drop_mm3.sum() == pytest.approx(200 * AREA)


def test_too_much_for_too_long_grinds_and_nothing_more_comes() -> None:
    limit = float(physics.capability(SPOOL, np.array(210.0), 0.4)) / physics.fed_share(SPOOL)
    hard = 1.9 * limit
    short = _run(*_blob(50, hard, 15 * hard / AREA), *_blob(90, 3))
    assert _weight(short, 90) > 0.2, "15 s are borne"
    long = _run(*_blob(50, hard, 30 * hard / AREA), *_blob(90, 3))
    assert 0.08 < _weight(long, 50) < 0.16, "three tenths of it came, for 20 s"
    assert _weight(long, 90) == 0.0
    assert _weight(_run(*_blob(50, 3), heat=170), 50) == 0.0, "too cold to be pushed at all"


def test_a_starved_wall_turns_matt_then_gapes_then_splits() -> None:
    limit = float(physics.capability(SPOOL, np.array(210.0), 0.4)) / physics.fed_share(SPOOL)
    lines = _circle(24, 0.3)
    spiral = [line for line in lines if " Z" in line and "E" in line]
    per_mm = float(spiral[0].split("E")[1]) * AREA / (2 * np.pi * 20 / 90)
    paced = [f"{line} F{(0.5 + 0.1 * (n // 180)) * limit / per_mm * 60:.0f}" for n, line in enumerate(spiral)]
    thing = _run("M204 S100000", *lines[: -len(spiral)], *paced)
    boxes = [((0.0, 0.0, 0.4 + 0.6 * k), (200.0, 200.0, 0.4 + 0.6 * (k + 1))) for k in range(12)]
    begins = eye.first_seen(thing, boxes, ["matt", "gaps", "splits"])
    loads = {sign: 0.5 + 0.1 * at for sign, at in begins.items()}
    assert loads["matt"] <= loads["gaps"] < loads["splits"]
    assert 1.0 <= loads["gaps"] <= 1.25
    assert eye.first_seen(thing, boxes[:3], ["gaps"]) == {"gaps": 3}, "nowhere is one past the last"
