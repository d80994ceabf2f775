"""Two materials on one printer: what they share, what is nearest where they share nothing, and what is said of it."""

from __future__ import annotations

from dataclasses import replace

import pytest

from drumbo.core.errors import InvalidInput
from drumbo.core.families import FAMILIES
from drumbo.core.pair import Bonds, Partner, check_pair, common_bond, common_ground
from drumbo.core.printer import Printer
from tests.conftest import plain_context

PRINTER = Printer("Petrel One", nozzle_max_c=300)


def _partner(family: str, **label: object) -> Partner:
    context = plain_context(family)
    return Partner(replace(context.material, product=family.upper(), **label), context.profile)  # type: ignore[arg-type]


def test_a_sole_on_a_stiff_part_has_a_bed_on_which_both_hold() -> None:
    ground = common_ground(
        _partner("petg", bed_low_c=65, bed_high_c=85), _partner("tpu", bed_low_c=40, bed_high_c=70), PRINTER
    )
    assert ground.bed.shared
    assert [ground.bed.low, ground.bed.high, ground.bed.best] == [65, 70, 65]
    assert list(ground.nozzle_c) == [245, 225]
    assert ground.change_c == 245
    assert list(ground.standby_c) == [195, 175]
    assert ground.fan_percent == 40
    assert ground.bond.how is Bonds.STICKS
    assert ground.warnings == ()


def test_where_no_bed_suits_both_it_says_so_and_what_is_nearest() -> None:
    pla, asa = _partner("pla", bed_low_c=50, bed_high_c=65), _partner("asa", bed_low_c=95, bed_high_c=110)
    for ground in (common_ground(pla, asa, PRINTER), common_ground(asa, pla, PRINTER)):
        assert not ground.bed.shared
        assert ground.bed.best == 60, "PLA goes soft at 55, and is printed at 60 all the same"
        assert "ASA, grey wants 95 °C or more, and PLA, grey goes soft above 60 °C" in ground.bed.says
        assert ground.bond.how is Bonds.PARTS
        assert ground.pull_mm == pytest.approx(0.4)
        assert "pulls 0.4 mm" in ground.pull_says
        assert any("stands 230 °C by its label" in words for words in ground.warnings)


def test_of_any_two_polymers_the_bed_neither_melts_a_foot_nor_leaves_the_printer() -> None:
    for one in FAMILIES:
        for other in FAMILIES:
            first, second = _partner(one.key), _partner(other.key)
            ground, turned = common_ground(first, second, PRINTER), common_ground(second, first, PRINTER)
            assert ground.bed.best == turned.bed.best, (one.key, other.key)
            assert ground.bed.best <= PRINTER.bed_max_c
            softer = min((first, second), key=lambda p: p.softens_c)
            assert ground.bed.best <= max(softer.softens_c + 5, softer.number("bed_c"))
            assert ground.bed.shared == (not ground.bed.says.startswith("There is no bed"))
            assert common_bond(one.key, other.key) == common_bond(other.key, one.key)
            if one.key == other.key:
                assert ground.bed.shared
                assert ground.bond.how is Bonds.STICKS


def test_a_warm_chamber_stays_below_what_softens_first() -> None:
    pla, abs_ = _partner("pla"), _partner("abs")
    warm = replace(abs_, profile=replace(abs_.profile, values={
        **abs_.profile.values, "chamber_c": replace(abs_.profile.values["bed_c"], number=55.0)}))  # fmt: skip
    assert common_ground(abs_, warm, PRINTER).chamber_c == 55
    ground = common_ground(pla, warm, PRINTER)
    assert ground.chamber_c == 35
    assert "would jam" in ground.chamber_says


def test_what_is_no_pair_is_refused_with_its_reason() -> None:
    pla, tpu = _partner("pla"), _partner("tpu")
    with pytest.raises(InvalidInput, match="same profile"):
        check_pair(pla, pla, same_profile=True, same_printer=True)
    with pytest.raises(InvalidInput, match="another printer"):
        check_pair(pla, tpu, same_profile=False, same_printer=False)
    check_pair(pla, tpu, same_profile=False, same_printer=True)
    abrasive = _partner("pa", abrasive="yes", diameter_mm=2.85)
    said = " ".join(common_ground(abrasive, tpu, PRINTER).warnings)
    assert "hardened nozzle" in said
    assert "differ in diameter" in said
