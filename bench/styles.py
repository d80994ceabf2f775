"""One part, a gate of two posts and a lintel, as files in many styles; and faults that can be planted in them.

A print is a list of steps that say what is done, in no spelling; faults change the steps; a style writes them as text.
Nothing here uses Drumbo: the reader that is looked at must not write what it reads.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace

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


def _area(thick: float, wide: float = LINE_MM) -> float:
    return (wide - thick * (1 - math.pi / 4)) * thick


def layer_steps(shape: Shape, layer: int, tool: int = 0) -> Steps:
    """The lines and travels of a layer."""
    thick, z = shape.thick(layer), shape.tops[layer]
    slow = 20.0 if layer == 0 else 0.0
    steps = [Step("lift", z=z, speed=10, layer=layer)]
    for x0, y0, x1, y1 in shape.boxes(layer):
        for loop, (inset, role, speed) in enumerate(((LINE_MM / 2, "outer", 30.0), (LINE_MM * 1.5, "inner", 50.0))):
            a, b, c, d = x0 + inset, y0 + inset, x1 - inset, y1 - inset
            steps += _hop(a, b, z, layer, retract=loop == 0)
            corners = ((c, b), (c, d), (a, d), (a, b))
            steps += [
                Step("line", x, y, z, _area(thick), slow or speed, role=role, layer=layer, tool=tool)
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
            steps += _hop(a, y, z, layer, retract=False)
        else:
            steps.append(Step("line", a, y, z, _area(thick), slow or 60.0, role="infill", layer=layer, tool=tool))
        steps.append(Step("line", b, y, z, _area(thick), slow or 60.0, role="infill", layer=layer, tool=tool))
        y, right = y + each, not right
    return steps


def _hop(x: float, y: float, z: float, layer: int, *, retract: bool) -> Steps:
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


# Styles: what is laid may differ a little (a raft, a spiral), and how it is written.


@dataclass
class Writer:
    """Writes steps as text. Fields are habits of whoever writes."""

    relative_e: bool = True
    resets: bool = True
    relative: bool = False
    inches: bool = False
    firmware: str = "m900"
    by_firmware: bool = False
    hop_mm: float = 0.0
    hops_relative: bool = False
    wipe: bool = False
    volume: bool = False
    digits: int = 5
    coast_mm: float = 0.0
    lines: list[str] = field(default_factory=list)
    planted: list[int] = field(default_factory=list)
    at: list[float] = field(default_factory=lambda: [0.0, 0.0, 0.0])
    e: float = 0.0
    feed: float = -1.0
    before: list[tuple[float, float]] = field(default_factory=list)

    def write(self, steps: Steps) -> str:
        """The text of a print, and the lines in which faults are, in `planted`."""
        for k, step in enumerate(steps):
            if step.planted:
                self.planted.append(len(self.lines) + 1)
            following = steps[k + 1] if k + 1 < len(steps) else None
            told = getattr(self, "do_" + step.kind.replace("-", "_"))(step, following)
            self.lines += [told] if isinstance(told, str) else list(told or ())
        return "\n".join(self.lines) + "\n"

    def number(self, mm: float) -> str:
        return f"{mm / 25.4:.7f}" if self.inches else f"{mm:.{self.digits}f}".rstrip("0").rstrip(".") or "0"

    def _axes(self, step: Step, names: str) -> str:
        told = ""
        for axis, name in enumerate("XYZ"):
            value = (step.x, step.y, step.z)[axis]
            if name not in names or abs(value - self.at[axis]) < 1e-9:
                continue
            told += f" {name}{self.number(value - self.at[axis] if self.relative else value)}"
            self.at[axis] = value
        return told

    def _feed(self, mm_s: float) -> str:
        if mm_s == self.feed or mm_s <= 0:
            return ""
        self.feed = mm_s
        return f" F{mm_s * 60 / 25.4:.4f}" if self.inches else f" F{mm_s * 60:g}"

    def _e(self, mm: float) -> str:
        self.e += mm
        told = mm if self.relative_e else self.e
        return f" E{self.number(told * (AREA_MM2 if self.volume else 1))}"

    def do_line(self, step: Step, following: Step | None) -> str | list[str]:
        way = math.hypot(step.x - self.at[0], step.y - self.at[1])
        self.before = [(self.at[0], self.at[1]), (step.x, step.y)]
        fed = way * step.area / AREA_MM2
        if self.coast_mm and following is not None and following.kind in {"retract", "travel"} and way > 2:
            x = step.x - (step.x - self.at[0]) / way * self.coast_mm
            y = step.y - (step.y - self.at[1]) / way * self.coast_mm
            part = "G1" + self._axes(replace(step, x=x, y=y), "XY") + self._e(fed * (1 - self.coast_mm / way))
            return [part + self._feed(step.speed), "G1" + self._axes(step, "XY")]
        return "G1" + self._axes(step, "XYZ") + self._e(fed) + self._feed(step.speed)

    def do_travel(self, step: Step, _f: Step | None) -> str | None:
        axes = self._axes(step, "XYZ")
        return "G0" + axes + self._feed(step.speed) if axes else None

    def do_lift(self, step: Step, _f: Step | None) -> str | None:
        axes = self._axes(step, "Z")
        return "G1" + axes + self._feed(step.speed) if axes else None

    def do_retract(self, step: Step, _f: Step | None) -> list[str]:
        hop = []
        if self.by_firmware:
            told = ["G10"]
        elif self.wipe and len(self.before) == 2:
            (x0, y0), (x1, y1) = self.before
            way = math.hypot(x1 - x0, y1 - y0) or 1.0
            back = Step("line", x1 + (x0 - x1) / way * 1.5, y1 + (y0 - y1) / way * 1.5, self.at[2])
            told = ["G1" + self._axes(back, "XY") + self._e(-step.value) + self._feed(35)]
        else:
            told = ["G1" + self._e(-step.value) + self._feed(35)]
        if self.hop_mm and step.layer:
            hop = self._hop(self.hop_mm)
        return told + hop

    def _hop(self, up: float) -> list[str]:
        if not self.hops_relative:
            return ["G1" + self._axes(Step("lift", z=self.at[2] + up), "Z") + self._feed(10)]
        self.at[2] += up
        told = ["G91", f"G1 Z{self.number(up)}" + self._feed(10), "G90"]
        # Where G90 says how E is understood too, it is said again.
        return [*told, "M83"] if self.firmware == "m900" and self.relative_e else told

    def do_unretract(self, step: Step, _f: Step | None) -> list[str]:
        down = []
        if self.hop_mm and step.layer:
            down = self._hop(-self.hop_mm)
        return [*down, "G11" if self.by_firmware else "G1" + self._e(step.value) + self._feed(35)]

    def do_layer(self, step: Step, _f: Step | None) -> list[str]:
        told = [f"; next: {step.value:g}"]
        if self.resets and not self.relative_e:
            self.e = 0.0
            told.append("G92 E0")
        return told

    def do_forgotten_zero(self, _s: Step, _f: Step | None) -> str:
        """Values begin again at 0, and nothing says so."""
        self.e = 0.0
        return "; next"

    def do_zero(self, _s: Step, _f: Step | None) -> str:
        self.e = 0.0
        return "G92 E0"

    def do_units(self, _s: Step, _f: Step | None) -> str:
        return "G20" if self.inches else "G21"

    def do_modes(self, _s: Step, _f: Step | None) -> list[str]:
        told = ["G91" if self.relative else "G90", "M83" if self.relative_e else "M82"]
        if self.volume:
            told.append("M200 D1.75")
        if self.by_firmware:
            told += [f"M207 S{RETRACT_MM} F2100", "M208 F2100"]
        return told

    def do_home(self, _s: Step, _f: Step | None) -> str:
        self.at = [0.0, 0.0, 0.0]
        return "G28"

    def do_accel(self, step: Step, _f: Step | None) -> str | list[str]:
        if self.firmware == "key-value":
            return f"SET_VELOCITY_LIMIT ACCEL={step.value:g}"
        if self.firmware == "m572":
            return [
                f"M201 X{step.value:g} Y{step.value:g}",
                f"M204 P{step.value:g} T{step.value:g}",
                "M203 X12000 Y12000",
            ]
        return f"M204 S{step.value:g}"

    def do_junction(self, step: Step, _f: Step | None) -> str:
        if self.firmware == "key-value":
            return f"SET_VELOCITY_LIMIT SQUARE_CORNER_VELOCITY={step.value / math.sqrt(2):.4f}"
        return f"M566 X{step.value * 60:g} Y{step.value * 60:g}" if self.firmware == "m572" else f"M205 X{step.value:g}"

    def do_advance(self, step: Step, _f: Step | None) -> str:
        return {
            "key-value": f"SET_PRESSURE_ADVANCE ADVANCE={step.value:g}", "m572": f"M572 D0 S{step.value:g}",
        }.get(self.firmware, f"M900 K{step.value:g}")  # fmt: skip

    def do_fan(self, step: Step, _f: Step | None) -> str:
        if self.firmware == "m572":
            return f"M106 S{step.value:g}"
        return f"M106 S{step.value * 255:.0f}" if step.value else "M107"

    def do_nozzle(self, step: Step, _f: Step | None) -> str | list[str]:
        if self.firmware == "m572":
            return f"G10 P{step.tool} S{step.value:g} R0"
        if self.firmware == "key-value":
            return f"SET_HEATER_TEMPERATURE HEATER=extruder TARGET={step.value:g}"
        return f"M104 S{step.value:g}" + (f" T{step.tool}" if step.tool else "")

    def do_nozzle_wait(self, step: Step, _f: Step | None) -> str | list[str]:
        if self.firmware == "m572":
            return [f"G10 P0 S{step.value:g} R0", "M116"]
        if self.firmware == "key-value":
            return [f"SET_HEATER_TEMPERATURE HEATER=extruder TARGET={step.value:g}",
                    f"TEMPERATURE_WAIT SENSOR=extruder MINIMUM={step.value - 2:g}"]  # fmt: skip
        return f"M109 S{step.value:g}"

    def do_bed(self, step: Step, _f: Step | None) -> str:
        return f"M140 S{step.value:g}"

    def do_bed_wait(self, step: Step, _f: Step | None) -> str:
        return f"M190 S{step.value:g}"

    def do_motors(self, _s: Step, _f: Step | None) -> str:
        return "M84"

    def do_raw(self, step: Step, _f: Step | None) -> list[str]:
        return step.text.split("\n")

    def do_feed_only(self, step: Step, _f: Step | None) -> str:
        return "G1" + self._e(step.value) + self._feed(20)


Respell = Callable[[str], str]


def _as_it_is(text: str) -> str:
    return text


@dataclass(frozen=True)
class Style:
    """How a file is written: habits of its writer, what is done to its text, and what is laid otherwise. `alike` where
    the print is the same to the printer as the plain one's, so that its sums must be too.
    """

    habits: dict[str, object] = field(default_factory=dict)
    respell: Respell = _as_it_is
    steps: Callable[[], Steps] = gate
    alike: bool = True
    macro: bool = False
    one_by_one: bool = False


@dataclass(frozen=True)
class Written:
    """A file, and the lines in which faults were planted."""

    text: bytes
    planted: tuple[int, ...]


def write(style: Style, change: Callable[[Steps], Steps] | None = None) -> Written:
    """The file of a style, with a change to its steps if there is one."""
    steps = style.steps()
    writer = Writer(**style.habits)  # type: ignore[arg-type]
    text = writer.write(change(steps) if change else steps)
    marks = [f"(mark {n})" for n in range(len(writer.planted))]
    lines = text.split("\n")
    for mark, line in zip(marks, writer.planted, strict=True):
        # A comment tells where it went, however the lines are joined and respelt.
        lines[line - 1] = f"{lines[line - 1]} {mark}"
    spelt = style.respell("\n".join(lines))
    split = re.split(r"\r\n|\r|\n", spelt)
    planted = tuple(next((n for n, line in enumerate(split, 1) if mark in line.lower()), 0) for mark in marks)
    return Written(spelt.encode(), planted)


def _numbered(text: str) -> str:
    told = []
    for number, line in enumerate(text.splitlines(), 1):
        code = f"N{number} {line.split(';')[0].rstrip()}"
        total = 0
        for byte in code.encode():
            total ^= byte
        told.append(f"{code}*{total}")
    return "\n".join(told) + "\n"


def _joined(text: str) -> str:
    """Settings that follow each other on one line."""
    out: list[str] = []
    for line in text.splitlines():
        short = re.fullmatch(r"(G2[01]|G9[01]|M8[23]|M10[467].*|M140 S\d+)", line)
        if short and out and re.match(r"(G2[01]|G9[01]|M8[23]|M10[467]|M140)", out[-1]) and len(out[-1]) < 50:
            out[-1] += " " + line
        else:
            out.append(line)
    return "\n".join(out) + "\n"


def _quoted(text: str) -> str:
    noise = ("; it's \"quoted", '; "M104 S300"', '(a "note)', "; {not a name}", 'M117 "half done; G1 X9', "; don't")
    return "\n".join(
        line if not line or line.startswith(";") else f"{line} {noise[n % 6]}" if noise[n % 6][0] in ";(" else
        f"{line}\n{noise[n % 6]}"
        for n, line in enumerate(text.splitlines())
    ) + "\n"  # fmt: skip


def _macro(text: str) -> str:
    """What heats and homes is the printer's own."""
    lines = text.splitlines()
    own = ("M104", "M109", "M140", "M190", "G28")
    first = next(n for n, line in enumerate(lines) if line.startswith("; next"))
    start = [line for line in lines[:first] if not line.startswith(own)]
    last = (
        len(lines) - 1 - next(n for n, line in enumerate(reversed(lines)) if " E" in line and line.startswith("G1 X"))
    )
    end = [line for line in lines[last + 1 :] if "mark" in line]
    begin = f"START_PRINT BED={BED_C:g} NOZZLE={FIRST_C:g} MATERIAL=PLA"
    return "\n".join([begin, *start, *lines[first : last + 1], *end, "END_PRINT"]) + "\n"


def _spiral() -> Steps:
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
    steps += _hop(*corners[3], z, 3, retract=True)
    sides = [math.dist(corners[k - 1], corners[k]) for k in range(4)]
    for turn in range(25):
        for (x, y), side in zip(corners, sides, strict=True):
            z += STEP_MM * side / sum(sides)
            steps.append(Step("line", x, y, round(z, 6), _area(STEP_MM), 30, role="outer", layer=3 + turn))
    return steps + closing(z)


def _one_by_one() -> Steps:
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


def _two_tools() -> Steps:
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


def _adaptive() -> Steps:
    tops, z = [], 0.0
    for layer in range(LAYERS):
        z += 0.2 if layer == 0 else 0.2 + 0.08 * math.sin(layer / 4)
        tops.append(round(z, 3))
    return gate(Shape(tuple(tops)))


def _raft() -> Steps:
    """Two wide layers beneath, and a gap so that it comes off."""
    steps = opening()
    for layer, (z, wide) in enumerate(((0.3, 1.0), (0.55, 0.6))):
        steps += [Step("layer", value=layer, layer=layer), Step("lift", z=z, speed=10)]
        y, right = 84.0, True
        steps += _hop(79.0, 84.0, z, layer, retract=True)
        while y <= 116:
            for x in (79.0, 123.0) if right else (123.0, 79.0):
                thick = 0.3 if layer == 0 else 0.25
                steps.append(Step("line", x, y, z, _area(thick, wide), 20, role="infill", layer=layer))
            y, right = y + (1.6 if layer == 0 else 0.6), not right
    steps += [Step("nozzle", value=NOZZLE_C, layer=1), Step("fan", value=1.0, layer=2)]
    shape = Shape(tuple(round(0.95 + STEP_MM * k, 3) for k in range(LAYERS)))
    for layer in range(LAYERS):
        steps.append(Step("layer", value=layer + 2, layer=layer + 2))
        for step in layer_steps(shape, layer):
            low = {"area": _area(STEP_MM), "speed": 20.0} if step.kind == "line" and layer == 0 else {}
            steps.append(replace(step, layer=layer + 2, **low))  # type: ignore[arg-type]
    return steps + closing(shape.tops[-1])


def _supported() -> Steps:
    """A support stands between the posts and ends a layer below the lintel."""
    steps: Steps = []
    for step in gate():
        steps.append(step)
        if step.kind == "lift" and 0 <= step.layer < LINTEL - 1 and step.z < 10:
            z, y = step.z, 91.0
            steps += _hop(96.5, y, z, step.layer, retract=True)
            while y < 109:
                for x in (105.5, 96.5):
                    steps.append(Step("line", x, y, z, _area(STEP_MM) * 0.9, 40, role="infill", layer=step.layer))
                    y += 1.2
    return steps


def _ironed() -> Steps:
    """The top is gone over once more, closely and with little filament."""
    steps = gate()
    last = max(k for k, step in enumerate(steps) if step.kind == "line")
    z, y, more = steps[last].z, 90.6, list[Step]()
    more += _hop(85.6, y, z, LAYERS - 1, retract=True)
    while y < 109.4:
        for x in (116.4, 85.6):
            more.append(Step("line", x, y, z, _area(STEP_MM) * 0.05, 20, role="infill", layer=LAYERS - 1))
            y += 0.15
    return [*steps[: last + 1], *more, *steps[last + 1 :]]


def _with_arcs(text: str) -> str:
    """Every tenth straight line of the file becomes a very flat turn between the same points."""
    x = y = 0.0
    out, count = [], 0
    for line in text.splitlines():
        found = re.match(r"G[01](?: X([\d.]+))?(?: Y([\d.]+))?", line)
        nx, ny = (float(found[1] or x), float(found[2] or y)) if found else (x, y)
        way = math.hypot(nx - x, ny - y)
        turns = bool(found) and line.startswith("G1") and " E" in line and way > 4 and " Z" not in line
        count += turns
        turned = f"G2 X{nx:g} Y{ny:g} R{way * 40:.3f}"
        out.append(turned + line[line.index(" E") :] if turns and count % 10 == 0 else line)
        x, y = nx, ny
    return "\n".join(out) + "\n"


STYLES: dict[str, Style] = {
    "relative extrusion": Style(),
    "absolute extrusion": Style({"relative_e": False}),
    "absolute without resets": Style({"relative_e": False, "resets": False}),
    "relative positions": Style({"relative": True, "digits": 6}),
    "inches": Style({"inches": True}),
    "small letters": Style(respell=str.lower),
    "no spaces": Style(respell=lambda t: re.sub(r"(?m)(?<=[\d]) (?=[A-Z])", "", t)),
    "lines end CR LF": Style(respell=lambda t: "\ufeff" + t.replace("\n", "\r\n")),
    "lines end CR": Style(respell=lambda t: t.replace("\n", "\r")),
    "numbered": Style(respell=_numbered),
    "comments and quotes": Style(respell=_quoted),
    "leading zeros": Style(respell=lambda t: re.sub(r"(?m)^G([013]) ", r"G0\1 ", t)),
    "several on a line": Style(respell=_joined),
    "firmware retraction": Style({"by_firmware": True}),
    "wiping": Style({"wipe": True}, alike=False),
    "lifting": Style({"hop_mm": 0.3}, alike=False),
    "lifting by relative moves": Style({"hop_mm": 0.3, "hops_relative": True}, alike=False),
    "the same where E stands apart": Style(
        {"hop_mm": 0.3, "hops_relative": True, "firmware": "key-value"}, alike=False
    ),
    "coasting": Style({"coast_mm": 0.2}, alike=False),
    "turns": Style(respell=_with_arcs, alike=False),
    "words of M572": Style({"firmware": "m572"}),
    "words with key and value": Style({"firmware": "key-value"}),
    "begun by a macro": Style({"firmware": "key-value"}, respell=_macro, alike=False, macro=True),
    "volumes": Style({"volume": True}),
    "volumes, absolute": Style({"volume": True, "relative_e": False}),
    "two tools": Style(steps=_two_tools, alike=False),
    "a spiral": Style(steps=_spiral, alike=False),
    "one by one": Style(steps=_one_by_one, alike=False, one_by_one=True),
    "adaptive layers": Style(steps=_adaptive, alike=False),
    "a raft": Style(steps=_raft, alike=False),
    "a support": Style(steps=_supported, alike=False),
    "ironed": Style(steps=_ironed, alike=False),
}
"""By name."""


def lines_of(steps: Steps) -> Iterator[tuple[int, Step]]:
    """The lines among steps, with their places."""
    return ((k, step) for k, step in enumerate(steps) if step.kind == "line")
