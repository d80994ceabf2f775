"""Pieces: the objects that trials print, each built once as a solid."""

from drumbo.core.piece.digits import text_shape
from drumbo.core.piece.drawing import Drawing, draw
from drumbo.core.piece.piece import Jaw, Part, Piece, Place
from drumbo.core.piece.solids import block, prism, stl_bytes, union

__all__ = [
    "Drawing",
    "Jaw",
    "Part",
    "Piece",
    "Place",
    "block",
    "draw",
    "prism",
    "stl_bytes",
    "text_shape",
    "union",
]
