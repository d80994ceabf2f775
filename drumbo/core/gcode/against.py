"""What a file is held against."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from drumbo.core.gcode.analysis import FileAnalysis
from drumbo.core.gcode.dialects import dialect
from drumbo.core.gcode.inspect import Inspection, analyse, summary
from drumbo.core.gcode.program import Program
from drumbo.core.gcode.reader import read

if TYPE_CHECKING:
    from drumbo.core.material import Material
    from drumbo.core.printer import Printer


@dataclass(frozen=True, slots=True)
class Against:
    """A printer, a material and a profile's numbers; without them, usual filament. `dialect` is the key of the one that
    the file's words are understood by, empty for the one that it is recognised as.
    """

    printer: Printer | None = None
    material: Material | None = None
    numbers: Mapping[str, float] = field(default_factory=dict)
    dialect: str = ""

    @property
    def filament_mm(self) -> float:
        """Its diameter."""
        return self.numbers.get("filament_diameter_mm", 1.75)

    @property
    def density_g_cm3(self) -> float:
        """Of the filament."""
        return self.numbers.get("density_g_cm3", 1.24)

    def read(self, data: bytes) -> Program:
        """A file as columns. NotFound for a dialect that nobody knows."""
        return read(data, dialect(self.dialect) if self.dialect else None)

    def look(self, program: Program) -> tuple[FileAnalysis, Inspection]:
        """A file with its columns, and what is found."""
        case = analyse(
            program,
            printer=self.printer, numbers=self.numbers, filament_mm=self.filament_mm, material=self.material,
        )  # fmt: skip
        return case, summary(case, self.filament_mm, self.density_g_cm3)
