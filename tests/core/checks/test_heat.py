"""Heat and air: what a printer, a material or a print does not bear."""

from __future__ import annotations

from dataclasses import replace

import pytest

from drumbo.core.material import Material
from drumbo.core.remark import BAD, ODD
from tests.core.checks.box import Box, box, look, only

PLAIN = box()
ABS = Material("Skerry Filament", "Cormorant ABS", "abs", "slate", "#444444", 230.0, 260.0, density_g_cm3=1.04)
PLA = Material("Skerry Filament", "Razorbill PLA", "pla", "chalk", "#cfc6b4", 200.0, 220.0, density_g_cm3=1.24)


def _at(nozzle_c: float, made: Box = PLAIN) -> Box:
    """All of it at one temperature."""
    layers = tuple(text.replace("M104 S210\n", "") for text in made.layers)
    return replace(made, layers=layers, opening=made.opening.replace("M109 S215", f"M109 S{nozzle_c:g}"))


@pytest.mark.parametrize(("word", "says"), [
    ("M104 S600", "sets the nozzle to 600 °C; Petrel One may run 300 °C"),
    ("M140 S130", "sets the bed to 130 °C; Petrel One may run 110 °C"),
])  # fmt: skip
def test_more_than_the_printer_bears_is_named(word: str, says: str) -> None:
    back = {"M104": "M104 S210", "M140": "M140 S100"}[word.split(maxsplit=1)[0]]
    told = only(look(PLAIN.before(9, f"{word}\n{back}")))
    assert (told.weight, told.layer, told.text) == (BAD, 9, says)


def test_without_a_printer_only_what_none_is_built_for_is_named() -> None:
    assert look(PLAIN.before(9, "M104 S400\nM104 S210"), printer=None).remarks == ()
    told = only(look(PLAIN.before(9, "M104 S600\nM104 S210"), printer=None))
    assert told.text == "sets the nozzle to 600 °C; no printer is built for that"


@pytest.mark.parametrize("nozzle_c", [189.0, 231.0])
def test_lines_well_beyond_the_label_are_named(nozzle_c: float) -> None:
    told = only(look(_at(nozzle_c), material=PLA))
    assert (told.weight, told.layer, told.share) == (ODD, 1, pytest.approx(1.0))
    assert told.text.startswith(f"prints at {nozzle_c:g} °C; the label of {PLA.name} says ")


@pytest.mark.parametrize("nozzle_c", [190.0, 230.0])
def test_a_little_beyond_the_label_is_a_makers_choice(nozzle_c: float) -> None:
    assert look(_at(nozzle_c), material=PLA).remarks == ()


@pytest.mark.parametrize(("word", "says"), [("M140 S0", "goes off"), ("M140 S20", "goes down to 20 °C")])
def test_a_bed_that_goes_cold_on_the_way_is_named_with_what_is_to_come(word: str, says: str) -> None:
    told = only(look(PLAIN.before(9, word)))
    assert (told.weight, told.layer) == (BAD, 9)
    assert told.text == f"the bed {says} with 55% of the print to come; parts come loose"
    assert told.share == pytest.approx(0.55, abs=0.01)


@pytest.mark.parametrize(("layer", "word"), [(18, "M140 S0"), (9, "M140 S50"), (9, "M140 S31")])
def test_a_bed_that_goes_off_at_the_end_or_a_little_down_is_none(layer: int, word: str) -> None:
    assert look(PLAIN.before(layer, word)).remarks == ()


def test_a_drop_in_the_middle_is_named_for_as_long_as_it_lasts() -> None:
    told = only(look(PLAIN.before(9, "M104 S190").before(13, "M104 S210")))
    assert (told.weight, told.layer) == (BAD, 10)
    assert told.text == "the nozzle drops from 210 to 190 °C on layer 10"
    assert told.share == pytest.approx(4 / 20, abs=0.02)


@pytest.mark.parametrize("words", [
    {9: "M109 S190"},
    {9: "M104 S200"},
    {5: "M104 S195", 10: "M104 S180", 15: "M104 S165"},
    {9: "M104 S230"},
])  # fmt: skip
def test_what_is_waited_for_a_small_step_and_a_tower_are_meant(words: dict[int, str]) -> None:
    made = PLAIN
    for layer, word in words.items():
        made = made.before(layer, word)
    assert not any("drops" in remark.text for remark in look(made).remarks)


def test_after_the_first_layer_it_may_fall_by_more() -> None:
    def first(nozzle_c: float) -> Box:
        return replace(PLAIN, opening=PLAIN.opening.replace("M109 S215", f"M109 S{nozzle_c:g}"))

    assert look(first(235)).remarks == (), "25 °C hotter at first: it sticks better"
    assert "from 250 to 210 °C on layer 2" in only(look(first(250))).text


def test_a_fan_against_what_the_polymer_wants() -> None:
    still = replace(PLAIN, layers=tuple(text.replace("M106 S255", "M107") for text in PLAIN.layers))
    told = only(look(still, material=PLA))
    assert (told.weight, told.layer) == (ODD, 2)
    assert told.text == "the fan never runs; this is PLA, which commonly wants 100 %"
    early = replace(PLAIN, opening=PLAIN.opening.replace("M107", "M106 S255"))
    assert only(look(early, material=PLA)).text == "the fan runs at 100% from the first layer on; corners lift"
    windy = only(look(_at(245.0), material=ABS))
    assert windy.text.startswith("the fan runs at 100%; this is ABS, which parts between layers")
    assert windy.do == "10 % is common."
    assert look(_at(245.0, still), material=ABS).remarks == ()


def test_a_profile_that_says_what_the_fan_does_has_the_say() -> None:
    still = replace(PLAIN, layers=tuple(text.replace("M106 S255", "M107") for text in PLAIN.layers))
    assert look(still, material=PLA, numbers={"fan_percent": 0.0}).remarks == ()
