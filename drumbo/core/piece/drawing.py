"""A piece seen from where it is read, as paths for a page: one path a look, in millimetres, y downwards."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from manifold3d import CrossSection

from drumbo.core.piece.piece import Jaw, Part, Piece, Place


@dataclass(frozen=True, slots=True)
class Drawing:
    """`paths` are (look, SVG path data) from back to front; x runs from 0 to `width`, y from 0 to `height`.

    Piece coordinates (u to the right, v up) are drawn at (u − `left`, `top` − v); v is z from the front, y from
    above. `view` is "front" or "top".
    """

    width: float
    height: float
    left: float
    top: float
    view: str
    paths: tuple[tuple[str, str], ...]
    places: tuple[Place, ...]
    jaws: tuple[Jaw, ...] = ()


def draw(piece: Piece) -> Drawing:
    """The piece from the side that it is read from, parts painted in the order in which it lists them."""
    boxes = np.array([part.solid.bounding_box() for part in piece.parts])
    (x0, y0), (x1, y1, z1) = boxes[:, :2].min(axis=0).tolist(), boxes[:, 3:].max(axis=0).tolist()
    low, top = (0.0, z1) if piece.view == "front" else (y0, y1)
    shapes: dict[str, list[str]] = {}
    for part in (part for part in piece.parts if not part.behind):
        for ring in _outline(part, piece.view).to_polygons():
            steps = "L".join(f"{u - x0:.2f} {top - v:.2f}" for u, v in ring)
            shapes.setdefault(part.look, []).append(f"M{steps}Z")
    return Drawing(
        width=x1 - x0,
        height=top - low,
        left=x0,
        top=top,
        view=piece.view,
        paths=tuple((look, "".join(rings)) for look, rings in shapes.items()),
        places=piece.places,
        jaws=piece.jaws,
    )


def draw_above(piece: Piece) -> str:
    """The piece's outline from above as one SVG path, mm about its middle, y downwards."""
    rings = piece.solid.project().to_polygons()
    return "".join("M" + "L".join(f"{u:.2f} {-v:.2f}" for u, v in ring) + "Z" for ring in rings)


def _outline(part: Part, view: str) -> CrossSection:
    return (part.solid.rotate((-90, 0, 0)) if view == "front" else part.solid).project()
