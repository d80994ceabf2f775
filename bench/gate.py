"""One part, a gate of two posts and a lintel, as a list of steps that say what is done, in no spelling.

Faults change the steps; a style writes them as text. Nothing here uses Drumbo: the reader that is looked at must not
write what it reads.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

AREA_MM2 = math.pi * 1.75**2 / 4
LINE_MM, STEP_MM = 0.45, 0.2
LAYERS, LINTEL = 34, 24
POSTS = ((85.0, 90.0, 95.0, 110.0), (107.0, 90.0, 117.0, 110.0))
WHOLE = (85.0, 90.0, 117.0, 110.0)
NOZZLE_C, FIRST_C, BED_C = 210.0, 215.0, 60.0
RETRACT_MM = 0.8
ACCEL = 1500.0


@dataclass(frozen=True)
class Step:
    """One thing that is done. `kind` is line, travel, lift, retract, unretract, or a setting; lengths in mm, speeds in
    mm/s; `role` of a line; `planted` where a fault begins.
    """

    kind: str
    x: float = 0.0
    y: float = 0.0
    z: float = 0.0
    area: float = 0.0
    speed: float = 0.0
    value: float = 0.0
    role: str = ""
    layer: int = 0
    tool: int = 0
    text: str = ""
    planted: bool = False


Steps = list[Step]


@dataclass(frozen=True)
class Shape:
    """What is to be laid: heights of layers, and by layer boxes (x0, y0, x1, y1)."""

    tops: tuple[float, ...] = tuple(round(STEP_MM * (k + 1), 3) for k in range(LAYERS))
    infill: bool = True
    at: tuple[float, float] = (0.0, 0.0)

    def boxes(self, layer: int) -> tuple[tuple[float, float, float, float], ...]:
        """The boxes of a layer."""
        chosen = (WHOLE,) if layer >= LINTEL else POSTS
        dx, dy = self.at
        return tuple((a + dx, b + dy, c + dx, d + dy) for a, b, c, d in chosen)

    def thick(self, layer: int) -> float:
        """How high a layer is."""
        return self.tops[layer] - (self.tops[layer - 1] if layer else 0.0)


def area_mm2(thick: float, wide: float = LINE_MM) -> float:
    """Cross-section of a line so high and wide, mm², its sides half round."""
    return (wide - thick * (1 - math.pi / 4)) * thick


def layer_steps(shape: Shape, layer: int, tool: int = 0) -> Steps:
    """The lines and travels of a layer."""
    thick, z = shape.thick(layer), shape.tops[layer]
    slow = 20.0 if layer == 0 else 0.0
    steps = [Step("lift", z=z, speed=10, layer=layer)]
    for x0, y0, x1, y1 in shape.boxes(layer):
        for loop, (inset, role, speed) in enumerate(((LINE_MM / 2, "outer", 30.0), (LINE_MM * 1.5, "inner", 50.0))):
            a, b, c, d = x0 + inset, y0 + inset, x1 - inset, y1 - inset
            steps += hop(a, b, z, layer, retract=loop == 0)
            corners = ((c, b), (c, d), (a, d), (a, b))
            steps += [
                Step("line", x, y, z, area_mm2(thick), slow or speed, role=role, layer=layer, tool=tool)
                for x, y in corners
            ]
        if shape.infill:
            steps += _infill((x0, y0, x1, y1), thick, z, layer, slow, tool)
    return steps


def _infill(
    box: tuple[float, float, float, float], thick: float, z: float, layer: int, slow: float, tool: int
) -> Steps:
    """Lines along x: dense below and above and where they bridge, else every fourth."""
    x0, y0, x1, y1 = box
    inset = LINE_MM * 2.5
    dense = layer < 3 or layer >= LAYERS - 4 or layer in {LINTEL, LINTEL + 1}
    each = LINE_MM if dense else LINE_MM * 4
    steps: Steps = []
    y, right = y0 + inset, True
    while y <= y1 - inset + 1e-9:
        a, b = (x0 + inset, x1 - inset) if right else (x1 - inset, x0 + inset)
        if not steps:
            steps += hop(a, y, z, layer, retract=False)
        else:
            steps.append(Step("line", a, y, z, area_mm2(thick), slow or 60.0, role="infill", layer=layer, tool=tool))
        steps.append(Step("line", b, y, z, area_mm2(thick), slow or 60.0, role="infill", layer=layer, tool=tool))
        y, right = y + each, not right
    return steps


def hop(x: float, y: float, z: float, layer: int, *, retract: bool) -> Steps:
    """A travel, between a retraction and its end where that is wanted."""
    travel = Step("travel", x, y, z, speed=120, layer=layer)
    if not retract:
        return [travel]
    return [Step("retract", value=RETRACT_MM, layer=layer), travel, Step("unretract", value=RETRACT_MM, layer=layer)]


def opening() -> Steps:
    """Heats and waits, homes, sets limits and modes."""
    return [
        Step("units"), Step("modes"), Step("accel", value=ACCEL), Step("junction", value=8.0),
        Step("bed", value=BED_C), Step("nozzle", value=FIRST_C), Step("home"), Step("bed-wait", value=BED_C),
        Step("nozzle-wait", value=FIRST_C), Step("advance", value=0.04), Step("fan", value=0.0), Step("zero"),
    ]  # fmt: skip


def closing(z: float) -> Steps:
    """Everything off, and away from the part."""
    return [
        Step("retract", value=RETRACT_MM), Step("fan", value=0.0), Step("nozzle", value=0.0), Step("bed", value=0.0),
        Step("lift", z=z + 10, speed=10), Step("travel", 10, 190, z + 10, speed=100), Step("motors"),
    ]  # fmt: skip


def gate(shape: Shape | None = None) -> Steps:
    """The whole print, clean."""
    shape = shape or Shape()
    steps = opening()
    for layer in range(len(shape.tops)):
        steps.append(Step("layer", value=layer, layer=layer))
        if layer == 1:
            steps += [Step("nozzle", value=NOZZLE_C, layer=1), Step("fan", value=1.0, layer=1)]
        steps += layer_steps(shape, layer)
    return steps + closing(shape.tops[-1])
