"""Layers, roads and thinning, from moves alone."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from drumbo.core.gcode.move_columns import move_columns, thinned
from drumbo.core.gcode.reader import read
from drumbo.trials import kind
from tests.conftest import plain_context


def _traits(text: str):  # type: ignore[no-untyped-def]
    program = read(text.encode())
    return program, move_columns(program, program.motion(), 1.75)


def _square(z: float, e: float = 1.0) -> str:
    corners = [(20, 0), (20, 20), (0, 20), (0, 0)]
    return f"G1 Z{z} F600\n" + "".join(f"G1 X{x} Y{y} E{e} F1800\n" for x, y in corners)


def test_layers_are_told_from_roads_and_not_from_hops() -> None:
    layers = "".join(_square(round(0.3 + 0.2 * n, 2)) + f"G1 Z{0.7 + 0.2 * n:.2f}\nG0 X5 Y5\n" for n in range(5))
    program, found = _traits("G28\nM83\nG1 X0 Y0\n" + layers)
    assert found.tops.tolist() == pytest.approx([0.3, 0.5, 0.7, 0.9, 1.1])
    assert np.unique(found.layer[found.laid], return_counts=True)[1].tolist() == [4] * 5
    area = math.pi * 1.75**2 / 4 / 20
    assert found.width[found.laid][5] == pytest.approx(area / 0.2 + 0.2 * (1 - math.pi / 4), rel=1e-3)
    assert found.height[found.laid][0] == pytest.approx(0.3)
    assert found.flow[found.laid][1] == pytest.approx(area * 30, rel=0.02)
    assert program.line[found.laid][0] == 5


def test_a_spiral_is_cut_into_turns() -> None:
    turns = []
    for n in range(400):
        angle = n / 40 * 2 * math.pi
        turns.append(
            f"G1 X{50 + 20 * math.cos(angle):.3f} Y{50 + 20 * math.sin(angle):.3f} Z{0.2 + n / 40 * 0.2:.4f} E.1"
        )
    _, found = _traits("M83\nG28\n" + _square(0.2) + "\n".join(turns) + "\n")
    assert found.layers == pytest.approx(11, abs=1)
    assert np.diff(found.tops) == pytest.approx([0.2] * (found.layers - 1), abs=1e-5)


def test_a_spirals_first_turn_is_as_high_as_it_has_risen() -> None:
    moves = [(n, math.tau * n / 40) for n in range(1, 161)]
    turns = "".join(
        f"G1 X{20 * math.cos(angle):.4f} Y{20 * math.sin(angle):.4f} Z{0.2 + 0.2 * n / 40:.4f}"
        f" E{0.1 * min(n / 40, 1):.4f} F1800\n" for n, angle in moves
    )  # fmt: skip
    _, found = _traits("M83\nG28\n" + _square(0.2) + turns)
    first, rest = found.height[found.laid][4:44], found.height[found.laid][44:]
    risen = [0.2 * (n - 0.5) / 40 for n, _ in moves[:40]]
    assert first[10:38] == pytest.approx(risen[10:38], abs=1e-4)
    assert rest == pytest.approx([0.2] * 120, abs=0.012)


def test_a_trials_layers_are_those_that_it_was_planned_with() -> None:
    context, trial = plain_context(), kind("temperature")
    file = trial.print_file(trial.suggest(context), context)
    _, found = _traits(file.gcode)
    planned = np.unique(np.round(file.path.z[file.path.e_mm > 0], 3))
    assert found.tops.tolist() == pytest.approx(planned.tolist(), abs=1e-3)


def test_patches_of_other_heights_all_rest_on_the_bed() -> None:
    context, trial = plain_context(), kind("first-layer")
    program, found = _traits(trial.print_file(trial.suggest(context), context).gcode)
    assert found.layers > 3
    assert found.on_bed.all()
    assert found.height[found.laid] == pytest.approx(program.z[found.laid], abs=1e-5)
    assert found.width[found.laid].max() < 0.8, "the lowest is squeezed widest; none is as wide as if it were a sheet"


def test_a_spiral_with_turns_higher_than_its_foot_is_told_as_it_was_planned() -> None:
    context, trial = plain_context(), kind("rising-wall")
    plan = trial.suggest(context)
    file = trial.print_file(plan, context)
    _, found = _traits(file.gcode)
    assert plan.layer_mm > 0.25, "higher than the foot's layers"
    wall = found.laid & (np.isclose(found.height, plan.layer_mm, rtol=0.02)) & (found.tops[found.layer] > 3)
    assert found.way[wall].sum() > 0.9 * found.way[found.laid & (found.tops[found.layer] > 3)].sum()
    assert np.median(found.width[wall]) == pytest.approx(plan.width_mm, rel=0.03)
    first, top = found.tops[found.tops < 1.5].max(), file.path.z[file.path.e_mm > 0].max()
    assert found.layers == pytest.approx((top - first) / plan.layer_mm + (found.tops <= first).sum(), abs=2)


@given(st.integers(1, 5000), st.integers(3, 60), st.integers(0, 10**6))
def test_thinning_keeps_ends_and_peaks(size: int, count: int, seed: int) -> None:
    y = np.random.default_rng(seed).normal(size=size)
    x = np.sort(np.random.default_rng(seed + 1).random(size))
    few_x, few_y = thinned(x, y, count)
    assert len(few_x) <= 4 * count or len(few_x) == size
    assert (few_x[0], few_x[-1], few_y.min(), few_y.max()) == (x[0], x[-1], y.min(), y.max())
    assert (np.diff(few_x) >= 0).all()


@pytest.mark.parametrize("rise", [0.06, 0.1, 0.15, 0.2, 0.3])
def test_a_spiral_of_short_lines_is_one_though_some_do_not_rise_as_heights_are_rounded(rise: float) -> None:
    text, each, count = "G28\nM83\n" + _square(0.2), 0.5, 120
    radius = each * count / (2 * math.pi)
    text += f"G0 X{20 + radius:.3f} Y20\n"
    for k in range(1, 40 * count + 1):
        z, angle = 0.2 + rise * k / count, 2 * math.pi * k / count
        x, y = 20 + radius * math.cos(angle), 20 + radius * math.sin(angle)
        text += f"G1 X{x:.3f} Y{y:.3f} Z{z:.3f} E{0.45 * rise * each / 2.405:.5f} F1800\n"
    _, found = _traits(text)
    assert found.layers == pytest.approx(41, abs=1)
    high = found.laid & (found.layer > 2)
    assert np.median(found.height[high]) == pytest.approx(rise, rel=0.03)
    assert np.quantile(found.width[high], 0.02) > 0.4
    assert np.quantile(found.width[high], 0.98) < 0.6
