"""The simulated resin printer as its host meets it: one job at a time, rests and stops, a vat that runs dry, a lamp;
and what light makes of a bottle, by what makers know of it.
"""

from __future__ import annotations

import time
from collections.abc import Iterator
from functools import lru_cache
from typing import Any

import numpy as np
import pytest
from manifold3d import CrossSection

from drumbo.core.errors import DrumboError, NotNow
from drumbo.core.light.job import LitSolid, job, on_glass
from drumbo.core.piece import block, union
from drumbo.exchange.layer_package import package_bytes
from drumbo.standins.resin import tools
from drumbo.standins.resin.bottle import draw_bottle
from drumbo.standins.resin.device import Poured, ResinDevice
from drumbo.standins.resin.physics import USUAL_C
from drumbo.standins.resin.server import PackageServer
from drumbo.standins.resin.thing import Cured, cure
from drumbo.standins.tools import JawsOnBed
from drumbo.trials.toolkit.layered import screen_of
from tests.conftest import PATIENCE_S, resin_context
from tests.standins.asked import ask

SMALL = resin_context(pixels_x=480, pixels_y=320)
SCREEN = screen_of(SMALL)


@lru_cache
def _package(exposure_s: float = 3.4, layers: int = 12, wide_mm: float = 6.0, **changes: float) -> bytes:
    """A block beside a slim fin."""
    numbers = {**SMALL.profile.numbers(), "exposure_s": exposure_s, **changes}
    high = layers * 0.05
    solid = union([block((-wide_mm / 2, -4, 0), (wide_mm / 2, 4, high)), block((6.0, -4, 0), (6.5, 4, high))])
    return package_bytes(
        job([LitSolid(solid, exposure_s, numbers["bottom_exposure_s"])], numbers, SCREEN, title=("b",))
    )


@pytest.fixture
def device() -> ResinDevice:
    return ResinDevice(SCREEN.pixels, pace=1e6)


def _until(device: ResinDevice, *states: str) -> dict[str, Any]:
    end = time.monotonic() + PATIENCE_S
    while (told := device.progress())["state"] not in states:
        assert time.monotonic() < end, told
        time.sleep(0.01)
    return told


def test_a_job_goes_through_all_its_layers_and_leaves_an_object(device: ResinDevice) -> None:
    assert device.progress()["state"] == "idle"
    assert device.thing() is None
    began = device.start(_package())
    assert began["layers"] == 12
    done = _until(device, "done")
    assert done["layer"] == 12
    thing = device.thing()
    assert thing is not None
    assert thing.tops_mm[-1] == pytest.approx(0.6, abs=0.06)
    assert device.thing(thing.digest) is thing
    assert device.thing(12345) is None


def test_the_same_package_and_bottle_give_the_same_and_another_bottle_does_not(device: ResinDevice) -> None:
    numbers = []
    for seed in (3, 3, 4):
        device.poured = Poured(seed=seed)
        device.start(_package())
        _until(device, "done")
        made = cure(_package(), draw_bottle("resin-standard", seed))
        numbers.append(tools.measure(made, JawsOnBed((-9, 0), (4.5, 0), 0.5, "calliper"), np.random.default_rng(1)))
    assert numbers[0] == numbers[1] != numbers[2]


def test_one_job_at_a_time_and_none_while_somebody_looks_at_the_lamp() -> None:
    device = ResinDevice(SCREEN.pixels, pace=2.0)
    device.start(_package())
    with pytest.raises(NotNow, match="at work"):
        device.start(_package())
    with pytest.raises(NotNow, match="at work"):
        device.light_up(5)
    device.stop()
    _until(device, "stopped")
    device.light_up(5)
    assert 0 < device.lit_s <= 5
    with pytest.raises(NotNow, match="lamp is lit"):
        device.start(_package())
    device.light_up(0)
    assert device.lit_s == 0
    device.pace = 1e6
    device.start(_package())
    assert _until(device, "done")["message"] == ""


def test_a_lamp_is_never_lit_for_long(device: ResinDevice) -> None:
    device.light_up(10_000)
    assert device.lit_s <= 30
    device.light_up(-5)
    assert device.lit_s == 0


def test_it_rests_before_the_next_layer_and_goes_on_where_it_was() -> None:
    device = ResinDevice(SCREEN.pixels, pace=200.0)
    with pytest.raises(NotNow, match="nothing prints"):
        device.pause()
    with pytest.raises(NotNow, match="nothing rests"):
        device.go_on()
    device.start(_package(layers=30))
    device.pause()
    resting = _until(device, "paused")
    assert resting["message"] == "the plate is up"
    time.sleep(0.1)
    assert device.progress()["layer"] == resting["layer"], "it stands still"
    device.go_on()
    assert _until(device, "done")["layer"] == 30


def test_a_rest_can_be_ended_by_a_stop() -> None:
    device = ResinDevice(SCREEN.pixels, pace=200.0)
    device.start(_package(layers=30))
    device.pause()
    _until(device, "paused")
    device.stop()
    assert _until(device, "stopped")["message"] == "stopped by hand"
    assert device.thing() is None, "what is not done is no object"


def test_a_vat_runs_dry_once_and_it_says_where(device: ResinDevice) -> None:
    device.fault_at = 5
    device.start(_package())
    failed = _until(device, "failed")
    assert "dry at layer 5" in failed["message"]
    assert failed["layer"] == 4
    device.start(_package())
    assert _until(device, "done", "failed")["state"] == "done"


def test_a_package_for_another_screen_or_none_at_all_is_refused(device: ResinDevice) -> None:
    other = ResinDevice((640, 400), pace=1e6)
    with pytest.raises(DrumboError, match="another screen; this one has 640 × 400"):
        other.start(_package())
    for nonsense in (b"", b"PK\3\4 no zip", _package()[:500]):
        with pytest.raises(DrumboError):
            device.start(nonsense)
    assert device.progress()["state"] == "idle"


# -- over the network


@pytest.fixture
def door(device: ResinDevice) -> Iterator[str]:
    server = PackageServer(device)
    server.start()
    yield f"http://127.0.0.1:{server.port}"
    server.close()


def test_a_package_goes_over_the_network_and_its_piece_is_looked_at(door: str, device: ResinDevice) -> None:
    assert ask(f"{door}/progress")[1]["state"] == "idle"
    assert ask(f"{door}/top.png")[0] == 404
    assert ask(f"{door}/bottle", {"family": "resin-standard", "seed": 6})[1]["seed"] == 6
    assert ask(f"{door}/room", {"resin_c": 18})[1] == {"resin_c": 18.0}
    code, told, _ = ask(f"{door}/print", _package())
    assert (code, told["layers"], told["resin_c"]) == (202, 12, 18.0)
    _until(device, "done")
    for view in ("top", "front"):
        code, picture, _ = ask(f"{door}/{view}.png?scale=8")
        assert code == 200
        assert picture.startswith(b"\x89PNG")
    jaws = {"a": [-9, 0], "b": [4.5, 0], "z": 0.5, "tool": "calliper"}
    wide = ask(f"{door}/calliper", {"jaws": [jaws]})[1]["number"]
    assert wide == pytest.approx(6.0, abs=0.25)
    code, told, _ = ask(f"{door}/calliper", {"jaws": [{**jaws, "a": [-11, 9], "b": [-9, 9]}]})
    assert (code, "nothing to measure" in told["error"]) == (400, True)


def test_what_cannot_be_asked_is_answered_in_words(door: str) -> None:
    wrong: list[tuple[str, Any, int]] = [
        ("print", b"no package", 400), ("pause", {}, 409), ("resume", {}, 409), ("bottle", {"family": "soup"}, 400),
        ("eye", {"boxes": [], "aspects": []}, 400), ("calliper", {"jaws": []}, 400), ("lamp", {}, 400),
        ("pace", {"pace": "quick"}, 400), ("nowhere", {}, 400), ("fault", b"{", 400), ("room", b"[]", 400),
    ]  # fmt: skip
    for path, body, expected in wrong:
        code, told, _ = ask(f"{door}/{path}", body)
        assert code == expected, path
        assert told["error"], path
    assert ask(f"{door}/progress")[1]["state"] == "idle"


# -- what light does


def _wide(thing: Cured) -> float:
    number = tools.measure(thing, JawsOnBed((-9, 0), (4.5, 0), 0.4, "calliper"), np.random.default_rng(7))
    assert number is not None
    return number


def test_more_light_makes_features_grow_and_too_little_leaves_none() -> None:
    bottle = draw_bottle("resin-standard", 2)
    widths = [_wide(cure(_package(seconds, bottom_exposure_s=30.0), bottle)) for seconds in (2.5, 3.5, 5.0, 8.0)]
    assert widths == sorted(widths)
    assert widths[-1] - widths[0] > 0.02
    faint = cure(_package(0.02, bottom_exposure_s=0.02), bottle)
    assert tools.measure(faint, JawsOnBed((-9, 0), (4.5, 0), 0.4, "calliper"), np.random.default_rng(7)) is None


def _skin(seed: int, seconds: float, resin_c: float = USUAL_C) -> float:
    """Thickness of a square that was lit on glass, mm, as a careful person finds it."""
    lit = on_glass([(CrossSection.square((6.0, 6.0), True), seconds)], 1.0, SCREEN, apart=True, title=("skin",))
    made = cure(package_bytes(lit), draw_bottle("resin-standard", seed), None, resin_c)
    jaws = JawsOnBed((0, 0), (0, 0), 0.0, "skin")
    looks = [tools.measure(made, jaws, np.random.default_rng(k)) for k in range(9)]
    assert all(look is not None for look in looks)
    return float(np.mean([look or 0.0 for look in looks]))


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_a_skin_on_glass_thickens_evenly_with_the_logarithm_of_its_light(seed: int) -> None:
    grown = np.diff([_skin(seed, seconds) for seconds in (4.0, 8.0, 16.0, 32.0)])
    assert np.all(grown > 0)
    assert grown == pytest.approx([grown.mean()] * 3, rel=0.35), "as much for every doubling"


def test_cold_resin_wants_more_light() -> None:
    assert _skin(2, 8.0, 30.0) > _skin(2, 8.0) > _skin(2, 8.0, 15.0)
