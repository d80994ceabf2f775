"""From a toolpath to a complete file: it begins and ends in a known state, whatever the templates hold."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from drumbo.core.gcode.dialects import dialect
from drumbo.core.gcode.templates import fill_template, template_names
from drumbo.core.printer import Printer
from drumbo.core.toolpath.columns import Event, Set, Toolpath


@dataclass(frozen=True, slots=True)
class PrintJob:
    """Everything a file needs beside its roads. Temperatures in °C; `title` lines go on top as comments."""

    printer: Printer
    nozzle_first_c: float
    nozzle_c: float
    bed_first_c: float
    bed_c: float
    pressure_advance_s: float = 0.0
    title: Sequence[str] = ()
    names: Mapping[str, float] = field(default_factory=dict)

    @property
    def temperatures(self) -> dict[str, float]:
        """By the names that templates know them by."""
        return {key: getattr(self, key) for key in ("nozzle_first_c", "nozzle_c", "bed_first_c", "bed_c")}


def write(path: Toolpath, job: PrintJob) -> str:
    """The G-code of a toolpath, one line a row, lengths in mm, filament relative (M83).

    Raises InvalidInput for a name in a template that is not known.
    """
    lines = [*(f"; {line}" for line in job.title), *_opening(path, job)]
    lines += _body(path, job)
    lines += _closing(path, job)
    return "\n".join(lines) + "\n"


def _opening(path: Toolpath, job: PrintJob) -> list[str]:
    words = dialect(job.printer.dialect)
    names = template_names(job.printer, job.temperatures, job.names)
    lines = fill_template("start_gcode", job.printer.start_gcode, names)
    x, y, z = path.start
    lines += ["G21", "G90", "M83", "M220 S100", "M221 S100", "M107", f"M204 S{path.accel_mm_s2:g}"]
    if words.pressure_advance:
        lines.append(words.pressure_advance.write(job.pressure_advance_s))
    if words.extruder_steps and job.printer.extruder_steps_mm:
        lines.append(words.extruder_steps.write(job.printer.extruder_steps_mm))
    changes, waits = any(event.what == Set.TOOL for event in path.events), _waits(path, job)
    lines.append(f"M190 S{job.bed_first_c:g}")
    # One that prints later is warm by then, and does not ooze yet; T0 is what begins.
    lines += [f"M104 T{tool} S{heat:g}" for tool, heat in waits.items() if tool]
    lines += ["T0"] * bool(waits)
    lines.append(f"M109 S{job.nozzle_first_c:g}")
    # A file that changes filament begins with the first one, whatever was in there.
    lines += ["T0"] * (changes and not waits)
    lines.append("G92 E0")
    lines += [f"G0 Z{z:g} F600", f"G0 X{x:g} Y{y:g} F6000"]
    return lines


def _closing(path: Toolpath, job: PrintJob) -> list[str]:
    x, y, z = float(path.x[-1]), float(path.y[-1]), float(path.z.max())
    lift = min(z + 10, max(job.printer.height_mm, z))
    lines = ["M220 S100", "M221 S100", "M107", f"G0 X{x:.3f} Y{y:.3f} Z{lift:.3f} F1200"]
    words = dialect(job.printer.dialect)
    if words.pressure_advance:
        lines.append(words.pressure_advance.write(job.pressure_advance_s))
    lines += fill_template("end_gcode", job.printer.end_gcode, template_names(job.printer, job.temperatures, job.names))
    lines += ["M107", *(f"M104 T{tool} S0" for tool in _waits(path, job)), "M104 S0", "M140 S0"]
    return lines


def _waits(path: Toolpath, job: PrintJob) -> dict[int, float]:
    """Nozzles by number, with the °C at which each waits from the start; empty where there is one nozzle. A file of one
    material has the other nozzle off: nobody knows which one was in use before, and so which the template heats.
    """
    if not job.printer.by_nozzles:
        return {}
    warm = {event.of: event.value for event in reversed(path.events) if event.what == Set.WARM}
    return {0: 0.0, 1: 0.0} | warm


def _body(path: Toolpath, job: PrintJob) -> list[str]:
    """One line a row, with the events before their rows; words that did not change are left out."""
    events: dict[int, list[Event]] = {}
    for event in path.events:
        events.setdefault(event.row, []).append(event)
    bed_row = int((path.layer >= 1).argmax())
    lines: list[str] = []
    last_x = last_y = last_z = None
    last_feed = -1
    columns = zip(
        path.x.tolist(),
        path.y.tolist(),
        path.z.tolist(),
        path.e_mm.tolist(),
        (path.speed * 60).tolist(),
        strict=True,
    )
    for row, (x, y, z, e, feed) in enumerate(columns):
        if row == bed_row and row:
            lines += [f"M140 S{job.bed_c:g}", *_nozzle_after_first(path, job, row)]
        for event in events.get(row, ()):
            lines += _event(event, job)
        word = "G1" if e else "G0"
        if x != last_x or y != last_y:
            word += f" X{x:.3f} Y{y:.3f}"
        if z != last_z:
            word += f" Z{z:.3f}"
        if e:
            word += f" E{e:.5f}"
        rounded = round(feed)
        if rounded != last_feed:
            word += f" F{rounded}"
        if len(word) > 2:
            lines.append(word)
        last_x, last_y, last_z, last_feed = x, y, z, rounded
    for event in events.get(len(path), ()):
        lines += _event(event, job)
    return lines


def _nozzle_after_first(path: Toolpath, job: PrintJob, row: int) -> list[str]:
    """The other layers' temperature, unless an event set one already and so has the last word."""
    if any(event.what in {Set.NOZZLE, Set.HEAT} and event.row <= row for event in path.events):
        return []
    return [f"M104 S{job.nozzle_c:g}"]


_PLAIN = {Set.NOZZLE: "M104 S{:g}", Set.HEAT: "M109 R{:g}", Set.BED: "M140 S{:g}", Set.TOOL: "T{:g}"}


def _event(event: Event, job: PrintJob) -> list[str]:
    if event.what == Set.NOTE:
        return [f"; {event.text}"]
    if event.what == Set.PRESSURE:
        word = dialect(job.printer.dialect).pressure_advance
        return [word.write(event.value)] if word else []
    if event.what == Set.WARM:
        return []
    if event.what == Set.STANDBY:
        return [f"M104 T{event.of} S{event.value:g}"]
    if event.what in _PLAIN:
        return [_PLAIN[event.what].format(event.value)]
    return [f"M106 S{round(event.value * 255)}"] if event.value > 0 else ["M107"]
