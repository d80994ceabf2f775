"""Several pieces in one job: where each stands on the bed, and their toolpaths as one."""

from drumbo.core.plate.by_layer import hindered, laid_by_layer
from drumbo.core.plate.in_turn import laid_in_turn
from drumbo.core.plate.layout import APART_MM, Footprint, arrange, clearance_of, footprint
from drumbo.core.plate.members import PIECE, Plate, PlateMember

__all__ = [
    "APART_MM",
    "PIECE",
    "Footprint",
    "Plate",
    "PlateMember",
    "arrange",
    "clearance_of",
    "footprint",
    "hindered",
    "laid_by_layer",
    "laid_in_turn",
]
