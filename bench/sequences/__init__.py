"""One module a parameter: the whole sequence of one hidden spool, and what the plain habit makes of the same prints."""

from bench.sequences import extruder_steps, flow_surface, flow_wall, temperature

SEQUENCES = {
    "nozzle_c": temperature.sequence,
    "flow_ratio": flow_surface.sequence,
    "flow_outer_share": flow_wall.sequence,
    "extruder_steps_mm": extruder_steps.sequence,
}
