"""Polymer families with their starting values. They are copied, never changed, and then tested."""

from __future__ import annotations

from dataclasses import dataclass

from drumbo.core.errors import NotFound


@dataclass(frozen=True, slots=True)
class Family:
    """What is commonly true of a polymer, for a 0.4 mm nozzle and a plain hot end."""

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

    def starting_values(self, drive: str, nozzle_mm: float) -> dict[str, float]:
        """Catalogue key → starting value on a printer with this drive and nozzle.

        Max volumetric speed grows with the melt channel, about as (d/0.4)^1.3.
        """
        bowden = drive == "bowden"
        return {
            "nozzle_c": self.nozzle_c,
            "nozzle_first_c": self.nozzle_first_c,
            "bed_c": self.bed_c,
            "bed_first_c": self.bed_c,
            "nozzle_standby_c": 0.0,
            "bed_smooth_c": self.bed_c,
            "bed_textured_c": self.bed_c,
            "bed_glass_c": self.bed_c,
            "first_layer_z_mm": 0.0,
            "chamber_c": 0.0,
            "batch": 1.0,
            "flow_ratio": self.flow_ratio,
            "flow_outer_share": 1.0,
            "flow_first_share": 1.0,
            "filament_diameter_mm": 1.75,
            "density_g_cm3": self.density_g_cm3,
            "pressure_advance_s": 0.0,
            "retraction_mm": self.retraction_bowden_mm if bowden else self.retraction_direct_mm,
            "retraction_speed_mm_s": 40.0 if bowden else 35.0,
            "restart_extra_mm": 0.0,
            "coasting_mm": 0.0,
            "retraction_min_travel_mm": 1.5,
            "z_hop_mm": 0.0,
            "max_flow_mm3_s": round(self.max_flow_mm3_s * (nozzle_mm / 0.4) ** 1.3, 1),
            "speed_outer_mm_s": 0.0,
            "speed_max_mm_s": 40.0 if self.key == "tpu" else 0.0,
            "fan_percent": self.fan_percent,
            "fan_normal_layer_s": 15.0,
            "fan_short_percent": self.fan_percent,
            "fan_bridge_percent": max(self.fan_percent, 30.0 if self.fan_percent else 15.0),
            "fan_overhang_percent": self.fan_percent,
            "overhang_from_deg": 48.0,
            "fan_aux_percent": 0.0,
            "fan_off_layers": float(self.fan_off_layers),
            "fan_full_layer": float(self.fan_full_layer),
            "layer_time_min_s": 8.0,
            "speed_floor_mm_s": 12.0,
            "shrinkage_percent": self.shrinkage_percent,
            "offset_mm": 0.0,
        }


FAMILIES: tuple[Family, ...] = (
    Family("pla", "PLA", 215, 210, 190, 230, 60, 100, 1.00, 0.8, 5.0, 12.0, 1.24, 55, 45, 6, 0.2),
    Family("pla-filled", "PLA, filled (wood, mineral)", 215, 210, 190, 220, 60, 100, 1.00, 1.0, 5.5, 9.0, 1.15,
           55, 45, 6, 0.2),
    Family("petg", "PETG", 240, 245, 220, 260, 75, 40, 0.97, 0.8, 5.0, 9.0, 1.27, 75, 60, 6, 0.3, 3, 5),
    Family("abs", "ABS", 250, 245, 230, 270, 100, 10, 1.00, 0.8, 5.0, 12.0, 1.04, 95, 70, 4, 0.7, 3, 5),
    Family("asa", "ASA", 255, 250, 235, 270, 100, 15, 1.00, 0.8, 5.0, 11.0, 1.07, 97, 75, 4, 0.6, 3, 5),
    Family("tpu", "TPU 95A", 230, 225, 210, 245, 45, 60, 1.00, 0.6, 3.0, 3.5, 1.21, 80, 60, 5, 0.4),
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
