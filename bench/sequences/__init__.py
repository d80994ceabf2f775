"""One module a parameter: the whole sequence of one hidden spool, and what the plain habit makes of the same prints."""

from bench.sequences import (
    bond_of_two,
    changeover,
    clearance,
    cooling,
    dimensions,
    extruder_steps,
    first_layer,
    flow_surface,
    flow_wall,
    pressure_advance,
    retraction,
    rising_wall,
    temperature,
    weighed_blobs,
)

BY_EYE = "max_flow_mm3_s by eye alone"
BY_WEIGHT, ALONG = "max_flow_mm3_s by weight", "max_flow_mm3_s along its curve"
THERE_BY_PHOTO, BACK_BY_PHOTO = "purge_there_mm by photo", "purge_back_mm by photo"
THERE_BY_BOTH, BACK_BY_BOTH = "purge_there_mm by eye and photo", "purge_back_mm by eye and photo"
ONE_SHEET = "pressure_advance_s by one sheet"
_SHARE = "share of the truth"
UNITS = dict.fromkeys(
    (
        "max_flow_mm3_s",
        BY_EYE,
        BY_WEIGHT,
        ALONG,
        "pressure_advance_s",
        ONE_SHEET,
        "purge_there_mm",
        "purge_back_mm",
        THERE_BY_PHOTO,
        BACK_BY_PHOTO,
        THERE_BY_BOTH,
        BACK_BY_BOTH,
    ),
    _SHARE,
)
"""Units of errors that are not the parameter's own."""
SEQUENCES = {
    "first_layer_z_mm": first_layer.correction,
    "nozzle_c": temperature.sequence,
    "flow_ratio": flow_surface.sequence,
    "flow_outer_share": flow_wall.sequence,
    "retraction_mm": retraction.sequence,
    "pressure_advance_s": pressure_advance.sequence,
    ONE_SHEET: pressure_advance.once,
    "max_flow_mm3_s": rising_wall.sequence,
    BY_EYE: rising_wall.by_eye,
    BY_WEIGHT: weighed_blobs.at_profile,
    ALONG: weighed_blobs.along,
    "fan_percent": cooling.sequence,
    "shrinkage_percent": dimensions.shrinkage,
    "offset_mm": dimensions.offset,
    "clearance_turn_mm": clearance.turns,
    "clearance_press_mm": clearance.presses,
    "extruder_steps_mm": extruder_steps.sequence,
    "purge_there_mm": changeover.there,
    "purge_back_mm": changeover.back,
    THERE_BY_PHOTO: changeover.there_by_photo,
    BACK_BY_PHOTO: changeover.back_by_photo,
    THERE_BY_BOTH: changeover.there_by_both,
    BACK_BY_BOTH: changeover.back_by_both,
    "joint_c": bond_of_two.sequence,
}
