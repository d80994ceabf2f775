"""Where a print is in its file: known answers on a file that can be reckoned in the head."""

import numpy as np
import pytest

from drumbo.core.gcode.course import NO_STEP, Course, course
from drumbo.core.gcode.inspect import analyse
from drumbo.core.gcode.reader import read

HEAD = "G21\nG90\nM83\nM104 S210\nM106 S255\nG92 E0\nG1 F600\n"


def _file(*blocks: tuple[float, float]) -> str:
    """Two lines of 10 mm at each height, one in front of the other; heights come with where they begin."""
    lines = [HEAD.rstrip("\n")]
    for z, x in blocks:
        lines += [f"G0 X{x} Y0 Z{z}", f"G1 X{x + 10} Y0 E0.4", f"G0 X{x} Y5", f"G1 X{x + 10} Y5 E0.4"]
    return "\n".join(lines) + "\n"


@pytest.fixture
def made() -> Course:
    text = _file((0.2, 0.0), (0.4, 0.0), (0.6, 0.0), (0.8, 0.0))
    boxes = [((-1.0, -1.0, 0.2), (11.0, 6.0, 0.6)), ((-1.0, -1.0, 0.6), (11.0, 6.0, 0.8))]
    return course(analyse(read(text.encode())), boxes)


def test_lines_have_their_layer_step_and_time(made: Course) -> None:
    first_line = HEAD.count("\n") + 2
    begins = made.at(first_line - 1)
    assert (begins.begun, begins.layer, begins.step, begins.next_step) == (False, 0, None, 0)
    foot = made.at(first_line)
    assert (foot.begun, foot.layer, foot.height_mm, foot.step, foot.next_step) == (True, 0, 0.2, None, 0)
    second = made.at(first_line + 8)
    assert (second.layer, second.height_mm, second.step, second.next_step) == (2, 0.6, 0, 1)
    last = made.at(10_000)
    assert (last.layer, last.step, last.next_step, last.next_in_s) == (3, 1, None, 0.0)
    assert last.done_s == last.total_s == made.total_s
    assert last.fan == 1.0
    assert made.layers == 4


def test_time_runs_on_with_the_lines_and_a_step_begins_when_it_said(made: Course) -> None:
    lines = range(1, int(made.line[-1]) + 1)
    done = [made.planned_s(line) for line in lines]
    assert done == sorted(done)
    begins = made.at(HEAD.count("\n") + 4)
    row = int(made.starts[1])
    assert begins.next_step == 0
    waits = made.at(HEAD.count("\n") + 8)
    assert waits.next_step == 1
    assert waits.done_s + waits.next_in_s == pytest.approx(made.ends_s[row - 1])


def test_one_long_line_counts_as_long_as_it_takes() -> None:
    """A hundred moves of a tenth of a millimetre are as long as one of ten; their share is by time, not by lines."""
    short = "".join(f"G1 X{0.1 * k:.1f} Y0 E0.004\n" for k in range(1, 101))
    text = HEAD + "G0 X0 Y0 Z0.2\n" + short + "G1 X10 Y100 E4\n"
    made = course(analyse(read(text.encode())), [])
    half = made.at(HEAD.count("\n") + 101)
    assert half.done_s / half.total_s < 0.2
    assert made.at(10_000).step is None


def test_a_layers_lines_are_what_is_laid_there(made: Course) -> None:
    found = made.layer_lines(1)
    assert found["laid"] == [0, 1, 0, 1]
    assert list(zip(found["x"], found["y"], strict=True)) == [(0, 0), (1000, 0), (0, 500), (1000, 500)]
    assert found["line"] == sorted(found["line"])
    assert made.box == (0.0, 0.0, 10.0, 5.0)


def test_short_moves_are_drawn_as_one_and_the_end_is_kept() -> None:
    steps = "".join(f"G1 X{0.04 * k:.2f} Y0 E0.002\n" for k in range(1, 251))
    made = course(analyse(read((HEAD + "G0 X0 Y0 Z0.2\n" + steps).encode())), [])
    found = made.layer_lines(0)
    assert len(found["x"]) < 120
    assert (found["x"][-1], found["y"][-1]) == (1000, 0)
    assert np.diff(found["x"]).max() <= 16


def test_a_file_without_lines_has_a_course_all_the_same() -> None:
    made = course(analyse(read(b"G28\nM83\nG1 E10 F100\n")), [((0, 0, 0), (1, 1, 1))])
    spot = made.at(3)
    assert not spot.begun
    assert made.layers == 0
    assert made.starts.tolist() == [NO_STEP]
