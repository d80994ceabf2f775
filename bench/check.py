"""File check on a part in many styles: does a clean file get a remark, and is every fault that is planted found, where?

    bench/check.py [--json] [--only FAULT] [--show]

Figures: styles, false alarms on clean files, faults planted (each in every style that it fits), found, and found at the
right line.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

import click

from bench.gate import NOZZLE_C, RETRACT_MM, STEP_MM, Step, Steps
from bench.spelling import Writer
from bench.styles import STYLES, Style, write
from drumbo.core.gcode.inspect import inspect
from drumbo.core.gcode.reader import read
from drumbo.core.printer import Printer
from drumbo.core.remark import NOTE, Remark

PRINTER = Printer("Petrel One", height_mm=200.0, clearance_radius_mm=35.0, clearance_height_mm=30.0)
NEAR = 3
"""A finding so many lines away stands where the fault is."""
Change = Callable[[Steps], Steps]


def _all(_style: Style) -> bool:
    return True


def _tellable(style: Style) -> bool:
    """A macro hides how it begins and ends."""
    return not style.macro


@dataclass(frozen=True)
class Fault:
    """What is changed, the rules that may find it, and which styles it can be planted in."""

    change: Change
    rules: tuple[str, ...]
    fits: Callable[[Style], bool] = _all


def _place(steps: Steps, layer: int, kind: str = "line", nth: int = 0, role: str = "") -> int:
    found = [
        k
        for k, step in enumerate(steps)
        if step.layer == layer and step.kind == kind and (not role or step.role == role)
    ]
    return found[nth]


def _put(steps: Steps, at: int, *more: Step) -> Steps:
    """More steps before one, the first of them planted."""
    return [*steps[:at], replace(more[0], planted=True), *more[1:], *steps[at:]]


def _mark(steps: Steps, at: int) -> Steps:
    return [*steps[:at], replace(steps[at], planted=True), *steps[at + 1 :]]


def _mapped(change: Callable[[Step], Step], which: Callable[[Step], bool]) -> Change:
    """Steps of a kind are changed; the first of them is planted."""

    def apply(steps: Steps) -> Steps:
        out = [change(step) if which(step) else step for step in steps]
        return _mark(out, next(k for k, step in enumerate(steps) if which(step)))

    return apply


def _without(which: Callable[[Step], bool], mark: Callable[[Steps], int]) -> Change:
    """Steps are left out; planted is what `mark` says of what is left."""

    def apply(steps: Steps) -> Steps:
        out = [step for step in steps if not which(step)]
        return _mark(out, mark(out))

    return apply


def _first_line(steps: Steps) -> int:
    return next(k for k, step in enumerate(steps) if step.kind == "line")


def _last(kind: str) -> Callable[[Steps], int]:
    return lambda steps: max(k for k, step in enumerate(steps) if step.kind == kind)


def _raw(layer: int, text: str, role: str = "") -> Change:
    """A line of G-code before a line of a layer; of any role where it has none of that."""

    def apply(steps: Steps) -> Steps:
        role_there = role if any(s.layer == layer and s.role == role for s in steps) else ""
        return _put(steps, _place(steps, layer, role=role_there), Step("raw", text=text, layer=layer))

    return apply


def _lines_in(layer: int, factor: float) -> Change:
    return _mapped(lambda s: replace(s, area=s.area * factor), lambda s: s.kind == "line" and s.layer == layer)


def _role_times(role: str, factor: float) -> Change:
    return _mapped(lambda s: replace(s, area=s.area * factor), lambda s: s.kind == "line" and s.role == role)


def _missing_layer(steps: Steps) -> Steps:
    out = [s for s in steps if not (s.layer == 12 and s.kind in {"lift", "line", "travel", "retract", "unretract"})]
    return _mark(out, _place(out, 13))


def _shifted_first(by: float) -> Change:
    """The first layer at another height; its filament stays."""

    def apply(steps: Steps) -> Steps:
        out = [
            replace(s, z=s.z + by)
            if s.kind in {"lift", "line", "travel"} and s.z > 0 and (by > 0 or s.layer == 0)
            else s
            for s in steps
        ]
        return _mark(out, _first_line(out))

    return apply


def _island(steps: Steps) -> Steps:
    """A third post that begins in the air beside the others."""
    x0, y0 = 125.0, 95.0
    out: Steps = []
    for step in steps:
        if step.kind == "layer" and 10 <= step.value < 20:
            layer, z = int(step.value) - 1, STEP_MM * step.value
            corners = ((x0 + 6, y0), (x0 + 6, y0 + 6), (x0, y0 + 6), (x0, y0))
            area = next(s.area for s in steps if s.kind == "line" and s.layer == 5)
            out += [Step("retract", value=RETRACT_MM, layer=layer), Step("travel", x0, y0, z, speed=120, layer=layer),
                    Step("unretract", value=RETRACT_MM, layer=layer)]  # fmt: skip
            out += [Step("line", x, y, z, area, 30, role="outer", layer=layer, planted=step.value == 10 and k == 0)
                    for k, (x, y) in enumerate(corners)]  # fmt: skip
        out.append(step)
    return out


def _too_low(steps: Steps) -> Steps:
    """In one layer the nozzle goes back down through what is there."""
    at = _place(steps, 20, "travel", 1)
    step = steps[at]
    low = [Step("lift", z=2.0, speed=10, layer=20), replace(step, z=2.0), Step("lift", z=step.z, speed=10, layer=20)]
    out = _put(steps, at, *low)
    out[at] = replace(out[at], planted=False)
    out[at + 1] = replace(out[at + 1], planted=True)
    return out


def _prints_low(steps: Steps) -> Steps:
    """A layer is laid once more at a height that was passed long ago."""
    at = _place(steps, 22, "lift")
    out = list(steps)
    for k in range(at, len(out)):
        if out[k].layer != 22:
            break
        if out[k].kind in {"lift", "line", "travel"}:
            out[k] = replace(out[k], z=2.2)
    return _mark(out, at)


def _close_parts(steps: Steps) -> Steps:
    """Parts one after another that stand too close for the head."""
    begin = max(k for k, s in enumerate(steps) if s.kind == "layer" and s.value == 0)
    out = [
        replace(s, x=s.x - 50, y=s.y - 40) if k >= begin and s.kind in {"line", "travel"} and s.z < 9 else s
        for k, s in enumerate(steps)
    ]
    return _mark(out, next(k for k in range(begin, len(out)) if out[k].kind == "travel"))


def _crawl(steps: Steps) -> Steps:
    return _mapped(lambda s: replace(s, speed=0.4), lambda s: s.kind == "line" and s.layer == 15 and s.role == "outer")(
        steps
    )


def _no_zero(steps: Steps) -> Steps:
    """One of the resets of E is left out, and the values begin again all the same."""
    at = next(k for k, s in enumerate(steps) if s.kind == "layer" and s.value == 10)
    return [*steps[:at], Step("forgotten-zero", layer=10, planted=True), *steps[at + 1 :]]


def _end_without(*kinds: str) -> Change:
    def apply(steps: Steps) -> Steps:
        last = max(k for k, step in enumerate(steps) if step.kind == "line")
        out = [s for k, s in enumerate(steps) if k <= last or s.kind not in kinds or s.kind == "raw"]
        if "nozzle" in kinds or "bed" in kinds or "fan" in kinds:
            kind = next(k for k in kinds if k in {"nozzle", "bed", "fan"})
            setters = [k for k, s in enumerate(out) if s.kind in {kind, f"{kind}-wait"} and s.value > 0]
            return _mark(out, setters[-1])
        return _mark(out, max(k for k, step in enumerate(out) if step.kind == "line"))

    return apply


def _without_moves_at_end(steps: Steps) -> Steps:
    last = max(k for k, step in enumerate(steps) if step.kind == "line")
    out = [s for k, s in enumerate(steps) if k <= last or s.kind not in {"lift", "travel"}]
    return _mark(out, last)


def _unpushed(steps: Steps) -> Steps:
    at = _place(steps, 14, "unretract", 1)
    out = [*steps[:at], *steps[at + 1 :]]
    return _mark(out, max(k for k in range(at) if out[k].kind == "retract"))


def _pulled_twice(steps: Steps) -> Steps:
    at = _place(steps, 14, "retract", 1)
    out = list(steps)
    out[at] = replace(out[at], value=2 * RETRACT_MM, planted=True)
    up = next(k for k in range(at, len(out)) if out[k].kind == "unretract")
    out[up] = replace(out[up], value=2 * RETRACT_MM)
    return out


def _feeds_while_lifting(steps: Steps) -> Steps:
    at = _place(steps, 15, "line", 3)
    here = steps[at]
    up = replace(here, x=here.x, y=here.y - 0.5, z=here.z + 2.0, area=0.4, speed=10)
    return _put(steps, at, up, Step("travel", here.x, here.y, here.z, speed=60, layer=15))


def _usual(style: Style) -> bool:
    """Layers of one height, all of the part, nothing beneath it, nothing hidden."""
    return style.steps is STYLES["relative extrusion"].steps and not style.macro


def _one_tool(style: Style) -> bool:
    return style.steps is not STYLES["two tools"].steps


def _by_moves(style: Style) -> bool:
    """Retractions that are moves of E by itself, one after the other."""
    return _usual(style) and not style.habits.get("by_firmware") and not style.habits.get("wipe")


def _tells_once(style: Style) -> bool:
    """Relative extrusion, said once: where M83 is said again after every lift, the fault mends itself."""
    relative = bool(Writer(**style.habits).relative_e)  # type: ignore[arg-type]
    return _usual(style) and relative and not (style.habits.get("relative") or style.habits.get("hops_relative"))


FAULTS: dict[str, Fault] = {
    "relative values as absolute": Fault(
        lambda s: _put(s, _first_line(s), Step("raw", text="M82")), ("modes",), _tells_once,
    ),
    "absolute values as relative": Fault(
        lambda s: _put(s, _first_line(s), Step("raw", text="M83")), ("modes", "far-from-need"),
        lambda st: _usual(st) and not Writer(**st.habits).relative_e,  # type: ignore[arg-type]
    ),
    "a tenth of the filament": Fault(
        _mapped(lambda s: replace(s, area=s.area / 10), lambda s: s.kind == "line"), ("far-from-need",)
    ),
    "a missing reset": Fault(
        _no_zero, ("not-made-good",),
        lambda st: _usual(st) and not Writer(**st.habits).relative_e and Writer(**st.habits).resets,  # type: ignore[arg-type]
    ),
    "a layer of threefold flow": Fault(_lines_in(12, 3.0), ("one-layer",), _usual),
    "a layer of half the flow": Fault(_lines_in(17, 0.5), ("one-layer",), _usual),
    "infill of threefold flow": Fault(_role_times("infill", 3.0), ("one-role", "far-from-need"), _usual),
    "outer walls of half the flow": Fault(_role_times("outer", 0.5), ("one-role",), _usual),
    "a retraction never pushed again": Fault(_unpushed, ("not-made-good",), _by_moves),
    "a retraction twice as long": Fault(_pulled_twice, ("long-pull",), _by_moves),
    "filament while lifting": Fault(
        _feeds_while_lifting, ("lifting",), lambda st: _usual(st) and not st.habits.get("coast_mm")),
    "bed off at layer 8": Fault(_raw(8, "M140 S0"), ("bed-off",)),
    "nozzle drops by 30": Fault(_raw(14, f"M104 S{NOZZLE_C - 30:g}"), ("nozzle-drop",), _one_tool),
    "fan never on": Fault(
        _without(lambda s: s.kind == "fan", lambda s: _place(s, 1)),
        ("fan-for-polymer",), lambda st: _tellable(st) and st.steps is not STYLES["a raft"].steps,
    ),
    "fan from the first layer": Fault(
        lambda s: _put(s, _first_line(s), Step("fan", value=1.0)), ("fan-for-polymer",),
    ),
    "too hot for the printer": Fault(_raw(6, "M104 S320"), ("too-hot",)),
    "too hot a bed": Fault(_raw(6, "M140 S140"), ("too-hot",)),
    "through what stands there": Fault(_too_low, ("collisions",), _usual),
    "a layer laid far below": Fault(_prints_low, ("collisions",), _usual),
    "first layer too high": Fault(_shifted_first(0.3), ("first-layer",), _usual),
    "first layer too low": Fault(_shifted_first(-0.17), ("first-layer",), _usual),
    "a layer is missing": Fault(_missing_layer, ("missing-layer",), _usual),
    "a post in the air": Fault(_island, ("in-the-air",), _usual),
    "parts too close for the head": Fault(_close_parts, ("collisions",), lambda st: st.one_by_one),
    "beside the bed": Fault(
        lambda s: _put(s, _place(s, 9), replace(s[_place(s, 9)], x=240.0)), ("beside",),
    ),
    "too high for the printer": Fault(
        lambda s: _put(s, _place(s, 30, nth=3), Step("lift", z=230, speed=10, layer=30),
                       Step("line", 100, 100, 230, 0.09, 20, role="outer", layer=30, planted=True)),
        ("beside",), _usual,
    ),
    "a layer at a crawl": Fault(_crawl, ("crawl",), _usual),
    "a dwell on a wall": Fault(_raw(13, "G4 S4", "inner"), ("dwells",)),
    "a dwell in milliseconds": Fault(_raw(13, "G4 P2500", "inner"), ("dwells",)),
    "acceleration absurdly low": Fault(_raw(3, "M204 P15 T15"), ("limits",)),
    "junction speed absurdly high": Fault(
        _raw(3, "M205 X800"), ("limits",), lambda st: st.habits.get("firmware", "m900") == "m900"),
    "speed factor left over": Fault(_raw(11, "M220 S35"), ("factors",)),
    "flow factor left over": Fault(_raw(11, "M221 S80"), ("factors",)),
    "flow factor for the next print": Fault(
        lambda s: _put(s, max(k for k, x in enumerate(s) if x.kind == "line") + 1, Step("raw", text="M221 S90")),
        ("factors-left",)),
    "nozzle left on": Fault(_end_without("nozzle"), ("left-on",), lambda st: _tellable(st) and _one_tool(st)),
    "bed left on": Fault(_end_without("bed"), ("left-on",), _tellable),
    "fan left on": Fault(_end_without("fan"), ("left-on",), _tellable),
    "stays on the part": Fault(
        _without_moves_at_end, ("stays",),
        lambda st: _tellable(st) and not st.habits.get("hop_mm") and not st.habits.get("wipe")),
    "relative positions left": Fault(
        lambda s: [*s, Step("raw", text="G91", planted=True)], ("modes-left",),
        lambda st: _tellable(st) and not st.habits.get("relative")),
    "never homed": Fault(_without(lambda s: s.kind == "home", _first_line), ("homing",), _tellable),
    "nobody waits for the nozzle": Fault(
        lambda s: _mark(
            out := [replace(x, kind="nozzle") if x.kind == "nozzle-wait" else x for x in s], _first_line(out)),
        ("not-waited",), _tellable),
    "nobody waits for the bed": Fault(
        _without(lambda s: s.kind == "bed-wait", _first_line), ("not-waited",),
        lambda st: _tellable(st) and st.habits.get("firmware", "m900") == "m900"),
    "cold": Fault(lambda s: _mark(
                      out := [replace(x, value=120.0) if x.kind in {"nozzle", "nozzle-wait"} and x.value > 0 else x
                              for x in s], _first_line(out)),
                  ("cold",), lambda st: _one_tool(st) and _tellable(st)),
    "a name never filled in": Fault(
        lambda s: _put(s, _first_line(s), Step("raw", text="M140 S{bed_temperature}")), ("unfilled",),
        lambda st: st.habits.get("firmware") != "m572"),
    "a pause": Fault(_raw(10, "M600"), ("pauses",)),
    "a pause by another word": Fault(_raw(10, "PAUSE"), ("pauses",)),
}  # fmt: skip
"""By name."""


def look(text: bytes) -> tuple[Remark, ...]:
    """What is found of a file, what cannot be known left out."""
    return tuple(r for r in inspect(read(text), printer=PRINTER).remarks if r.weight != NOTE)


def planted(only: str = "") -> Iterator[tuple[str, str, tuple[Remark, ...], int]]:
    """Each fault in each style that it fits: (fault, style, what is found, the line of the fault)."""
    for name, fault in FAULTS.items():
        if only and only != name:
            continue
        for style_name, style in STYLES.items():
            if fault.fits(style):
                written = write(style, fault.change)
                yield name, style_name, look(written.text), written.planted[0] if written.planted else 0


def judged(fault: str, found: tuple[Remark, ...], line: int) -> tuple[bool, bool]:
    """(whether it is found, whether at its line)."""
    mine = [r for r in found if r.rule in FAULTS[fault].rules]
    return bool(mine), any(abs(r.line - line) <= NEAR for r in mine)


@click.command()
@click.option("--json", "as_json", is_flag=True)
@click.option("--only", default="", help="One fault, by name.")
@click.option("--show", is_flag=True, help="What was missed, and what was said of clean files.")
def main(as_json: bool, only: str, show: bool) -> None:
    """File check on clean files and planted faults, in many styles."""
    alarms = {name: look(write(style).text) for name, style in STYLES.items()}
    count = found = right = 0
    kinds: dict[str, list[bool]] = {}
    for fault, style, remarks, line in planted(only):
        there, at_line = judged(fault, remarks, line)
        count, found, right = count + 1, found + there, right + at_line
        kinds.setdefault(fault, []).append(there)
        if show and not at_line:
            others = [(r.rule, r.line) for r in remarks]
            print(f"{'missed' if not there else 'elsewhere':10} {fault}, {style}: line {line}, {others}")
    if show:
        for name, remarks in alarms.items():
            for r in remarks:
                print(f"alarm      {name}: {r.rule}, line {r.line}: {r.text}")
    told = {
        "styles": len(STYLES), "false_alarms": sum(map(len, alarms.values())), "kinds_of_fault": len(kinds),
        "kinds_found_everywhere": sum(map(all, kinds.values())), "planted": count, "found": found,
        "found_at_line": right,
    }  # fmt: skip
    if as_json:
        print(json.dumps(told, indent=2))
    else:
        for name, value in told.items():
            print(f"{name:24} {value}")


if __name__ == "__main__":
    main()
