"""Light: the working curve, the match of blades and slits, another layer height; outlines to pixels and to PNG."""

from __future__ import annotations

import io
import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from manifold3d import CrossSection, Manifold, OpType
from numpy.typing import NDArray
from PIL import Image
from scipy.special import ndtri

from drumbo.core.errors import InvalidInput
from drumbo.core.fit.callipers import PRESSED_UM
from drumbo.core.light import curve, height
from drumbo.core.light.job import Lift, LitSolid, Screen, exposures, job
from drumbo.core.light.match import Told, fit_match, gap, stacked, stands
from drumbo.core.light.png import png
from drumbo.core.light.raster import bits, greys
from drumbo.core.profile import start
from drumbo.core.resin import Resin, ResinPrinter
from drumbo.core.sure import half_90
from tests.conftest import resin_context

Floats = NDArray[np.float64]
NUMBERS = resin_context().profile.numbers()


def test_a_worked_curve_and_what_it_foretells() -> None:
    seconds = np.array([2.0, 4.0, 8.0, 16.0])
    found = curve.fit(seconds, 100 * np.log(seconds) - PRESSED_UM)
    assert found is not None
    assert found.reach_um == pytest.approx(100, rel=1e-6)
    assert found.critical_s == pytest.approx(1, rel=1e-6)
    assert found.depth_um(math.e) == pytest.approx(100)
    assert found.seconds(75) == pytest.approx(math.exp(0.75)), "E = Ec · e^((h + overcure) / Dp)"
    assert found.log_error(400) > found.log_error(200) > 0


def test_a_misread_skin_is_named_and_has_no_say() -> None:
    seconds = np.repeat([1.5, 2.5, 4.0, 6.5, 10.5, 17.0], 2)
    depth = 150 * np.log(seconds / 0.9) + np.tile([2.0, -2.0], 6)
    depth[7] += 100
    found = curve.fit(seconds, depth)
    assert found is not None
    assert [k for k, kept in enumerate(found.kept) if not kept] == [7]
    assert found.reach_um == pytest.approx(150, abs=3)


def test_too_few_or_contradicting_skins_promise_no_curve() -> None:
    assert curve.fit(np.array([2.0, 2.0, 4.0, 8.0]), np.array([1.0, 1.0, 2.0, 3.0])) is None
    assert curve.fit(np.array([2.0, 4.0, 8.0, 16.0]), np.array([300.0, 200.0, 150.0, 100.0])) is None


def test_a_bent_curve_is_seen() -> None:
    seconds = np.repeat(np.geomspace(1.5, 15, 7), 2)
    x = np.log(seconds)
    found = curve.fit(seconds, 150 * x + 40 * (x - x.mean()) ** 2)
    assert found is not None
    assert found.bent_um > 2.6 * found.bent_error_um


def _told(seconds: Floats, sign: Floats, errors: Floats) -> list[Told]:
    return [
        (stands if s > 0 else gap)(float(t), float(e)) for t, s, e in zip(seconds, sign, errors, strict=True)
    ]  # fmt: skip


def test_blades_and_slits_tell_the_exposure_as_surely_as_they_say() -> None:
    """What stands and what is open, made by the law that light follows, and read to ± 0.02 mm."""
    rng, sign, inside = np.random.default_rng(8), np.tile([1.0, 1.0, -1.0, -1.0], 7), []
    for _ in range(100):
        true_s, bleed, offset = rng.uniform(1.0, 8.0), rng.uniform(0.015, 0.04), rng.uniform(-0.02, 0.02)
        middle = true_s * math.exp(rng.uniform(-0.25, 0.25))
        seconds = np.repeat(middle * (1 + 0.12 * np.arange(-3, 4)), 4)
        grown = -bleed * ndtri(np.minimum(0.5 * true_s / seconds, 0.98))
        errors = offset + 2 * sign * grown + rng.uniform(-0.02, 0.02, len(seconds))
        found = fit_match(_told(seconds, sign, errors))
        assert found is not None
        away = abs(math.log(found.exposure_s / true_s))
        assert away < max(4 * found.log_error, 0.06)
        inside.append(away <= half_90(found.log_error))
        assert found.growth_mm(found.exposure_s) == pytest.approx(0, abs=1e-9)
    assert np.mean(inside) > 0.85


def test_leaves_tell_the_exposure_whatever_jaws_add_and_closer_than_blades() -> None:
    rng, inside, away = np.random.default_rng(9), [], []
    for _ in range(150):
        true_s, bleed, joint = rng.uniform(1.0, 8.0), rng.uniform(0.015, 0.04), rng.uniform(0, 0.006)
        seconds = true_s * math.exp(rng.uniform(-0.2, 0.2)) * np.array([0.76, 1.0, 1.24])
        grown = 14 * -bleed * ndtri(np.minimum(0.5 * true_s / seconds, 0.98)) + 7 * joint
        read = grown + rng.normal(0, 0.014, 3)
        found = fit_match([stacked(float(t), float(e), 0.0144, 8) for t, e in zip(seconds, read, strict=True)])
        assert found is not None
        off = math.log(found.exposure_s / true_s)
        inside.append(abs(off) <= half_90(found.log_error))
        away.append(abs(off))
    assert np.mean(inside) > 0.87
    assert np.median(away) < 0.03, "by blades alone it is thrice as much"


def test_one_side_alone_tells_nothing() -> None:
    seconds = np.array([1.0, 2.0, 3.0, 4.0])
    assert fit_match(_told(seconds, np.ones(4), np.zeros(4))) is None
    assert fit_match([*_told(seconds, np.ones(4), np.zeros(4)), stacked(2.0, 0.02, 0.014, 8)]) is None


def test_another_height_by_its_curve_and_by_a_wide_rule() -> None:
    assert height.factor(50, 25, 125) == pytest.approx(math.exp(-0.15))
    by_curve = height.foretell(2.4, 0.08, 50, 25, (125.0, 3.0))
    by_rule = height.foretell(2.4, 0.08, 50, 25, None)
    assert by_curve.exposure_s == pytest.approx(2.4 * 0.8607, abs=1e-3)
    assert by_rule.error_s > 1.4 * by_curve.error_s
    assert "working curve" in by_curve.note
    assert "usual reach" in by_rule.note
    same = height.foretell(2.4, 0.08, 50, 50, (125.0, 3.0))
    assert (same.exposure_s, same.error_s) == pytest.approx((2.4, 0.08))


def test_bottom_steps_down_to_normal() -> None:
    assert exposures(2, 20, 1, 2, 5) == pytest.approx([20, 14, 8, 2, 2])
    assert exposures(2, 20, 2, 0, 4) == [20, 20, 2, 2]
    assert Lift(6, 6, 60, 60, 180).seconds == pytest.approx(8)


outlines = st.lists(
    st.tuples(st.floats(-20, 20), st.floats(-10, 10), st.floats(0.5, 9), st.integers(3, 40)), min_size=1, max_size=6
)


def _shape(circles: list[tuple[float, float, float, int]]) -> CrossSection:
    made = [CrossSection.circle(r, corners).translate((x, y)) for x, y, r, corners in circles]
    return CrossSection.batch_boolean(made, OpType.Add) - CrossSection.circle(1.3, 24)


@given(outlines)
def test_a_pixel_is_lit_where_its_middle_lies_inside(circles: list[tuple[float, float, float, int]]) -> None:
    """Against a winding number of every pixel's middle."""
    shape, screen = _shape(circles), Screen((150, 90), 400)
    rings = tuple(np.asarray(ring, dtype=np.float32) for ring in shape.to_polygons())
    found = np.unpackbits(bits(rings, screen.pixels, screen.pixel_mm), axis=1)[:, :150].astype(bool)
    x = (np.arange(150) + 0.5) * 0.4 - 30
    y = 18 - (np.arange(90) + 0.5) * 0.4
    at_x, at_y = np.meshgrid(x, y)
    inside = np.zeros(at_x.shape, dtype=int)
    near = np.zeros(at_x.shape, dtype=bool)
    for ring in rings:
        for (x0, y0), (x1, y1) in zip(ring.astype(float), np.roll(ring, -1, axis=0).astype(float), strict=True):
            if y0 == y1:
                continue
            crossing = x0 + (at_y - y0) * (x1 - x0) / (y1 - y0)
            within = (at_y >= min(y0, y1)) & (at_y < max(y0, y1))
            inside += within & (crossing > at_x)
            near |= (np.abs(crossing - at_x) < 1e-4) & (at_y > min(y0, y1) - 1e-4) & (at_y < max(y0, y1) + 1e-4)
    assert (found == (inside % 2 == 1))[~near].all()


def test_area_is_right_to_a_hundredth_of_a_per_cent() -> None:
    screen = Screen((3840, 2400), 35)
    shape = _shape([(-30, 5, 20, 200), (25, -8, 18, 77), (0, 20, 11.3, 64)])
    rings = tuple(np.asarray(ring, dtype=np.float32) for ring in shape.to_polygons())
    lit = int(np.unpackbits(bits(rings, screen.pixels, screen.pixel_mm)).sum()) * screen.pixel_mm**2
    assert lit == pytest.approx(shape.area(), rel=1e-4)
    share = greys(rings, screen.pixels, screen.pixel_mm, 8).astype(float).sum() / 255 * screen.pixel_mm**2
    assert share == pytest.approx(shape.area(), rel=1e-4)


@given(st.integers(1, 70), st.integers(1, 30), st.integers(0, 10**6), st.sampled_from([1, 8]))
def test_any_picture_comes_back_through_another_reader(width: int, high: int, seed: int, depth: int) -> None:
    rng = np.random.default_rng(seed)
    if depth == 1:
        truth = rng.random((high, width)) < 0.4
        rows, shown = np.packbits(truth, axis=1), truth * 255
    else:
        rows = shown = rng.integers(0, 256, (high, width)).astype(np.uint8)
    with Image.open(io.BytesIO(png(rows, width, depth))) as image:
        np.testing.assert_array_equal(np.asarray(image.convert("L")), shown)


def _pillar(x: float, high: float = 3.0) -> Manifold:
    return Manifold.cube((4, 4, high)).translate((x - 2, -2, 0))


def test_solids_with_lights_of_their_own_share_a_layer() -> None:
    screen = Screen((400, 200), 50)
    made = job([LitSolid(_pillar(-5), 2.0, 20.0), LitSolid(_pillar(5), 3.5, 20.0)], NUMBERS, screen)
    assert len(made.layers) == 60
    assert len(made.layers[0].lights) == 1, "the bottom is lit alike"
    first, more = made.layers[-1].lights
    assert (first.seconds, more.seconds) == (2.0, 1.5)
    assert made.areas_mm2[first.shape] == pytest.approx(32)
    assert made.areas_mm2[more.shape] == pytest.approx(16), "only what wants more stays lit"
    assert made.volume_mm3 == pytest.approx(96, rel=0.01)
    assert len(made.shapes) < 5, "the same outline is kept once"
    assert made.layers[0].lift.mm_min == NUMBERS["lift_bottom_mm_min"]


def test_compensation_grows_outside_and_shrinks_holes() -> None:
    ring = Manifold.cylinder(2, 5, 5, circular_segments=64) - Manifold.cylinder(2, 2, 2, circular_segments=64)
    plain, grown = (
        job([LitSolid(ring, 2, 20)], {**NUMBERS, "xy_mm": grow}, Screen((400, 400), 50)).areas_mm2[-1]
        for grow in (0.0, 0.1)
    )
    assert grown - plain == pytest.approx(2 * math.pi * 7 * 0.1, rel=0.02)


def test_what_lies_outside_of_the_screen_is_refused() -> None:
    with pytest.raises(InvalidInput, match="the screen has 20 × 10"):
        job([LitSolid(_pillar(9), 2, 20)], NUMBERS, Screen((400, 200), 50))


def test_a_printer_says_what_it_ignores() -> None:
    printer = ResinPrinter("lit", ignores="z_um,rest_before_s,nonsense")
    assert printer.ignored() == {"z_um", "rest_before_s"}
    assert start("x", Resin("m", "p", "resin-tough", "c", "#000000"), printer).number("z_um") == 0, "it is kept"
