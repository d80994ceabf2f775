"""Pieces: the objects that trials print, each built once as a solid."""

from drumbo.core.piece.digits import raised_text, text_shape
from drumbo.core.piece.drawing import Drawing, draw, draw_above
from drumbo.core.piece.piece import Jaw, Part, Piece, Place, Standing
from drumbo.core.piece.solids import block, prism, ribbon, slab, stl_bytes, union

__all__ = [
    "Drawing",
    "Jaw",
    "Part",
    "Piece",
    "Place",
    "Standing",
    "block",
    "draw",
    "draw_above",
    "prism",
    "raised_text",
    "ribbon",
    "slab",
    "stl_bytes",
    "text_shape",
    "union",
]
