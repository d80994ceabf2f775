"""The rules of cooling in a file: fan by layer time, for bridges and overhangs apart, and from which lean on."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from drumbo.core.piece import block, prism, union
from drumbo.core.profile import Origin, OriginKind, Value, changed
from drumbo.core.toolpath import PrintSettings, Role, Toolpath, build, settings_for
from drumbo.core.toolpath.columns import Set
from drumbo.core.toolpath.pace import layer_times
from drumbo.trials.base import Context

SETTINGS = PrintSettings(
    fan=0.3, fan_short=1.0, fan_normal_layer_s=20.0, layer_time_min_s=10.0, fan_bridge=0.8, fan_overhang=0.6,
    fan_off_layers=2, fan_full_layer=3,
)  # fmt: skip


def _fans(path: Toolpath) -> np.ndarray:
    """(n,) fan share that holds while each move is made."""
    out, share, events = np.zeros(len(path)), 0.0, [e for e in path.events if e.what == Set.FAN]
    for row in range(len(path)):
        for event in events:
            if event.row == row:
                share = event.value
        out[row] = share
    return out


def _built(solid: object, settings: PrintSettings) -> Toolpath:
    return build(solid, settings, middle=(100, 100), purge_from=(10, 8))


def test_the_worked_number_of_the_fan_by_layer_time() -> None:
    assert SETTINGS.fan_in_time(10, 15.0) == pytest.approx(0.65)
    assert SETTINGS.fan_in_time(10, 5.0) == 1.0
    assert SETTINGS.fan_in_time(10, 60.0) == pytest.approx(0.3)
    assert SETTINGS.fan_in_time(0, 5.0) == 0.0, "the first layers stay without"
    assert replace(SETTINGS, fan_short=0.0).fan_in_time(10, 5.0) == pytest.approx(0.3), "never less than normal"


def test_quick_layers_get_more_and_slow_ones_do_not() -> None:
    """A broad foot that takes its time, and a small tower on it that is soon done."""
    path = _built(union([block((-30, -30, 0), (30, 30, 2)), block((-3, -3, 1.9), (3, 3, 6))]), SETTINGS)
    seconds, fans = layer_times(path), _fans(path)
    for layer in range(3, len(seconds)):
        laid = (path.layer == layer) & (path.role >= Role.OUTER) & (path.role < Role.BRIDGE)
        assert fans[laid] == pytest.approx(SETTINGS.fan_in_time(layer, float(seconds[layer])), abs=1e-9)
    assert seconds[4] > SETTINGS.fan_normal_layer_s
    assert seconds[-2] < 12
    assert fans[-1] == pytest.approx(1.0)
    assert path.events[-1].what == Set.FAN
    assert path.events[-1].value == 0.0, "and off at the end"


def test_a_polymer_without_any_fan_still_cools_its_short_layers() -> None:
    path = _built(block((-3, -3, 0), (3, 3, 3)), replace(SETTINGS, fan=0.0, fan_bridge=0.0, fan_overhang=0.0))
    laid = path.layer >= 3
    assert _fans(path)[laid].max() == pytest.approx(1.0)


@pytest.mark.parametrize(("lean", "counts"), [(55.0, True), (40.0, False)])
def test_an_edge_that_leans_far_enough_has_its_own_fan(lean: float, counts: bool) -> None:
    out = 6.0
    rise = out / np.tan(np.radians(lean))
    outline = [(-12, 0), (0, 0), (0, 4), (out, 4 + rise), (out, 5 + rise), (-12, 5 + rise)]
    settings = replace(SETTINGS, fan_short=0.0, layer_time_min_s=0.0)
    path = _built(prism(outline, -6, 6), settings)
    leaning = (path.role == Role.OVERHANG) & (path.z > 4.5) & (path.z < 4 + rise)
    assert leaning.any() == counts
    if counts:
        assert _fans(path)[leaning] == pytest.approx(0.6)
        steeper = _built(prism(outline, -6, 6), replace(settings, overhang_from_deg=60.0))
        assert not ((steeper.role == Role.OVERHANG) & (steeper.z > 4.5) & (steeper.z < 4 + rise)).any()


def test_outlines_grow_by_what_is_asked(context: Context) -> None:
    """0.1 mm outwards makes a block 0.2 mm wider, to where its roads' outer sides lie."""
    plain = settings_for(context.profile.numbers(), context.printer)
    solid, grown = block((-10, -10, 0), (10, 10, 2)), replace(plain, outline_mm=0.1)
    paths = [_built(solid, chosen) for chosen in (plain, grown)]
    wide = [np.ptp(path.x[path.role == Role.OUTER]) for path in paths]
    assert wide[1] - wide[0] == pytest.approx(0.2, abs=1e-3)


def test_a_profile_from_before_these_rules_prints_as_it_did(context: Context) -> None:
    """Without the newer values the fan is the same on every layer, and overhangs have no fan of their own."""
    numbers = context.profile.numbers()
    newer = {"fan_short_percent", "fan_normal_layer_s", "fan_overhang_percent", "overhang_from_deg", "batch"}
    older = {key: number for key, number in numbers.items() if key not in newer}
    solid = union([block((-10, -4, 0), (10, 4, 3)), block((-16, -4, 2.6), (16, 4, 5))])
    paths = [_built(solid, settings_for(n, context.printer)) for n in (older, numbers)]
    assert paths[0].events == paths[1].events
    np.testing.assert_array_equal(paths[0].x, paths[1].x)


def test_a_proof_holds_for_one_batch(context: Context) -> None:
    proof = {"proof_percent": Value(90, Origin(OriginKind.TRIAL, "proof", 3))}
    closed = changed(context.profile, proof)
    other = changed(closed, {"batch": Value(2, Origin(OriginKind.HAND))})
    assert other.values["proof_percent"].recheck == "Batch went from 1 to 2"
