"""One module a parameter: the whole sequence of one hidden spool, and what the plain habit makes of the same prints."""

from bench.sequences import extruder_steps, flow_surface, flow_wall, pressure_advance, retraction, temperature

UNITS = {"pressure_advance_s": "share of the truth"}
"""Units of errors that are not the parameter's own."""
SEQUENCES = {
    "nozzle_c": temperature.sequence,
    "flow_ratio": flow_surface.sequence,
    "flow_outer_share": flow_wall.sequence,
    "retraction_mm": retraction.sequence,
    "pressure_advance_s": pressure_advance.sequence,
    "extruder_steps_mm": extruder_steps.sequence,
}
