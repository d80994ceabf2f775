"""Polymer families with their starting values. They are copied, never changed, and then tested."""

from __future__ import annotations

from dataclasses import asdict, dataclass

from drumbo.core.catalogue import FILAMENT, starting_values
from drumbo.core.errors import NotFound


@dataclass(frozen=True, slots=True)
class Family:
    """What is commonly true of a polymer, for a 0.4 mm nozzle and a plain hot end. One that is filled, and matt by
    itself, `hides` its faults.
    """

    key: str
    name: str
    nozzle_first_c: float
    nozzle_c: float
    nozzle_low_c: float
    nozzle_high_c: float
    bed_c: float
    fan_percent: float
    flow_ratio: float
    retraction_direct_mm: float
    retraction_bowden_mm: float
    max_flow_mm3_s: float
    density_g_cm3: float
    softens_c: float
    drying_c: float
    drying_h: float
    shrinkage_percent: float
    fan_off_layers: int = 1
    fan_full_layer: int = 2
    speed_max_mm_s: float = 0.0
    hides: bool = False

    def facts(self, drive: str, nozzle_mm: float) -> dict[str, float]:
        """What starting values hang on, on a printer with this drive and nozzle."""
        figures = {key: float(number) for key, number in asdict(self).items() if isinstance(number, (int, float))}
        return {**figures, "bowden": float(drive == "bowden"), "nozzle_mm": nozzle_mm}

    def starting_values(self, drive: str, nozzle_mm: float) -> dict[str, float]:
        """Catalogue key → starting value on a printer with this drive and nozzle."""
        return starting_values(FILAMENT, self.facts(drive, nozzle_mm))


FAMILIES: tuple[Family, ...] = (
    Family("pla", "PLA", 215, 210, 190, 230, 60, 100, 1.00, 0.8, 5.0, 12.0, 1.24, 55, 45, 6, 0.2),
    Family("pla-filled", "PLA, filled (wood, mineral)", 215, 210, 190, 220, 60, 100, 1.00, 1.0, 5.5, 9.0, 1.15,
           55, 45, 6, 0.2, hides=True),
    Family("petg", "PETG", 240, 245, 220, 260, 75, 40, 0.97, 0.8, 5.0, 9.0, 1.27, 75, 60, 6, 0.3, 3, 5),
    Family("abs", "ABS", 250, 245, 230, 270, 100, 10, 1.00, 0.8, 5.0, 12.0, 1.04, 95, 70, 4, 0.7, 3, 5),
    Family("asa", "ASA", 255, 250, 235, 270, 100, 15, 1.00, 0.8, 5.0, 11.0, 1.07, 97, 75, 4, 0.6, 3, 5),
    Family("tpu", "TPU 95A", 230, 225, 210, 245, 45, 60, 1.00, 0.6, 3.0, 3.5, 1.21, 80, 60, 5, 0.4,
           speed_max_mm_s=40),
    Family("pa", "PA (nylon)", 265, 260, 240, 285, 90, 0, 1.00, 1.0, 5.5, 6.0, 1.12, 100, 80, 10, 1.0, 3, 5),
    Family("pc", "PC", 275, 270, 260, 300, 110, 0, 1.00, 0.8, 5.0, 8.0, 1.20, 115, 90, 6, 0.6, 3, 5),
    Family("pva", "PVA (support)", 210, 205, 190, 220, 55, 100, 1.00, 1.2, 6.0, 5.0, 1.23, 60, 55, 8, 0.3),
)  # fmt: skip

_BY_KEY = {family.key: family for family in FAMILIES}


def family(key: str) -> Family:
    """The family under `key`; NotFound names those there are."""
    try:
        return _BY_KEY[key]
    except KeyError:
        raise NotFound(f"no polymer family {key!r}; there are {', '.join(_BY_KEY)}") from None
