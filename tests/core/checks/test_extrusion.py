"""How much a file feeds: each thing that may be wrong with it is named, with its place."""

from __future__ import annotations

import re

import pytest

from drumbo.core.remark import BAD, ODD
from tests.core.checks.box import Box, box, heights, layer, look, only

PLAIN = box()


def _of_all(**changed: object) -> Box:
    made = Box(tuple(layer(z, **changed) for z in heights(20)))  # type: ignore[arg-type]
    return made.before(1, "M104 S210\nM106 S255")


def test_a_box_with_nothing_wrong_has_no_finding() -> None:
    found = look(PLAIN)
    assert found.remarks == ()
    assert found.width_mm == pytest.approx(0.45, abs=1e-3)
    assert found.layer_mm == pytest.approx(0.2, abs=1e-6)


@pytest.mark.parametrize("share", [0.4, 0.58, 1.7, 2.5])
@pytest.mark.parametrize("at", [3, 10, 18])
def test_a_layer_that_gets_another_amount_is_named_with_how_much(at: int, share: float) -> None:
    told = only(look(PLAIN.but(at, layer(0.2 * (at + 1), fed=(share,) * 3))))
    assert (told.weight, told.layer) == (BAD, at + 1)
    assert f"layer {at + 1} gets {share:.1f} times" in told.text
    assert told.share == pytest.approx(1 / 20, rel=0.1)


@pytest.mark.parametrize("share", [0.8, 1.0, 1.25])
def test_a_layer_that_differs_as_slicers_have_them_differ_is_none(share: float) -> None:
    assert look(PLAIN.but(10, layer(2.2, fed=(share,) * 3))).remarks == ()


def test_a_part_whose_every_second_layer_is_thick_is_no_finding() -> None:
    tops = [0.2 * (k + 1) + (0.05 if k % 2 else 0.0) for k in range(20)]
    fed = [1.0 if k % 2 == 0 else 1.2 for k in range(20)]
    made = Box(tuple(layer(z, fed=(more,) * 3) for z, more in zip(tops, fed, strict=True)))
    assert look(made.before(1, "M104 S210\nM106 S255")).remarks == ()


@pytest.mark.parametrize(
    ("fed", "says"),
    [((1.0, 0.4, 1.0), "inner lines get 0.4 times"), ((2.4, 1.0, 1.0), "outer walls get 2.4 times")],
)
def test_of_two_kinds_of_lines_the_one_that_no_nozzle_lays_is_named(fed: tuple[float, ...], says: str) -> None:
    told = only(look(_of_all(fed=fed)))
    assert (told.weight, told.layer) == (BAD, 1)
    assert says in told.text


@pytest.mark.parametrize(("share", "says"), [(0.1, "far too little"), (4.0, "far too much")])
def test_a_file_whose_every_line_is_off_says_how_wide_they_would_be(share: float, says: str) -> None:
    told = look(_of_all(fed=(share,) * 3)).remarks
    mine = [remark for remark in told if says in remark.text]
    assert len(mine) == 1
    assert mine[0].layer == 1
    wide, high = (float(number) for number in re.findall(r"\d\.\d+", mine[0].text))
    # The area is so many times that of a line of 0.45 mm; the width follows from it and the height alone.
    assert wide == pytest.approx(share * (0.45 - 0.2 * 0.2146) + 0.2 * 0.2146, abs=0.02)
    assert high == pytest.approx(0.2)


@pytest.mark.parametrize(
    ("changed", "weight", "says"),
    [
        ({"unretract": 0.1}, BAD, "retracts 0.80 mm and unretracts 0.10 mm before the next line"),
        ({"unretract": 1.8}, BAD, "unretracts 1.00 mm more than was retracted"),
        ({"retract": 2.0}, ODD, "retracts 2.00 mm here; elsewhere it is 0.80 mm"),
    ],
)
def test_a_retraction_that_is_not_made_good(changed: dict[str, float], weight: str, says: str) -> None:
    told = only(look(PLAIN.but(9, layer(2.0, **changed))))  # type: ignore[arg-type]
    assert (told.weight, told.layer) == (weight, 9), "it is told of where the way begins"
    assert told.text == says


def test_a_little_less_or_more_than_was_retracted_is_meant() -> None:
    assert look(_of_all(unretract=0.75)).remarks == ()
    assert look(_of_all(unretract=0.9)).remarks == ()


def test_a_missing_reset_is_told_from_a_retraction() -> None:
    absolute, fed, lines = PLAIN.text.replace("M83", "M82"), 0.0, []
    for line in absolute.splitlines():
        head, e, rest = line.partition(" E")
        if e and line.startswith("G1"):
            number, _, after = rest.partition(" ")
            fed += float(number)
            lines.append(f"{head} E{fed:.5f} {after}")
        else:
            lines.append(line)
    text = "\n".join(lines)
    assert look(text).remarks == ()
    # Two files put together: the second counts from 0 again, and nothing tells the printer so.
    place = text.index("G1 Z2.200")
    behind = [float(part.split()[0]) for part in text[place:].split(" E")[1:]]
    so_far, shifted = behind[0] + 0.8, text[place:]
    for place_mm in sorted(set(behind), reverse=True):
        shifted = shifted.replace(f" E{place_mm:.5f}", f" E{place_mm - so_far:.5f}")
    told = [remark for remark in look(text[:place] + shifted).remarks if "at once" in remark.text]
    assert len(told) == 1
    assert told[0].weight == BAD
    assert "E begins again at 0" in told[0].text
    assert "G92 E0" in told[0].do
    assert look(text[:place] + "G92 E0\n" + shifted).remarks == (), "with the reset it is the same print"


def test_a_line_that_is_fed_while_the_nozzle_lifts_draws_a_thread() -> None:
    lines = PLAIN.layers[9].splitlines()
    last = lines[-1].replace(" E", " Z2.80 E")
    told = [remark.text for remark in look(PLAIN.but(9, "\n".join((*lines[:-1], last)))).remarks]
    assert any("while the nozzle lifts off" in text for text in told), told


def test_a_spiral_that_rises_as_it_goes_is_none() -> None:
    rising = []
    for k in range(20):
        one = layer(0.2 * (k + 1), fed=(1.0,)).splitlines()
        if k:
            begins = 0.2 * k
            turn = [line.replace(" E", f" Z{begins + 0.05 * (n + 1):.3f} E") for n, line in enumerate(one[-4:])]
            one = turn
        rising.append("\n".join(one))
    made = Box(tuple(rising)).before(1, "M104 S210\nM106 S255")
    assert [remark.text for remark in look(made).remarks] == []
