"""A toolpath taken apart: where every line begins and ends, as tests ask for it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from manifold3d import Manifold
from numpy.typing import NDArray

from drumbo.core.toolpath import PrintSettings, Toolpath, build
from drumbo.core.toolpath.columns import Role

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]
WALLS = (Role.OUTER, Role.OVERHANG, Role.INNER)
FILLS = (Role.SOLID, Role.TOP, Role.INFILL, Role.BRIDGE)
PLAIN: dict[str, Any] = {"purge": False, "skirt_loops": 0, "layer_time_min_s": 0.0}
"""Nothing beside the part, and no waiting for layers to cool."""


@dataclass(frozen=True)
class Laid:
    """Lines as columns, of a part about x = y = 0."""

    path: Toolpath
    settings: PrintSettings
    a: Floats
    b: Floats

    @property
    def draws(self) -> Bools:
        """Rows that lay a line of the part."""
        return (self.path.e_mm > 0) & (self.lengths > 0) & (self.path.role >= Role.OUTER)

    @property
    def lengths(self) -> Floats:
        return self.path.lengths()

    def of(self, *roles: Role, layer: int | None = None) -> Bools:
        """Rows of these roles that lay a line."""
        rows = self.draws & np.isin(self.path.role, roles)
        return rows if layer is None else rows & (self.path.layer == layer)

    def volume(self, rows: Bools) -> float:
        """Filament of some rows, mm³."""
        return float(self.path.e_mm[rows].sum() * self.settings.filament_area)

    @property
    def layers(self) -> int:
        return int(self.path.layer.max()) + 1


def laid(solid: Manifold, **settings: Any) -> Laid:
    """Built about the bed's zero; settings differ from `PLAIN`."""
    made = PrintSettings(**{**PLAIN, **settings})
    path = build(solid, made, middle=(0.0, 0.0), purge_from=(-40.0, -40.0))
    ends = np.column_stack((path.x, path.y, path.z))
    return Laid(path, made, np.vstack((path.start, ends[:-1])), ends)
