"""Pieces: the objects that trials print, each built once as a solid."""

from drumbo.core.piece.digits import text_shape
from drumbo.core.piece.drawing import Drawing, draw_front
from drumbo.core.piece.piece import Part, Piece, Place
from drumbo.core.piece.solids import block, prism, stl_bytes, union

__all__ = [
    "Drawing",
    "Part",
    "Piece",
    "Place",
    "block",
    "draw_front",
    "prism",
    "stl_bytes",
    "text_shape",
    "union",
]
