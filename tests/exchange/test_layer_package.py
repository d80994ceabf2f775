"""Layer packages: what is written comes back, and nothing broken, wrong-sized, huge or hostile is half taken."""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Callable
from functools import cache
from typing import Any

import numpy as np
import pytest
from manifold3d import CrossSection
from PIL import Image

from drumbo.core.errors import InvalidInput
from drumbo.core.light.job import LitSolid, Screen, job, on_glass
from drumbo.core.piece import block
from drumbo.exchange.layer_package import MANIFEST, package_bytes, read_package
from tests.conftest import resin_context

SCREEN = Screen((320, 160), 50)


def _job(**numbers: float) -> Any:
    solids = [LitSolid(block((x - 2, -3, 0), (x + 2, 3, 1.2)), seconds, 20.0) for x, seconds in ((-4, 2.0), (4, 2.6))]
    return job(solids, {**resin_context().profile.numbers(), **numbers}, SCREEN, title=("two blocks",))


@cache
def _whole() -> bytes:
    return package_bytes(_job())


def test_what_is_written_comes_back() -> None:
    made, found = _job(), read_package(_whole())
    assert found.title == ("two blocks",)
    assert found.screen == SCREEN
    assert len(found.layers) == 24
    for mine, theirs in zip(made.layers, found.layers, strict=True):
        assert (mine.lift, mine.rest_before_s, mine.rest_after_s, mine.height_um) == (
            theirs.lift, theirs.rest_before_s, theirs.rest_after_s, theirs.height_um,
        )  # fmt: skip
        assert [(light.seconds, light.power) for light in mine.lights] == [
            (light.seconds, light.power) for light in theirs.lights
        ]
    assert package_bytes(made) == _whole(), "the same job gives the same bytes"
    both, alone = found.image(0), found.image(found.layers[-1].lights[1].shape)
    assert both.shape == (160, 320)
    assert np.count_nonzero(both) == 2 * 80 * 120
    assert np.count_nonzero(alone[:, :160]) == 0
    assert np.count_nonzero(alone[:, 160:]) == 80 * 120
    row, column, lit = found.lit(found.layers[-1].lights[1].shape)
    assert (row, column, lit.shape) == (20, 200, (120, 80))


def test_the_same_picture_is_stored_once_and_grey_edges_keep_their_share() -> None:
    with zipfile.ZipFile(io.BytesIO(_whole())) as bundle:
        assert sorted(bundle.namelist()) == ["layers/00001.png", "layers/00002.png", MANIFEST]
    tilted = CrossSection.square((4, 2), center=True).rotate(30).extrude(0.2)
    made = job([LitSolid(tilted, 2, 20)], {**resin_context().profile.numbers(), "antialias_levels": 8}, SCREEN)
    grey = read_package(package_bytes(made)).image(0)
    assert set(np.unique(grey)) > {0, 255}
    assert grey.sum() / 255 * 0.05**2 == pytest.approx(8, rel=1e-3)


def test_on_glass_keeps_those_lit_that_want_more() -> None:
    patches = [(CrossSection.square((2, 2)).translate((x, 0)), seconds) for x, seconds in ((-6, 2.0), (0, 5.0))]
    found = read_package(package_bytes(on_glass(patches, 0.5, SCREEN, apart=True)))
    assert found.on_glass
    assert [(light.seconds, light.power) for light in found.layers[0].lights] == [(2.0, 0.5), (3.0, 0.5)]
    one_by_one = read_package(package_bytes(on_glass(patches, 0.5, SCREEN, apart=False)))
    assert [len(layer.lights) for layer in one_by_one.layers] == [1, 1]


def _again(change: Callable[[dict[str, bytes]], object]) -> bytes:
    with zipfile.ZipFile(io.BytesIO(_whole())) as bundle:
        entries = {name: bundle.read(name) for name in bundle.namelist()}
    change(entries)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as bundle:
        for name, content in entries.items():
            bundle.writestr(name, content)
    return out.getvalue()


def _said(change: Callable[[dict[str, Any]], object]) -> bytes:
    def edit(entries: dict[str, bytes]) -> None:
        manifest = json.loads(entries[MANIFEST])
        change(manifest)
        entries[MANIFEST] = json.dumps(manifest).encode()

    return _again(edit)


def _picture(width: int, high: int) -> bytes:
    out = io.BytesIO()
    Image.new("1", (width, high)).save(out, "PNG")
    return out.getvalue()


BROKEN = {
    "no zip": (lambda: b"G28\n", "no zip that can be unpacked"),
    "truncated": (lambda: _whole()[: len(_whole()) // 2], "ends in the middle"),
    "cut at its end": (lambda: _whole()[:-20], "no zip that can be unpacked"),
    "no manifest": (lambda: _again(lambda e: e.pop(MANIFEST)), "has no manifest.json"),
    "a broken manifest": (lambda: _again(lambda e: e.update({MANIFEST: b"{"})),
                          "manifest.json that is broken in line 1, column 2: it ends"),
    "no number": (lambda: _again(lambda e: e.update({MANIFEST: b'{"format": NaN}'})), "which is no number"),
    "another format": (lambda: _said(lambda m: m.update(format="other")), "is no layer package"),
    "a later version": (lambda: _said(lambda m: m.update(version=2)), "version that this Drumbo does not read"),
    "no layers": (lambda: _said(lambda m: m.update(layers=[])), "has nothing under “layers”"),
    "too many layers": (lambda: _said(lambda m: m.update(layers=m["layers"][:1] * 40_001)),
                        "more than 40000 under “layers”"),
    "pixels that are none": (lambda: _said(lambda m: m.update(pixels=[0, "x"])),
                             "“pixels[0]” that cannot be: at least 1"),
    "a light of no length": (lambda: _said(lambda m: m["layers"][3]["lights"][0].update(seconds="long")),
                             "no number under “layers[3].lights[0].seconds”"),
    "a light too long": (lambda: _said(lambda m: m["layers"][3]["lights"][0].update(seconds=1e9)),
                         "“layers[3].lights[0].seconds” that cannot be: at most 3600"),
    "a light too strong": (lambda: _said(lambda m: m["layers"][0]["lights"][0].update(power=3)),
                           "lights[0].power” that cannot be: at most 1"),
    "a lift at no speed": (lambda: _said(lambda m: m["layers"][1]["lift"].update(mm_min=0)), "layers[1].lift.mm_min"),
    "a picture that is named and not there": (lambda: _again(lambda e: e.pop("layers/00002.png")), "lacks a picture"),
    "a picture of another size": (lambda: _again(lambda e: e.update({"layers/00002.png": _picture(300, 160)})),
                                  "300 × 160 pixels for a screen of 320 × 160"),
    "a picture that is none": (lambda: _again(lambda e: e.update({"layers/00001.png": b"GIF89a" * 9})), "is no PNG"),
    "a path that leads out": (lambda: _again(lambda e: e.update({"../../evil.png": b"x"})), "leads out of its folder"),
    "a path from the root": (lambda: _again(lambda e: e.update({"/etc/evil": b"x"})), "leads out of its folder"),
    "a bomb": (lambda: _again(lambda e: e.update({"layers/00001.png": b"\0" * 80_000_001})), "unpacks to far more"),
}  # fmt: skip


@pytest.mark.parametrize(("data", "says"), BROKEN.values(), ids=BROKEN)
def test_what_cannot_be_taken_says_why(data: Callable[[], bytes], says: str) -> None:
    with pytest.raises(InvalidInput) as caught:
        read_package(data())
    assert says in caught.value.problems["package"]


def test_a_picture_that_breaks_off_is_told_when_it_is_asked_for() -> None:
    broken = _again(lambda e: e.update({"layers/00001.png": e["layers/00001.png"][:60]}))
    with pytest.raises(InvalidInput, match="a picture that is broken: layers"):
        read_package(broken).image(0)
