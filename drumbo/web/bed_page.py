"""The bed of a plate from above: what is drawn where, and in which turn it is printed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from drumbo.core.printer import Printer
from drumbo.services.plates import PieceOutline

MARGIN_MM = 4.0


@dataclass(frozen=True, slots=True)
class PieceOnBed:
    """A piece's outline, moved to where it stands, and its room; mm, y downwards."""

    title: str
    turn: int
    outline: str
    x: float
    y: float
    left: float
    top: float
    width: float
    height: float


@dataclass(frozen=True, slots=True)
class BedPicture:
    """A view box in mm with y downwards, the bed in it, and its pieces in their turns."""

    view: str
    left: float
    top: float
    width: float
    height: float
    pieces: tuple[PieceOnBed, ...]
    says: str


def bed_picture(spots: Sequence[PieceOutline], printer: Printer) -> BedPicture:
    """The bed with pieces on it, as somebody who stands before the printer sees it from above."""
    (x0, y0), (x1, y1) = printer.bed_low, printer.bed_high
    m = MARGIN_MM
    ordered = sorted(spots, key=lambda spot: spot.turn)
    pieces = []
    for spot in ordered:
        left, front, right, back = spot.standing.room or (x0, y0, x1, y1)
        x, y = spot.standing.middle
        pieces.append(
            PieceOnBed(spot.title, spot.turn, spot.outline, round(x, 2), round(-y, 2), round(left, 2), round(-back, 2),
                       round(right - left, 2), round(back - front, 2))
        )  # fmt: skip
    says = "; ".join(f"{piece.turn}. {piece.title}" for piece in pieces)
    return BedPicture(
        f"{x0 - m:g} {-y1 - m:g} {x1 - x0 + 2 * m:g} {y1 - y0 + 2 * m:g}", x0, -y1, x1 - x0, y1 - y0, tuple(pieces),
        f"The bed from above, {len(pieces)} pieces in their turns: {says}" if pieces else "The bed from above, empty",
    )  # fmt: skip
