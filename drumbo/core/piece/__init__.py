"""Pieces: the objects that trials print, each built once as a solid."""

from drumbo.core.piece.digits import raised_text, text_shape
from drumbo.core.piece.drawing import Drawing, draw
from drumbo.core.piece.piece import Jaw, Part, Piece, Place
from drumbo.core.piece.solids import block, prism, ribbon, slab, stl_bytes, union

__all__ = [
    "Drawing",
    "Jaw",
    "Part",
    "Piece",
    "Place",
    "block",
    "draw",
    "prism",
    "raised_text",
    "ribbon",
    "slab",
    "stl_bytes",
    "text_shape",
    "union",
]
