"""Mesh files: STL, binary and text, and 3MF. What comes in is a solid in mm, or a clear reason why it is none."""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Callable
from xml.etree import ElementTree

import numpy as np
from manifold3d import Error, Manifold, Mesh
from numpy.typing import NDArray

from drumbo.core.errors import InvalidInput
from drumbo.core.piece import stl_bytes
from drumbo.core.safe_zip import opened

Floats = NDArray[np.float64]

LARGEST_FILE = 20_000_000
LARGEST_INSIDE = 200_000_000
MOST_TRIANGLES = 1_000_000
UNITS_MM = {"micron": 0.001, "millimeter": 1.0, "centimeter": 10.0, "inch": 25.4, "foot": 304.8, "meter": 1000.0}
_NUMBER = rb"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?"
_VERTEX = re.compile(rb"vertex\s+(" + _NUMBER + rb")\s+(" + _NUMBER + rb")\s+(" + _NUMBER + rb")")
_NS = "{http://schemas.microsoft.com/3dmanufacturing/core/2015/02}"


def read_part(data: bytes) -> Manifold:
    """A solid that stands on z = 0 around x = y = 0, mm. InvalidInput names field "part" and what to do."""
    if len(data) > LARGEST_FILE:
        raise InvalidInput("part", f"is larger than {LARGEST_FILE // 1_000_000} MB, the most that is read")
    corners = _from_3mf(data) if data[:2] == b"PK" else _from_stl(data)
    if not len(corners):
        raise InvalidInput("part", "holds no triangles")
    if len(corners) > MOST_TRIANGLES:
        raise InvalidInput("part", f"has more than {MOST_TRIANGLES:,} triangles; export it coarser")
    if not np.isfinite(corners).all() or np.abs(corners).max() > 1e5:
        raise InvalidInput("part", "has corners that lie nowhere; export it again")
    return _standing(_solid(corners))


def _solid(corners: Floats) -> Manifold:
    points, which = np.unique(corners.reshape(-1, 3).astype(np.float32), axis=0, return_inverse=True)
    triangles = which.reshape(-1, 3).astype(np.uint32)
    a, b, c = triangles.T
    mesh = Mesh(points, triangles[(a != b) & (b != c) & (a != c)])
    mesh.merge()
    solid = Manifold(mesh)
    if solid.status() != Error.NoError or solid.is_empty():
        raise InvalidInput(
            "part", "is not closed: its surface has holes or crosses itself. Repair it, then bring it again"
        )
    if solid.volume() <= 0:
        raise InvalidInput("part", "is inside out; flip its normals")
    return solid


def _standing(solid: Manifold) -> Manifold:
    x0, y0, z0, x1, y1, _ = solid.bounding_box()
    return solid.translate((-(x0 + x1) / 2, -(y0 + y1) / 2, -z0))


def _from_stl(data: bytes) -> Floats:
    """(t, 3, 3) corners. A binary file tells itself by its length, whatever its header says."""
    count = int.from_bytes(data[80:84], "little") if len(data) >= 84 else -1
    if count >= 0 and len(data) == 84 + 50 * count:
        table = np.frombuffer(data, [("n", "<f4", 3), ("c", "<f4", (3, 3)), ("s", "<u2")], count, 84)
        return np.asarray(table["c"], float)
    if data.lstrip()[:5].lower() == b"solid":
        found = np.array(_VERTEX.findall(data)).astype(float)
        if len(found) % 3:
            raise InvalidInput("part", "breaks off within a triangle; export it again")
        return np.asarray(found.reshape(-1, 3, 3))
    if count > 0 and 84 < len(data) < 84 + 50 * count:
        raise InvalidInput("part", f"breaks off: it promises {count:,} triangles and holds {(len(data) - 84) // 50:,}")
    raise InvalidInput("part", "is neither STL nor 3MF")


def _wrong(message: str) -> InvalidInput:
    return InvalidInput("part", message)


def _from_3mf(data: bytes) -> Floats:
    """(t, 3, 3) corners of all that the file's build plate holds, mm."""
    try:
        with opened(data, most=LARGEST_INSIDE, most_together=LARGEST_INSIDE, wrong=_wrong) as box:
            inside = [name for name in box.names if name.lower().endswith(".model")]
            if not inside:
                raise _wrong("is a zip file without a model in it")
            text = box.read(inside[0])
        if b"<!DOCTYPE" in text or b"<!ENTITY" in text:
            raise InvalidInput("part", "holds declarations that no 3MF file needs; export it again")
        return _placed(ElementTree.fromstring(text))
    except InvalidInput:
        raise
    except ElementTree.ParseError as error:
        raise InvalidInput("part", f"cannot be read as 3MF ({error}); export it again") from error
    except (KeyError, ValueError, TypeError, IndexError) as error:
        raise InvalidInput("part", "has numbers missing where a 3MF file needs them; export it again") from error


def _placed(model: ElementTree.Element) -> Floats:
    unit = UNITS_MM[model.get("unit", "millimeter")]
    objects = {o.attrib["id"]: o for o in model.iter(f"{_NS}object")}
    items = [(i.attrib["objectid"], i.get("transform")) for i in model.iter(f"{_NS}item")]
    wanted = items or [(key, None) for key in objects]
    parts = [part for key, placed in wanted for part in _object(objects, key, _matrix(placed), 0)]
    return np.concatenate(parts) * unit if parts else np.empty((0, 3, 3))


def _object(objects: dict[str, ElementTree.Element], key: str, placed: Floats, deep: int) -> list[Floats]:
    if deep > 16:
        raise InvalidInput("part", "holds components within components without end")
    found, thing = [], objects[key]
    mesh = thing.find(f"{_NS}mesh")
    if mesh is not None:
        points = np.array([[float(v.attrib[a]) for a in "xyz"] for v in mesh.iter(f"{_NS}vertex")]).reshape(-1, 3)
        rows = [[int(t.attrib[a]) for a in ("v1", "v2", "v3")] for t in mesh.iter(f"{_NS}triangle")]
        at = points @ placed[:3] + placed[3]
        found.append(at[np.array(rows, int).reshape(-1, 3)])
    for part in thing.iter(f"{_NS}component"):
        own = _matrix(part.get("transform"))
        both = np.vstack([own[:3] @ placed[:3], own[3] @ placed[:3] + placed[3]])
        found += _object(objects, part.attrib["objectid"], both, deep + 1)
    return found


def _matrix(text: str | None) -> Floats:
    """(4, 3): rows of a 3MF transform; a point is multiplied from the left."""
    if not text:
        return np.vstack([np.eye(3), np.zeros(3)])
    return np.array([float(word) for word in text.split()]).reshape(4, 3)


def threemf_bytes(solid: Manifold) -> bytes:
    """The solid as a 3MF in millimetres: one object, as the open standard's core has it."""
    mesh = solid.to_mesh()
    points = np.asarray(mesh.vert_properties, np.float64)[:, :3]
    vertices = "".join(f'<vertex x="{x:.5f}" y="{y:.5f}" z="{z:.5f}"/>' for x, y, z in points)
    triangles = "".join(f'<triangle v1="{a}" v2="{b}" v3="{c}"/>' for a, b, c in np.asarray(mesh.tri_verts))
    model = (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        f'<model unit="millimeter" xml:lang="en" xmlns="{_NS.strip("{}")}"><resources>'
        f'<object id="1" type="model"><mesh><vertices>{vertices}</vertices><triangles>{triangles}</triangles></mesh>'
        '</object></resources><build><item objectid="1"/></build></model>\n'
    )
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as bundle:
        for name, text in (("[Content_Types].xml", _TYPES), ("_rels/.rels", _RELATIONS), ("3D/3dmodel.model", model)):
            about = zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0))
            about.compress_type = zipfile.ZIP_DEFLATED
            bundle.writestr(about, text)
    return out.getvalue()


MESHES: dict[str, Callable[[Manifold], bytes]] = {"stl": stl_bytes, "3mf": threemf_bytes}
"""How a solid is written, by the file's ending."""

_PACKAGE = "http://schemas.openxmlformats.org/package/2006"
_TYPES = (
    f'<?xml version="1.0" encoding="UTF-8"?>\n<Types xmlns="{_PACKAGE}/content-types">'
    '<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
    '<Default Extension="model" ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/></Types>\n'
)
_RELATIONS = (
    f'<?xml version="1.0" encoding="UTF-8"?>\n<Relationships xmlns="{_PACKAGE}/relationships">'
    '<Relationship Target="/3D/3dmodel.model" Id="rel0" '
    'Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/></Relationships>\n'
)
