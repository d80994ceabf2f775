"""The four temperatures of a start as a line: where everything is, in pixels."""

from __future__ import annotations

from dataclasses import dataclass

from drumbo.core.heats import Heats

WIDE = 440.0
LEFT, RIGHT, TOP, FLOOR = 8.0, 8.0, 26.0, 108.0
RAMP = 12.0
"""How much of a phase the way from one temperature to the next takes; heating up from cold takes half of the first."""
BED_MOST_C, BED_PX = 130.0, 22.0
LEAST_SPAN_C, BED_ROOM_PX = 40.0, 30.0
"""What the nozzle's line spans at least, and how much is left beneath it for the bed's."""


@dataclass(frozen=True, slots=True)
class HeatPicture:
    """Paths of nozzle and bed; `labels` are (x, nozzle's y, nozzle, bed's y, bed, name, who)."""

    nozzle: str
    bed: str
    labels: tuple[tuple[float, float, str, float, str, str, str], ...]
    cuts: tuple[float, ...]
    odd: tuple[str, ...]
    says: str


def heat_picture(found: Heats) -> HeatPicture:
    """The line over a print's first minutes, not to scale in time."""
    each = (WIDE - LEFT - RIGHT) / len(found.phases)
    heats = [phase.nozzle_c for phase in found.phases]
    high = max(heats)
    span = max(high - min(heats), LEAST_SPAN_C)

    def nozzle_y(c: float) -> float:
        return round(TOP + (FLOOR - BED_ROOM_PX - TOP) * (high - c) / span, 1)

    def bed_y(c: float) -> float:
        return round(FLOOR - BED_PX * c / BED_MOST_C, 1)

    def path(levels: list[float]) -> str:
        points = [f"M{LEFT} {FLOOR}L{LEFT + each / 2:.1f} {levels[0]}"]
        for place, level in enumerate(levels):
            x0, x1 = LEFT + place * each + (RAMP if place else each / 2), LEFT + (place + 1) * each
            points.append(f"L{x0:.1f} {level}L{x1:.1f} {level}")
        return "".join(points)

    labels = tuple(
        (round(LEFT + (place + 0.62) * each, 1), nozzle_y(phase.nozzle_c) - 5, f"{phase.nozzle_c:g}",
         bed_y(phase.bed_c) - 4, f"{phase.bed_c:g}", phase.name, phase.who)
        for place, phase in enumerate(found.phases)
    )  # fmt: skip
    told = ", ".join(f"{phase.name} {phase.nozzle_c:g} °C, bed {phase.bed_c:g}" for phase in found.phases)
    return HeatPicture(
        nozzle=path([nozzle_y(c) for c in heats]),
        bed=path([bed_y(phase.bed_c) for phase in found.phases]),
        labels=labels,
        cuts=tuple(round(LEFT + place * each, 1) for place in range(1, len(found.phases))),
        odd=found.odd,
        says=f"Heats of a start: {told}",
    )
