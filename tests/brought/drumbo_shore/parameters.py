"""What the kind sets: no profile of Drumbo's own knows it."""

from drumbo.core.catalogue.parameter import Parameter

PARAMETERS = (
    Parameter(
        "bridge_speed_mm_s", "Bridge speed", "mm/s", "cooling", 10, 80, start=30.0, setting="speeds.BRIDGE",
        rests_on=("nozzle_c", "fan_bridge_percent"), too_low="Bridges take long.", too_high="Bridges tear off.",
        help="How fast a road is laid through the air.", lost_with=("family",), also_called=("bridging speed",),
    ),
)  # fmt: skip
