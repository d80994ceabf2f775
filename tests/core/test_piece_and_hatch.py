"""Solids, digits, drawings, and lines across regions."""

import struct
from itertools import combinations

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from manifold3d import CrossSection

from drumbo.core.piece import Piece, block, draw, stl_bytes, text_shape
from drumbo.core.piece.digits import GLYPHS
from drumbo.core.toolpath.hatch import hatch
from drumbo.core.toolpath.plane import crosses, cut_end, edges_of, inside
from drumbo.trials.temperature.ladder import ladder

SQUARE = [np.array([[0.0, 0.0], [10.0, 0.0], [10.0, 10.0], [0.0, 10.0]])]


def test_a_square_is_hatched_by_its_own_area() -> None:
    lines = hatch(edges_of(SQUARE), 0.5, 0.0, 0.25)
    assert len(lines) == 20
    assert np.allclose(np.abs(lines[:, 2] - lines[:, 0]), 10)


@settings(max_examples=40, deadline=None)
@given(st.integers(0, 10_000), st.floats(0, np.pi), st.floats(0.2, 1.5))
def test_hatching_agrees_with_exact_geometry(seed: int, angle: float, spacing: float) -> None:
    """Length of all lines × spacing is the area, and every line's middle lies inside; holes and islands included."""
    rng = np.random.default_rng(seed)
    section = CrossSection()
    for _ in range(5):
        x, y, w, h = rng.uniform(-20, 20), rng.uniform(-20, 20), rng.uniform(3, 15), rng.uniform(3, 15)
        part = CrossSection.square((w, h)).translate((x, y))
        section = section - part if rng.random() < 0.35 else section + part
    rings = section.to_polygons()
    edges = edges_of(rings)
    lines = hatch(edges, spacing, angle)
    length = np.hypot(lines[:, 2] - lines[:, 0], lines[:, 3] - lines[:, 1])
    perimeter = np.hypot(*(edges[:, 2:] - edges[:, :2]).T).sum()
    assert abs(length.sum() * spacing - section.area()) <= spacing * perimeter
    middles = ((lines[:, :2] + lines[:, 2:4]) / 2)[length > 1e-6]
    shape = shapely.unary_union([]) if not rings else _shape(rings)
    assert np.array_equal(inside(middles, edges), shapely.contains_xy(shape, *middles.T))


def _shape(rings: list[np.ndarray]) -> shapely.Geometry:
    result = shapely.Polygon()
    for ring in rings:
        result = result.symmetric_difference(shapely.Polygon(ring).buffer(0))
    return result


def test_a_travel_that_leaves_the_part_is_seen() -> None:
    edges = edges_of([*SQUARE, np.array([[4.0, 4.0], [4.0, 6.0], [6.0, 6.0], [6.0, 4.0]])])
    assert not crosses(1.0, 1.0, 9.0, 1.0, edges)
    assert crosses(1.0, 5.0, 9.0, 5.0, edges), "over the hole"
    assert crosses(5.0, 1.0, 15.0, 1.0, edges)


def test_every_digit_is_one_shape_that_can_be_told_from_the_others() -> None:
    masks = {}
    grid = np.stack(np.meshgrid(np.linspace(-3, 3, 40), np.linspace(-4, 4, 50)), axis=-1).reshape(-1, 2)
    for digit in "0123456789":
        shape = text_shape(digit, 7, 1.1)
        assert len(shape.decompose()) == 1
        _, low_y, _, high_y = shape.bounds()
        assert high_y - low_y == pytest.approx(7, abs=0.05)
        masks[digit] = inside(grid, edges_of(shape.to_polygons()))
    for (one, mask), (other, second) in combinations(masks.items(), 2):
        assert (mask ^ second).sum() / mask.sum() > 0.2, f"{one} looks like {other}"
    assert set("0123456789.-") <= set(GLYPHS)


@pytest.fixture(scope="module")
def tower() -> Piece:
    return ladder((220.0, 215.0, 210.0), 10.0, 0.84)


def test_the_ladder_is_one_solid_with_a_place_a_step(tower: Piece) -> None:
    assert len(tower.solid.decompose()) == 1
    wide, deep, high = tower.size
    assert wide < 100
    assert deep < 40
    assert high == pytest.approx(30.84, abs=1e-3)
    assert [p.label for p in tower.places] == ["220", "215", "210"]
    assert [p.low[2] for p in tower.places] == pytest.approx([0.84, 10.84, 20.84])


def test_the_ladder_has_what_it_must_show(tower: Piece) -> None:
    """Per step: a free span, a neck thinner than 3 mm, needles, and a face that differs by its digits alone."""
    step = tower.places[1]
    needles_z = step.low[2] + 6
    parts = tower.solid.slice(needles_z).decompose()
    thin = [p for p in parts if p.area() < 12]
    assert len(thin) >= 3, "needles stand free"
    neck = [p for p in tower.solid.slice(step.low[2] + 1).decompose() if 4 < p.area() < 8]
    assert len(neck) == 1
    rung = tower.solid.slice(step.high[2] - 0.6)
    below = tower.solid.slice(step.high[2] - 1.6)
    free = (rung - below).bounds()
    assert free[2] - free[0] > 25, "a bridge of more than 25 mm"


def test_stl_holds_the_same_solid(tower: Piece) -> None:
    data = stl_bytes(tower.solid)
    count = struct.unpack("<I", data[80:84])[0]
    assert len(data) == 84 + 50 * count
    rows = np.frombuffer(data[84:], dtype=[("n", "<f4", 3), ("v", "<f4", (3, 3)), ("s", "<u2")])
    a, b, c = rows["v"].astype(float).transpose(1, 0, 2)
    volume = np.einsum("ij,ij->i", a, np.cross(b, c)).sum() / 6
    assert volume == pytest.approx(tower.solid.volume(), rel=1e-4)


def test_a_drawing_keeps_scale_and_order(tower: Piece) -> None:
    drawing = draw(tower)
    assert drawing.width == pytest.approx(tower.size[0], abs=0.01)
    assert drawing.paths[0][0] == "foot"
    assert drawing.paths[-1][0] == "digits"
    xs = [
        float(pair.split()[0]) for _, d in drawing.paths for pair in d.replace("Z", "").replace("M", "L").split("L")[1:]
    ]
    assert min(xs) >= -0.01
    assert max(xs) <= drawing.width + 0.01


def test_blocks_have_the_volume_they_say() -> None:
    assert block((0, 0, 0), (2, 3, 4)).volume() == pytest.approx(24)


def test_a_line_is_cut_before_its_end() -> None:
    """Three sides of 10 mm, 4 mm cut off: 6 mm of the last are left; 14 mm: 6 mm of the one before."""
    line = np.array([[0.0, 0.0], [10.0, 0.0], [10.0, 10.0], [0.0, 10.0]])
    kept, rest = cut_end(line, 4)
    np.testing.assert_allclose(kept[-1], [4, 10])
    np.testing.assert_allclose(rest, [[0, 10]])
    kept, rest = cut_end(line, 14)
    np.testing.assert_allclose(kept[-1], [10, 6])
    np.testing.assert_allclose(rest, [[10, 10], [0, 10]])
    whole, none = cut_end(line, 15.1)
    assert len(whole) == 4
    assert len(none) == 0
