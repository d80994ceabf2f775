"""Mesh files: STL, binary and text, and 3MF. What comes in is a solid in mm, or a clear reason why it is none.

A file may hold several bodies: the objects that lie on a 3MF's plate with their components, or a text STL's solids. A
binary STL is one body: nothing in it says where another begins.
"""

from __future__ import annotations

import io
import re
import zipfile
from array import array
from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from itertools import islice
from xml.parsers.expat import ExpatError, ParserCreate
from xml.sax.saxutils import quoteattr

import numpy as np
from manifold3d import Error, Manifold, Mesh, OpType
from numpy.typing import NDArray

from drumbo.core.errors import InvalidInput
from drumbo.core.part_of_two import MOST_BODIES, Body
from drumbo.core.piece import stl_bytes
from drumbo.core.safe_zip import opened

Floats = NDArray[np.float64]

LONGEST_NAME = 40
LARGEST_FILE = 20_000_000
LARGEST_INSIDE = 200_000_000
MOST_TRIANGLES, MOST_POINTS, MOST_COMPONENTS, DEEPEST = 1_000_000, 1_200_000, 20_000, 16
MOST_WORDS = ((b"vertex", MOST_POINTS), (b"triangle ", MOST_TRIANGLES))
UNITS_MM = {"micron": 0.001, "millimeter": 1.0, "centimeter": 10.0, "inch": 25.4, "foot": 304.8, "meter": 1000.0}
_NUMBER = rb"[-+]?(?:\d++\.?\d*+|\.\d++)(?:[eE][-+]?\d++)?+"
_VERTEX = re.compile(rb"vertex\s++(" + _NUMBER + rb")\s++(" + _NUMBER + rb")\s++(" + _NUMBER + rb")")
"""Takes what it took and never gives back: a long run of digits or spaces costs its length, not its square."""
_SOLID = re.compile(rb"^[ \t]*+solid\b[ \t]*+([^\r\n]{0,200}+)", re.IGNORECASE | re.MULTILINE)
_NS = "http://schemas.microsoft.com/3dmanufacturing/core/2015/02"


def read_part(data: bytes) -> Manifold:
    """A solid that stands on z = 0 around x = y = 0, mm. InvalidInput names field "part" and what to do."""
    return joined(read_bodies(data))


def joined(bodies: Sequence[Body]) -> Manifold:
    """All bodies as one solid."""
    return Manifold.batch_boolean([body.solid for body in bodies], OpType.Add) if len(bodies) > 1 else bodies[0].solid


def read_bodies(data: bytes) -> tuple[Body, ...]:
    """The bodies of a file where they lie in the part, which stands on z = 0 around x = y = 0, mm. It is one body where
    there are more than anybody gives a material to, or where one of them is not closed by itself. InvalidInput names
    field "part" and what to do.
    """
    found = _checked(data)
    solids = []
    if 1 < len(found) <= MOST_BODIES:
        # Each by itself: where two of them touch, the surface of both together is none of a solid.
        with suppress(InvalidInput):
            solids = [_solid(corners) for _, corners in found]
    if not solids:
        solids = [_solid(np.concatenate([corners for _, corners in found]))]
    boxes = np.array([solid.bounding_box() for solid in solids])
    (x0, y0, z0), (x1, y1, _) = boxes[:, :3].min(axis=0), boxes[:, 3:].max(axis=0)
    move = (-(x0 + x1) / 2, -(y0 + y1) / 2, -z0)
    names = [_name(name, k) for k, (name, _) in enumerate(found)]
    return tuple(Body(name, solid.translate(move)) for name, solid in zip(names, solids, strict=False))


def _name(said: str, index: int) -> str:
    words = " ".join(said.split())[:LONGEST_NAME]
    return words if words.isprintable() and words else f"body {index + 1}"


def _checked(data: bytes) -> list[tuple[str, Floats]]:
    """Names and (t, 3, 3) corners of a file's bodies, mm; there are some, not too many, and they lie somewhere."""
    if len(data) > LARGEST_FILE:
        raise InvalidInput("part", f"is larger than {LARGEST_FILE // 1_000_000} MB, the most that is read")
    found = [(name, corners) for name, corners in (_from_3mf if data[:2] == b"PK" else _from_stl)(data) if len(corners)]
    if not found:
        raise InvalidInput("part", "holds no triangles")
    if sum(len(corners) for _, corners in found) > MOST_TRIANGLES:
        raise _too_many()
    if any(not np.isfinite(corners).all() or np.abs(corners).max() > 1e5 for _, corners in found):
        raise InvalidInput("part", "has corners that lie nowhere; export it again")
    return found


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


def _from_stl(data: bytes) -> list[tuple[str, Floats]]:
    """Names and (t, 3, 3) corners. A binary file tells itself by its length, whatever its header says."""
    count = int.from_bytes(data[80:84], "little") if len(data) >= 84 else -1
    if count >= 0 and len(data) == 84 + 50 * count:
        table = np.frombuffer(data, [("n", "<f4", 3), ("c", "<f4", (3, 3)), ("s", "<u2")], count, 84)
        return [("", np.asarray(table["c"], float))]
    if data.lstrip()[:5].lower() == b"solid":
        return _text_bodies(data)
    if count > 0 and 84 < len(data) < 84 + 50 * count:
        raise InvalidInput("part", f"breaks off: it promises {count:,} triangles and holds {(len(data) - 84) // 50:,}")
    raise InvalidInput("part", "is neither STL nor 3MF")


def _text_bodies(data: bytes) -> list[tuple[str, Floats]]:
    """Names and corners of a text STL's solids, in their order; no more are looked for than a part may have."""
    numbers, places = array("d"), array("q")
    for found in _VERTEX.finditer(data):
        numbers.extend(map(float, found.groups()))
        places.append(found.start())
        if len(numbers) > 9 * MOST_TRIANGLES:
            raise _too_many()
    corners = np.array(numbers, float).reshape(-1, 3)
    heads = list(islice(_SOLID.finditer(data), MOST_COMPONENTS))
    ends = np.searchsorted(np.asarray(places), [head.start() for head in heads[1:]])
    names = [head[1].decode("utf-8", "replace") for head in heads] or [""]
    bodies = np.split(corners, ends)
    if any(len(own) % 3 for own in bodies):
        raise InvalidInput("part", "breaks off within a triangle; export it again")
    return [(name, np.asarray(own.reshape(-1, 3, 3))) for name, own in zip(names, bodies, strict=True)]


def _wrong(message: str) -> InvalidInput:
    return InvalidInput("part", message)


def _from_3mf(data: bytes) -> list[tuple[str, Floats]]:
    """Names and (t, 3, 3) corners of all that the file's build plate holds, mm."""
    try:
        with opened(data, most=LARGEST_INSIDE, most_together=LARGEST_INSIDE, wrong=_wrong) as box:
            inside = [name for name in box.names if name.lower().endswith(".model")]
            if not inside:
                raise _wrong("is a zip file without a model in it")
            text = box.read(inside[0])
        # Counted by their words first, which costs nothing beside reading them.
        if any(text.count(word) - text.count(b"/" + word) > most for word, most in MOST_WORDS):
            raise _too_many()
        model = _Model3mf(text)
        # Numbers without bounds become corners that lie nowhere, which is told.
        with np.errstate(all="ignore"):
            return _placed(model)
    except InvalidInput:
        raise
    except ExpatError as error:
        raise InvalidInput("part", f"cannot be read as 3MF ({error}); export it again") from error
    except (LookupError, ValueError, TypeError, OverflowError) as error:
        raise InvalidInput("part", "has numbers missing where a 3MF file needs them; export it again") from error


@dataclass(slots=True)
class _Object3mf:
    """Corners, triangles and components (object, transform) of one object, and what it is called."""

    name: str = ""
    points: array[float] = field(default_factory=lambda: array("d"))
    corners: array[int] = field(default_factory=lambda: array("l"))
    components: list[tuple[str, str | None]] = field(default_factory=list)


class _Model3mf:
    """What a model part says, read as it goes by: a tree of it would take twenty times its size."""

    def __init__(self, text: bytes) -> None:
        self.unit, self.items = "millimeter", list[tuple[str, str | None]]()
        self.objects: dict[str, _Object3mf] = {}
        self._open = _Object3mf()
        self._left, self._points_left = MOST_TRIANGLES, MOST_POINTS
        self._parts_left = MOST_COMPONENTS
        parser = ParserCreate(namespace_separator=" ")
        parser.StartDoctypeDeclHandler = self._refuse
        parser.EntityDeclHandler = self._refuse
        parser.StartElementHandler = self._begins
        parser.Parse(text, True)

    def _refuse(self, *_found: object) -> None:
        raise InvalidInput("part", "holds declarations that no 3MF file needs; export it again")

    def _begins(self, name: str, found: dict[str, str]) -> None:
        space, _, word = name.rpartition(" ")
        if space != _NS:
            return
        if word == "vertex":
            self._points_left -= 1
            if self._points_left < 0:
                raise _too_many()
            self._open.points.extend((float(found["x"]), float(found["y"]), float(found["z"])))
        elif word == "triangle":
            self._left -= 1
            if self._left < 0:
                raise _too_many()
            self._open.corners.extend((int(found["v1"]), int(found["v2"]), int(found["v3"])))
        elif word == "object":
            self._open = self.objects[found["id"]] = _Object3mf(found.get("name", ""))
        elif word in {"component", "item"}:
            self._parts_left -= 1
            if self._parts_left < 0:
                raise InvalidInput("part", f"is put together of more than {MOST_COMPONENTS:,} components")
            here = self._open.components if word == "component" else self.items
            here.append((found["objectid"], found.get("transform")))
        elif word == "model":
            self.unit = found.get("unit", "millimeter")


def _too_many() -> InvalidInput:
    return InvalidInput("part", f"has more than {MOST_TRIANGLES:,} triangles; export it coarser")


def _placed(model: _Model3mf) -> list[tuple[str, Floats]]:
    unit = UNITS_MM[model.unit]
    wanted = model.items or [(key, None) for key in model.objects]
    sizes: dict[str, tuple[int, int]] = {}
    counted = [_size(model, key, sizes, ()) for key, _ in wanted]
    if sum(triangles for triangles, _ in counted) > MOST_TRIANGLES:
        raise _too_many()
    if sum(parts for _, parts in counted) > MOST_COMPONENTS:
        raise InvalidInput("part", f"is put together of more than {MOST_COMPONENTS:,} components")
    meshes = {key: _mesh(thing) for key, thing in model.objects.items()}
    return [
        (name, corners * unit)
        for key, placed in wanted
        for name, corners in _object(model, meshes, key, _matrix(placed))
    ]


def _size(
    model: _Model3mf, key: str, sizes: dict[str, tuple[int, int]], within: tuple[str, ...]
) -> tuple[int, int]:  # fmt: skip
    """Triangles and objects that an object comes to with all its components, counted before it is put together."""
    if key in within or len(within) > DEEPEST:
        raise InvalidInput("part", "holds components within components without end")
    if key not in sizes:
        thing = model.objects[key]
        below = [_size(model, part, sizes, (*within, key)) for part, _ in thing.components]
        sizes[key] = (len(thing.corners) // 3 + sum(t for t, _ in below), 1 + sum(n for _, n in below))
    return sizes[key]


def _mesh(thing: _Object3mf) -> Floats:
    points = np.array(thing.points, float).reshape(-1, 3)
    corners = np.array(thing.corners, np.int64).reshape(-1, 3)
    if len(corners) and (corners.min() < 0 or corners.max() >= len(points)):
        raise IndexError("a triangle of corners that are not there")
    return points[corners]


def _object(
    model: _Model3mf, meshes: dict[str, Floats], key: str, placed: Floats
) -> list[tuple[str, Floats]]:  # fmt: skip
    found = [(model.objects[key].name, meshes[key] @ placed[:3] + placed[3])] if len(meshes[key]) else []
    for part, transform in model.objects[key].components:
        own = _matrix(transform)
        both = np.vstack([own[:3] @ placed[:3], own[3] @ placed[:3] + placed[3]])
        found += _object(model, meshes, part, both)
    return found


def _matrix(text: str | None) -> Floats:
    """(4, 3): rows of a 3MF transform; a point is multiplied from the left."""
    if not text:
        return np.vstack([np.eye(3), np.zeros(3)])
    return np.array([float(word) for word in text.split()]).reshape(4, 3)


def threemf_bytes(*solids: Manifold, names: Sequence[str] = ()) -> bytes:
    """Solids as a 3MF in millimetres: an object each, as the open standard's core has it."""
    objects = "".join(_object_xml(k + 1, solid, names[k] if names else "") for k, solid in enumerate(solids))
    items = "".join(f'<item objectid="{k + 1}"/>' for k in range(len(solids)))
    model = (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        f'<model unit="millimeter" xml:lang="en" xmlns="{_NS}"><resources>{objects}</resources>'
        f"<build>{items}</build></model>\n"
    )
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as bundle:
        for name, text in (("[Content_Types].xml", _TYPES), ("_rels/.rels", _RELATIONS), ("3D/3dmodel.model", model)):
            about = zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0))
            about.compress_type = zipfile.ZIP_DEFLATED
            bundle.writestr(about, text)
    return out.getvalue()


def _object_xml(number: int, solid: Manifold, name: str) -> str:
    mesh = solid.to_mesh()
    points = np.asarray(mesh.vert_properties, np.float64)[:, :3]
    vertices = "".join(f'<vertex x="{x:.5f}" y="{y:.5f}" z="{z:.5f}"/>' for x, y, z in points)
    triangles = "".join(f'<triangle v1="{a}" v2="{b}" v3="{c}"/>' for a, b, c in np.asarray(mesh.tri_verts))
    called = f" name={quoteattr(name)}" if name else ""
    return (
        f'<object id="{number}" type="model"{called}><mesh><vertices>{vertices}</vertices>'
        f"<triangles>{triangles}</triangles></mesh></object>"
    )


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
