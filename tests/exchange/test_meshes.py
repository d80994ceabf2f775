"""Mesh files in: what makers bring, and what nobody should."""

from __future__ import annotations

import io
import zipfile

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from manifold3d import Manifold

from drumbo.core.errors import InvalidInput
from drumbo.core.piece import stl_bytes
from drumbo.core.planner import reference_part
from drumbo.exchange.meshes import read_bodies, read_part

NS = "http://schemas.microsoft.com/3dmanufacturing/core/2015/02"


def _text_stl(solid: Manifold) -> bytes:
    mesh = solid.to_mesh()
    corners = np.asarray(mesh.vert_properties)[:, :3][mesh.tri_verts]
    facets = "".join(
        "facet normal 0 0 0\nouter loop\n" + "".join(f"vertex {x:.6e} {y:.6e} {z:.6e}\n" for x, y, z in three)
        + "endloop\nendfacet\n" for three in corners.tolist()
    )  # fmt: skip
    return f"solid part\n{facets}endsolid part\n".encode()


def _object(solid: Manifold, number: int, name: str) -> str:
    inner = _model(solid)
    start, end = inner.index("<mesh>"), inner.index("</mesh>")
    return f'<object id="{number}" name="{name}">{inner[start:end]}</mesh></object>'


def _model(solid: Manifold, *, unit: str = "millimeter", item: str = "", extra: str = "") -> str:
    mesh = solid.to_mesh()
    points = "".join(
        f'<vertex x="{x}" y="{y}" z="{z}"/>' for x, y, z in np.asarray(mesh.vert_properties)[:, :3].tolist()
    )
    rows = "".join(f'<triangle v1="{a}" v2="{b}" v3="{c}"/>' for a, b, c in np.asarray(mesh.tri_verts).tolist())
    return (
        f'<model unit="{unit}" xmlns="{NS}"><resources><object id="1"><mesh><vertices>{points}</vertices>'
        f"<triangles>{rows}</triangles></mesh></object>{extra}</resources>"
        f'<build><item objectid="1" {item}/></build></model>'
    )


def _zip(text: str, name: str = "3D/3dmodel.model") -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as box:
        box.writestr(name, text)
    return out.getvalue()


def _same(found: Manifold, solid: Manifold, scale: float = 1.0) -> None:
    assert found.volume() == pytest.approx(solid.volume() * scale**3, rel=1e-4)
    x0, y0, z0, x1, y1, _ = found.bounding_box()
    assert (x0 + x1, y0 + y1, z0) == pytest.approx((0, 0, 0), abs=1e-3), "it stands in the middle, on the plate"


def test_stl_binary_and_text_and_3mf_give_the_same_solid_on_the_plate() -> None:
    solid = reference_part()
    moved = solid.translate((300, -40, 17))
    _same(read_part(stl_bytes(moved)), solid)
    _same(read_part(b"solid looks like text" + stl_bytes(moved)[21:]), solid)
    _same(read_part(_text_stl(moved)), solid)
    _same(read_part(_zip(_model(moved))), solid)


def test_bodies_keep_their_names_and_places() -> None:
    lower, upper = Manifold.cube((20, 20, 4)), Manifold.cube((10, 10, 6)).translate((0, 0, 4))
    text = _text_stl(lower).replace(b"solid part", b"solid the lower one", 1) + _text_stl(upper)
    two = _model(lower, item="", extra=_object(upper, 2, "sole")).replace("</build>", '<item objectid="2"/></build>')
    for data, names in ((text, ["the lower one", "part"]), (_zip(two), ["body 1", "sole"])):
        found = read_bodies(data)
        assert [body.name for body in found] == names
        assert [body.solid.volume() for body in found] == pytest.approx([1600, 600])
        assert found[1].solid.bounding_box() == pytest.approx((-10, -10, 4, 0, 0, 10), abs=1e-4)
        assert read_part(data).volume() == pytest.approx(2200), "faces that touch are none of the whole"
    one = read_bodies(stl_bytes(lower))
    assert [body.name for body in one] == ["body 1"]
    halves = _text_stl(lower).split(b"endloop\nendfacet\n")
    open_ones = b"endloop\nendfacet\nendsolid\nsolid b\n".join((b"endloop\nendfacet\n".join(halves[:5]),
                                                             b"endloop\nendfacet\n".join(halves[5:])))  # fmt: skip
    assert len(read_bodies(open_ones)) == 1, "surfaces that are closed only together are one body"


def test_3mf_units_and_transforms_count() -> None:
    solid = Manifold.cube((10, 20, 30))
    _same(read_part(_zip(_model(solid, unit="inch"))), solid, 25.4)
    turned = read_part(_zip(_model(solid, item='transform="0 1 0 -1 0 0 0 0 1 5 5 5"')))
    x0, y0, _, x1, y1, _ = turned.bounding_box()
    assert (x1 - x0, y1 - y0) == pytest.approx((20, 10))
    part = '<component objectid="1" transform="1 0 0 0 1 0 0 0 1 {} 0 0"/>'
    twice = f'<object id="2"><components>{part.format(0)}{part.format(40)}</components></object>'
    model = _model(solid, extra=twice).replace('<item objectid="1"', '<item objectid="2"')
    assert read_part(_zip(model)).volume() == pytest.approx(2 * solid.volume())


def _bomb() -> bytes:
    return _zip("<model>" + " " * 210_000_000 + "</model>")


STL = stl_bytes(reference_part())
HOSTILE = {
    "nothing": (b"", "neither STL nor 3MF"),
    "a picture": (b"\x89PNG\r\n\x1a\n" + bytes(200), "neither STL nor 3MF"),
    "cut short": (STL[:-60], "breaks off"),
    "no triangles": (bytes(84), "no triangles"),
    "a hole": (_text_stl(reference_part()).rsplit(b"facet normal", 1)[0], "not closed"),
    "nowhere": (STL[:96] + b"\x00\x00\xc0\x7f" * 9 + STL[132:], "nowhere"),
    "no model": (_zip("hello", "readme.txt"), "without a model"),
    "a broken zip": (_zip(_model(reference_part()))[:300], "no zip that can be unpacked"),
    "entities": (_zip('<!DOCTYPE x [<!ENTITY a "b">]><model/>'), "declarations"),
    "no units known": (_zip(_model(reference_part(), unit="cubit")), "missing"),
    "a lost object": (_zip(_model(reference_part()).replace('<item objectid="1"', '<item objectid="9"')), "missing"),
    "an endless nest": (
        _zip(_model(Manifold.cube((1, 1, 1)), extra='<object id="2"><components><component objectid="2"/></components>'
             "</object>").replace('<item objectid="1"', '<item objectid="2"')), "without end"),
}  # fmt: skip


@pytest.mark.parametrize("name", HOSTILE)
def test_what_is_no_part_is_refused_with_a_reason(name: str) -> None:
    data, told = HOSTILE[name]
    with pytest.raises(InvalidInput) as refused:
        read_part(data)
    assert told in refused.value.problems["part"]


def test_what_is_too_large_is_refused_before_it_is_unpacked() -> None:
    with pytest.raises(InvalidInput, match="unpacks to far more"):
        read_part(_bomb())
    with pytest.raises(InvalidInput, match="20 MB"):
        read_part(bytes(20_000_001))


@given(st.binary(max_size=400), st.booleans())
def test_random_bytes_end_in_a_clear_message(data: bytes, zipped: bool) -> None:
    with pytest.raises(InvalidInput):
        read_part(b"PK\x03\x04" + data if zipped else data)
