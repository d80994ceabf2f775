"""The gate, printed in other ways: as a spiral, twice, by two tools, on a raft, with a support."""

from __future__ import annotations

import math
from dataclasses import replace

from bench.gate import (
    LAYERS,
    LINE_MM,
    LINTEL,
    NOZZLE_C,
    POSTS,
    RETRACT_MM,
    STEP_MM,
    Shape,
    Step,
    Steps,
    area_mm2,
    closing,
    gate,
    hop,
    layer_steps,
    opening,
)


def spiral() -> Steps:
    """A wall that rises all the time, on a solid floor."""
    shape = Shape()
    steps = opening()
    for layer in range(3):
        steps += [Step("layer", value=layer, layer=layer)]
        if layer == 1:
            steps += [Step("nozzle", value=NOZZLE_C, layer=1), Step("fan", value=1.0, layer=1)]
        steps += layer_steps(shape, layer)
    x0, y0, x1, y1 = POSTS[0]
    steps = [s for s in steps if not (s.kind in {"line", "travel"} and s.x > 100)]
    inset, z = LINE_MM / 2, shape.tops[2]
    corners = [(x1 - inset, y0 + inset), (x1 - inset, y1 - inset), (x0 + inset, y1 - inset), (x0 + inset, y0 + inset)]
    steps += hop(*corners[3], z, 3, retract=True)
    sides = [math.dist(corners[k - 1], corners[k]) for k in range(4)]
    for turn in range(25):
        for (x, y), side in zip(corners, sides, strict=True):
            z += STEP_MM * side / sum(sides)
            steps.append(Step("line", x, y, round(z, 6), area_mm2(STEP_MM), 30, role="outer", layer=3 + turn))
    return steps + closing(z)


def one_by_one() -> Steps:
    """Two gates, the second after the first, far apart."""
    steps = opening()
    for number, at in enumerate(((-45.0, 0.0), (45.0, 40.0))):
        shape = Shape(at=at)
        if number:
            steps += [Step("lift", z=shape.tops[-1] + 5, speed=10), Step("fan", value=0.0),
                      Step("travel", 85 + at[0], 90 + at[1], shape.tops[-1] + 5, speed=120)]  # fmt: skip
        for layer in range(LAYERS):
            steps.append(Step("layer", value=layer, layer=layer))
            if layer == 1:
                steps += [Step("nozzle", value=NOZZLE_C, layer=1), Step("fan", value=1.0, layer=1)]
            steps += layer_steps(shape, layer)
    return steps + closing(Shape().tops[-1])


def two_tools() -> Steps:
    """The lintel is printed by a second tool, which rests at a lower temperature before."""
    steps: Steps = []
    for step in gate():
        if step.kind == "nozzle-wait":
            steps.append(Step("raw", text="M104 S160 T1"))
        if step.kind == "layer" and step.value == LINTEL:
            change = f"M109 S{NOZZLE_C + 5:g} T1\nT1\nM104 S160 T0"
            steps += [Step("retract", value=RETRACT_MM), Step("raw", text=change), Step("unretract", value=RETRACT_MM)]
        if step.kind == "line" and step.layer >= LINTEL:
            steps.append(replace(step, speed=step.speed * 0.8))
        elif step.kind == "nozzle" and step.value == 0:
            steps.append(replace(step, kind="raw", text="M104 S0 T1\nM104 S0 T0"))
        else:
            steps.append(step)
    return steps


def adaptive() -> Steps:
    """Layers of heights that come and go."""
    tops, z = [], 0.0
    for layer in range(LAYERS):
        z += 0.2 if layer == 0 else 0.2 + 0.08 * math.sin(layer / 4)
        tops.append(round(z, 3))
    return gate(Shape(tuple(tops)))


def raft() -> Steps:
    """Two wide layers beneath, and a gap so that it comes off."""
    steps = opening()
    for layer, (z, wide) in enumerate(((0.3, 1.0), (0.55, 0.6))):
        steps += [Step("layer", value=layer, layer=layer), Step("lift", z=z, speed=10)]
        y, right = 84.0, True
        steps += hop(79.0, 84.0, z, layer, retract=True)
        while y <= 116:
            for x in (79.0, 123.0) if right else (123.0, 79.0):
                thick = 0.3 if layer == 0 else 0.25
                steps.append(Step("line", x, y, z, area_mm2(thick, wide), 20, role="infill", layer=layer))
            y, right = y + (1.6 if layer == 0 else 0.6), not right
    steps += [Step("nozzle", value=NOZZLE_C, layer=1), Step("fan", value=1.0, layer=2)]
    shape = Shape(tuple(round(0.95 + STEP_MM * k, 3) for k in range(LAYERS)))
    for layer in range(LAYERS):
        steps.append(Step("layer", value=layer + 2, layer=layer + 2))
        for step in layer_steps(shape, layer):
            low = {"area": area_mm2(STEP_MM), "speed": 20.0} if step.kind == "line" and layer == 0 else {}
            steps.append(replace(step, layer=layer + 2, **low))  # type: ignore[arg-type]
    return steps + closing(shape.tops[-1])


def supported() -> Steps:
    """A support stands between the posts and ends a layer below the lintel."""
    steps: Steps = []
    for step in gate():
        steps.append(step)
        if step.kind == "lift" and 0 <= step.layer < LINTEL - 1 and step.z < 10:
            z, y = step.z, 91.0
            steps += hop(96.5, y, z, step.layer, retract=True)
            while y < 109:
                for x in (105.5, 96.5):
                    steps.append(Step("line", x, y, z, area_mm2(STEP_MM) * 0.9, 40, role="infill", layer=step.layer))
                    y += 1.2
    return steps


def ironed() -> Steps:
    """The top is gone over once more, closely and with little filament."""
    steps = gate()
    last = max(k for k, step in enumerate(steps) if step.kind == "line")
    z, y, more = steps[last].z, 90.6, list[Step]()
    more += hop(85.6, y, z, LAYERS - 1, retract=True)
    while y < 109.4:
        for x in (116.4, 85.6):
            more.append(Step("line", x, y, z, area_mm2(STEP_MM) * 0.05, 20, role="infill", layer=LAYERS - 1))
            y += 0.15
    return [*steps[: last + 1], *more, *steps[last + 1 :]]
