"""The tray: where the blobs of the weighing trial fall, a design of our own.

It is no print: a sheet of paper or foil on the plate, with a row a temperature, the hottest at the rear and first, and
a column a flow, the slowest at the left. At its left front corner is the place where the nozzle purges in between. Rows
go by letter and columns by number, so that a blob has a name: B3.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from drumbo.core.piece import Jaw, Part, Piece, Place, block, raised_text, union
from drumbo.trials.readings import Step

WIDEST, NARROWEST = 26.0, 15.0
"""Side of a cell, mm."""
HEAD, SIDE, GAP = 11.0, 20.0, 1.6
"""Room for the columns' flows and the rows' temperatures, mm; and between cells."""
THIN = 0.4
LETTERS = "ABCDEFGHIJKL"


@dataclass(frozen=True, slots=True)
class BlobRow:
    """One row of blobs: its temperature in °C, and which of its repeats it is."""

    index: int
    heat_c: float
    repeat: int

    @property
    def letter(self) -> str:
        """What the row is called."""
        return LETTERS[self.index]


@dataclass(frozen=True, slots=True)
class Tray:
    """So many columns and rows of cells of one size, around x = y = 0."""

    columns: int
    rows: int
    cell: float

    @property
    def width(self) -> float:
        """Along x, with the rows' temperatures."""
        return self.columns * self.cell + SIDE

    @property
    def depth(self) -> float:
        """Along y, with the columns' flows."""
        return self.rows * self.cell + HEAD

    def middle(self, column: int, row: int) -> tuple[float, float]:
        """Of a cell; row 0 is the rearmost."""
        x = -self.width / 2 + SIDE + (column + 0.5) * self.cell
        return x, self.depth / 2 - (row + 0.5) * self.cell

    @property
    def purge(self) -> tuple[float, float]:
        """Where the nozzle purges: before the rows' temperatures, at the left front corner."""
        return -self.width / 2 + SIDE / 2, -self.depth / 2 + HEAD / 2


def fitted(columns: int, rows: int, bed_x_mm: float, bed_y_mm: float) -> Tray | None:
    """The tray with the largest cells that a bed has room for; None where they would be too small."""
    cell = min(WIDEST, (bed_x_mm - 16 - SIDE) / columns, (bed_y_mm - 16 - HEAD) / rows)
    return None if cell < NARROWEST else Tray(columns, rows, cell)


def site(row: BlobRow) -> str:
    """The key of a row, as a place to weigh at every flow."""
    return f"row-{row.letter.lower()}"


def tray(made: Tray, steps: Sequence[Step], rows: Sequence[BlobRow]) -> Piece:
    """A picture of the tray with its places to weigh."""
    cells, digits, heats = [], [], []
    jaws, places = [], []
    half = made.cell / 2 - GAP / 2
    for step in steps:
        x, _ = made.middle(step.index, 0)
        digits.append(_text(step.label, (x, -made.depth / 2 + HEAD / 2 - 1), made.cell - 3))
        for row in rows:
            _, y = made.middle(step.index, row.index)
            cells.append(block((x - half, y - half, 0.0), (x + half, y + half, THIN)))
            jaws.append(
                Jaw("blob", step.index, site(row), (x - half, y - half), (x + half, y + half), 0.0, tool="scale")
            )
        low, high = (x - half, -made.depth / 2, 0.0), (x + half, made.depth / 2, 20.0)
        places.append(Place(step.index, step.value, step.label, low, high, axis=0))
    for row in rows:
        _, y = made.middle(0, row.index)
        heats.append(_text(f"{row.heat_c:g}", (-made.width / 2 + SIDE / 2 - 1, y), SIDE - 5))
    x, y = made.purge
    purge = block((x - 6, y - 3.5, 0.0), (x + 6, y + 3.5, THIN))
    sheet = block((-made.width / 2, -made.depth / 2, -THIN), (made.width / 2, made.depth / 2, 0.0))
    parts = (Part("foot", sheet), Part("pad", union(cells)), Part("rung", purge), Part("digits", union(digits + heats)))
    return Piece("tray", union(p.solid for p in parts), parts, tuple(places), tuple(jaws))


def _text(text: str, at: tuple[float, float], room: float):  # type: ignore[no-untyped-def]
    return raised_text(text, at, 4.6, 0.9, room, 0.0, 2 * THIN)
