"""A piece seen from the front, as paths for a page: one path a look, in millimetres, y downwards."""

from __future__ import annotations

from dataclasses import dataclass

from drumbo.core.piece.piece import Piece, Place


@dataclass(frozen=True, slots=True)
class Drawing:
    """`paths` are (look, SVG path data) from back to front; x runs from 0 to `width`, y from 0 to `height`."""

    width: float
    height: float
    left: float
    paths: tuple[tuple[str, str], ...]
    places: tuple[Place, ...]


def draw_front(piece: Piece) -> Drawing:
    """The piece from the front, parts painted in the order in which it lists them."""
    x0, _, _, x1, _, z1 = piece.solid.bounding_box()
    shapes: dict[str, list[str]] = {}
    for part in piece.parts:
        outline = part.solid.rotate((-90, 0, 0)).project()
        for ring in outline.to_polygons():
            steps = "L".join(f"{x - x0:.2f} {z1 - z:.2f}" for x, z in ring)
            shapes.setdefault(part.look, []).append(f"M{steps}Z")
    return Drawing(
        width=x1 - x0,
        height=z1,
        left=x0,
        paths=tuple((look, "".join(rings)) for look, rings in shapes.items()),
        places=piece.places,
    )
