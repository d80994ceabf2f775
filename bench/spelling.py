"""Steps as text: what writers of files do as a habit, and what is done to their text afterwards."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass, field, replace

from bench.gate import AREA_MM2, BED_C, FIRST_C, RETRACT_MM, Step, Steps

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


def numbered(text: str) -> str:
    told = []
    for number, line in enumerate(text.splitlines(), 1):
        code = f"N{number} {line.split(';')[0].rstrip()}"
        total = 0
        for byte in code.encode():
            total ^= byte
        told.append(f"{code}*{total}")
    return "\n".join(told) + "\n"


def joined(text: str) -> str:
    """Settings that follow each other on one line."""
    out: list[str] = []
    for line in text.splitlines():
        short = re.fullmatch(r"(G2[01]|G9[01]|M8[23]|M10[467].*|M140 S\d+)", line)
        if short and out and re.match(r"(G2[01]|G9[01]|M8[23]|M10[467]|M140)", out[-1]) and len(out[-1]) < 50:
            out[-1] += " " + line
        else:
            out.append(line)
    return "\n".join(out) + "\n"


def quoted(text: str) -> str:
    noise = ("; it's \"quoted", '; "M104 S300"', '(a "note)', "; {not a name}", 'M117 "half done; G1 X9', "; don't")
    return "\n".join(
        line if not line or line.startswith(";") else f"{line} {noise[n % 6]}" if noise[n % 6][0] in ";(" else
        f"{line}\n{noise[n % 6]}"
        for n, line in enumerate(text.splitlines())
    ) + "\n"  # fmt: skip


def by_macro(text: str) -> str:
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


def with_arcs(text: str) -> str:
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
