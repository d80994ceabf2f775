"""Printers of filament: what a machine can do, and how it is reached."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import ClassVar

from drumbo.core.address import BAUDS, SERIAL, TCP
from drumbo.core.catalogue import FILAMENT
from drumbo.core.fields import Field, build, read_all
from drumbo.core.gcode.dialects import DIALECTS
from drumbo.core.reach import reachable

START_GCODE = """\
G21
G90
M82
M220 S100
M221 S100
M140 S{bed_first_c}
M104 S{nozzle_first_c}
G28
M190 S{bed_first_c}
M109 S{nozzle_first_c}
G92 E0"""

END_GCODE = """\
M107
M104 S0
M140 S0
G1 X{park_x} Y{park_y} F6000
M84"""


@dataclass(frozen=True, slots=True)
class Printer:
    """A filament printer. The bed spans x 0..bed_x_mm and y 0..bed_y_mm unless `origin` is "centre".

    `own` are its values for all materials, by catalogue key; a profile's value wins over them. One of `practice` is
    simulated by Drumbo itself; what was `found_here` nobody types. Presets of one machine, with another nozzle say,
    share what they have as `machine`; without it each is a machine of its own.
    """

    name: str
    drive: str = "direct"
    nozzle_mm: float = 0.4
    bed_x_mm: float = 220.0
    bed_y_mm: float = 220.0
    height_mm: float = 250.0
    origin: str = "corner"
    nozzle_max_c: float = 280.0
    bed_max_c: float = 110.0
    speed_max_mm_s: float = 200.0
    accel_mm_s2: float = 2000.0
    junction_mm_s: float = 8.0
    dialect: str = "m900"
    extruder_steps_mm: float | None = None
    start_gcode: str = START_GCODE
    end_gcode: str = END_GCODE
    link_url: str = ""
    camera_url: str = ""
    notes: str = ""
    own: Mapping[str, float] = field(default_factory=dict)
    machine: str = ""
    primes: str = "both"
    process: str = FILAMENT
    baud: str = str(BAUDS[0])
    after_stop: str = "park"
    after_crash: str = "off"
    waits_h: str = "2"
    on_pause: str = "hot"
    clearance_radius_mm: float | None = None
    clearance_height_mm: float | None = None
    tool_change_s: float | None = None
    tube_mm: float | None = None
    folder: str = ""
    still_url: str = ""
    pause_gcode: str = "M0"
    swaps: str = "hand"
    practice: str = ""
    upload_url: str = ""
    upload_user: str = ""
    upload_token: str = ""
    of_machine: ClassVar[tuple[str, ...]] = ()
    found_here: ClassVar[tuple[str, ...]] = ("own", "practice", *of_machine)

    @property
    def says(self) -> str:
        """What it is, in a few words."""
        return f"{self.nozzle_mm:g} mm nozzle, {_DRIVES[self.drive]} drive"

    @property
    def kind_of_place(self) -> dict[str, tuple[str, str]]:
        """What of a machine decides what carries over: code → (what it is, and how it is called beside another)."""
        return {
            "drive": (f"a {_DRIVES[self.drive]} drive", f"a {_DRIVES[self.drive]} one"),
            "nozzle": (f"a nozzle of {self.nozzle_mm:g} mm", f"{self.nozzle_mm:g}"),
        }

    def limits(self) -> dict[str, float]:
        """Catalogue key → the most that it may run."""
        return {
            "nozzle_c": self.nozzle_max_c,
            "nozzle_first_c": self.nozzle_max_c,
            "bed_c": self.bed_max_c,
            "bed_first_c": self.bed_max_c,
        }

    def ignored(self) -> frozenset[str]:
        """Catalogue keys of settings that it does not honour: none is known of."""
        return frozenset()

    def numbers(self) -> dict[str, float]:
        """Catalogue key → number, for what is the printer's own and known."""
        return {} if self.extruder_steps_mm is None else {"extruder_steps_mm": self.extruder_steps_mm}

    @property
    def bed_low(self) -> tuple[float, float]:
        """Corner of the bed with the lowest x and y, mm."""
        return (-self.bed_x_mm / 2, -self.bed_y_mm / 2) if self.origin == "centre" else (0.0, 0.0)

    @property
    def bed_high(self) -> tuple[float, float]:
        """Corner of the bed with the highest x and y, mm."""
        low_x, low_y = self.bed_low
        return (low_x + self.bed_x_mm, low_y + self.bed_y_mm)

    @property
    def bed_middle(self) -> tuple[float, float]:
        """Middle of the bed, mm."""
        (x0, y0), (x1, y1) = self.bed_low, self.bed_high
        return ((x0 + x1) / 2, (y0 + y1) / 2)

    @property
    def waits_s(self) -> float | None:
        """How long it may wait for somebody with its heaters on, s; None for as long as it takes."""
        return float(self.waits_h) * 3600 if self.waits_h.isdecimal() else None

    @property
    def by_feeder(self) -> bool:
        """Whether a feeder changes filament at a T word, through one nozzle."""
        return self.swaps == FEEDER

    @property
    def by_nozzles(self) -> bool:
        """Whether each material has a nozzle of its own, chosen by a T word."""
        return self.swaps == NOZZLES

    @property
    def by_hand(self) -> bool:
        """Whether a print pauses for somebody's hand where the material changes."""
        return not (self.by_feeder or self.by_nozzles)

    @property
    def aside(self) -> tuple[float, float]:
        """Where the head is out of the way, mm."""
        return self.bed_low[0] + 5, self.bed_high[1] - 5

    @property
    def standby_c(self) -> float | None:
        """How warm the nozzle is kept while a print pauses, °C; None for as it is."""
        return STANDBY_C if self.on_pause == "standby" else None

    def park_lines(self) -> tuple[str, ...]:
        """What a stopped print does with the head: nothing, or up and aside."""
        if self.after_stop != "park":
            return ()
        x, y = self.aside
        return ("G91", "G1 Z10 F600", "G90", f"G1 X{x:g} Y{y:g} F6000")


FEEDER, NOZZLES = "feeder", "nozzles"
"""How a printer changes material by itself."""
STANDBY_C = 150.0
"""Hardly anything oozes there, and nothing chars."""

_DRIVES = {"direct": "direct", "bowden": "Bowden"}


FOLDER_FIELD = Field(
    "folder", "Folder for files", kind="text", required=False, longest=300,
    help="Of a card, a stick or a share, like /media/card: files are put there, ready to be taken to the printer.",
)  # fmt: skip
UPLOAD_FIELDS = (
    Field("upload_url", "Upload address", kind="text", required=False, longest=300,
          help="Of a printer on the network that takes files by WebDAV or HTTP PUT, like http://192.0.2.7/upload."),
    Field("upload_user", "User there", kind="text", required=False, longest=80),
    Field("upload_token", "Password or token", kind="text", required=False, longest=200,
          help="It is kept in the workshop as it is, and goes to that address alone."),
)  # fmt: skip
STILL_FIELD = Field(
    "still_url", "Picture address", kind="text", required=False, longest=300,
    help="Where a camera at the printer gives its latest picture, like http://192.0.2.7:8080/shot.jpg.",
)  # fmt: skip
PRINTER_FIELDS: tuple[Field, ...] = (
    Field("name", "Name", kind="text", longest=60),
    Field("machine", "Machine", kind="text", required=False, longest=60,
          help="Only where one machine has several presets, like one for each nozzle: its name, the same for all."),
    Field("drive", "Drive", kind="choice", choices=(("direct", "direct"), ("bowden", "Bowden"))),
    Field("tube_mm", "Bowden tube", "mm", low=50, high=3000, required=False,
          help="From the drive to the hot end. Empty with a direct drive."),
    Field("nozzle_mm", "Nozzle", "mm", low=0.1, high=2),
    Field("bed_x_mm", "Bed, X", "mm", low=50, high=2000),
    Field("bed_y_mm", "Bed, Y", "mm", low=50, high=2000),
    Field("height_mm", "Height", "mm", low=50, high=2000),
    Field("origin", "Zero point", kind="choice", choices=(("corner", "front left corner"), ("centre", "middle"))),
    Field("nozzle_max_c", "Nozzle at most", "°C", low=150, high=600),
    Field("bed_max_c", "Bed at most", "°C", low=0, high=250),
    Field("speed_max_mm_s", "Top speed", "mm/s", low=10, high=2000),
    Field("accel_mm_s2", "Acceleration", "mm/s²", low=50, high=100_000),
    Field("junction_mm_s", "Junction speed", "mm/s", low=0.1, high=100,
          help="The speed change the printer may make at once."),
    Field("clearance_radius_mm", "Room round the nozzle", "mm", low=1, high=300, required=False,
          help="From the nozzle to the farthest side of the head. For files that print one part after another."),
    Field("clearance_height_mm", "Room below the carriage", "mm", low=1, high=500, required=False,
          help="From the nozzle's tip up to the rods or the beam that carries the head."),
    Field("swaps", "Filament is changed", kind="choice", required=False,
          choices=(("hand", "by hand, at a pause"), (FEEDER, "by a feeder at T0 and T1, through one nozzle"),
                   (NOZZLES, "not at all: T0 and T1 are nozzles of their own"))),
    Field("tool_change_s", "A change of tool takes", "s", low=0, high=600, required=False),
    Field("dialect", "G-code dialect", kind="choice", choices=tuple((d.key, d.name) for d in DIALECTS)),
    Field("primes", "Prime with", kind="choice", required=False,
          choices=(("both", "a purge line and a skirt"), ("line", "a purge line"), ("skirt", "a skirt"))),
    Field("extruder_steps_mm", "Extruder steps", "steps/mm", low=1, high=20_000, required=False,
          help="As the firmware reports it (M92 or M503), if you know it. Files then set it, so that it is certain."),
    Field("link_url", "Link", kind="text", required=False,
          help="A serial port like /dev/ttyUSB0, or socket://address:port."),
    FOLDER_FIELD,
    *UPLOAD_FIELDS,
    Field("baud", "Speed of the serial line", kind="choice", required=False,
          choices=tuple((str(b), f"{b:,}".replace(",", " ") + " baud") for b in BAUDS),
          help="Only for a serial port."),
    Field("after_stop", "When a print is stopped", kind="choice", required=False,
          choices=(("park", "lift the head and move it aside"), ("stay", "leave the head where it is"))),
    Field("after_crash", "If sending is cut off", kind="choice", required=False,
          choices=(("off", "switch the heaters off at once"), ("ask", "ask me first")),
          help="When the process that sends a print was killed."),
    Field("waits_h", "Hot while it waits, at most", kind="choice", required=False,
          choices=(("2", "two hours"), ("1", "an hour"), ("8", "eight hours"), ("endless", "as long as it takes")),
          help="At a pause or a change of filament. Then all heaters are switched off."),
    Field("on_pause", "Nozzle in a pause", kind="choice", required=False,
          choices=(("hot", "stays hot"), ("standby", f"cools to {STANDBY_C:g} °C, so that it does not ooze"))),
    Field("pause_gcode", "Pause in a file", kind="text", required=False, longest=80,
          help="What its firmware pauses at until somebody presses its button: M0, M600 or a macro of your own."),
    STILL_FIELD,
    Field("camera_url", "Camera", kind="text", required=False, help="http://address:port of a stand-in's camera."),
    Field("start_gcode", "Start G-code", kind="lines",
          help="Names in braces are filled in: {nozzle_first_c}, {nozzle_c}, {bed_first_c}, {bed_c}, {nozzle_mm}, "
               "{low_x}, {low_y}, {high_x}, {high_y}, {middle_x}, {middle_y}, {height_mm}, {park_x}, {park_y}."),
    Field("end_gcode", "End G-code", kind="lines", help="The same names."),
    Field("notes", "Notes", kind="lines", required=False),
)  # fmt: skip


def read_printer(typed: Mapping[str, str | float | None]) -> Printer:
    """A printer from what was typed; InvalidInput gathers every field's problem."""
    return reachable(build(Printer, PRINTER_FIELDS, read_all(PRINTER_FIELDS, typed)), {SERIAL, TCP})
