"""The firmware's ear: takes one line of G-code after the other and keeps the machine's state.

It is written apart from Drumbo's own reader on purpose: a mistake there must show in what is printed here.
"""

from __future__ import annotations

import math
import re
from array import array
from collections.abc import Callable
from dataclasses import dataclass, field, fields

_WORD = re.compile(r"([A-Z])\s*([-+]?(?:\d+\.?\d*|\.\d+))")
_LETTER = re.compile(r"[A-Z]")
_COMMENT = re.compile(r"\([^)]*\)")

MOVE_COLUMNS = (
    "x", "y", "z", "e", "feed", "fan", "flow_factor", "feed_factor", "accel", "pressure", "nozzle_target", "bed_target",
    "wait_s",
)  # fmt: skip


@dataclass
class Heater:
    """First-order lag towards a target; `limit` is the steepest slope, °C/s."""

    tau_s: float
    limit: float
    now_c: float = 21.0
    target_c: float = 0.0

    def settle(self, seconds: float) -> None:
        """Let time pass."""
        goal = self.target_c if self.target_c > 0 else 21.0
        step = (goal - self.now_c) * (1.0 - math.exp(-seconds / self.tau_s))
        most = self.limit * seconds
        self.now_c += max(-most, min(most, step))

    def seconds_to(self, target_c: float, within_c: float = 1.0) -> float:
        """How long until the target is reached within so many °C."""
        gap = abs(target_c - self.now_c)
        if gap <= within_c:
            return 0.0
        linear_until = self.limit * self.tau_s
        ramp = max(0.0, gap - linear_until) / self.limit
        return ramp + self.tau_s * math.log(max(min(gap, linear_until), within_c) / within_c)


def hot_end() -> Heater:
    """A nozzle's heater."""
    return Heater(14.0, 3.0)


@dataclass
class Machine:
    """State of the printer, and a log of every move since the last start, one column a fact.

    `steps_mm` is what the firmware believes a millimetre of filament takes, `true_steps_mm` what it takes. X moves
    along by `skew` for each mm of Y: the frame is out of square.
    """

    nozzles: list[Heater] = field(default_factory=lambda: [hot_end()])
    tool: int = 0
    """Which of its nozzles prints."""
    bed: Heater = field(default_factory=lambda: Heater(60.0, 0.6))
    position: list[float] = field(default_factory=lambda: [0.0, 0.0, 0.0, 0.0])
    shift: list[float] = field(default_factory=lambda: [0.0, 0.0, 0.0, 0.0])
    unit: float = 1.0
    absolute: bool = True
    absolute_e: bool = True
    feed: float = 1500.0
    fan: float = 0.0
    speed_factor: float = 1.0
    flow_factor: float = 1.0
    accel: float = 1500.0
    pressure_advance: float = 0.0
    retract_mm: float = 1.0
    retract_feed: float = 2100.0
    unretract_feed: float = 2100.0
    """Of its own retraction and the way back, mm/min: the speed of moves has no say in it."""
    retracted_mm: float = 0.0
    """How far its own retraction has pulled back: it does not do so twice, and pushes back no more."""
    steps_mm: float = 400.0
    true_steps_mm: float = 400.0
    skew: float = 0.0
    wait_s: float = 0.0
    moves: dict[str, array[float]] = field(default_factory=lambda: {name: array("d") for name in MOVE_COLUMNS})

    @property
    def nozzle(self) -> Heater:
        """The one that prints."""
        return self.nozzles[self.tool]

    def heater(self, name: str, tool: float | None) -> Heater | None:
        """The bed's, or the nozzle of a number; None where it has no such nozzle."""
        if name == "bed":
            return self.bed
        number = self.tool if tool is None else int(tool)
        return self.nozzles[number] if 0 <= number < len(self.nozzles) else None

    def restart(self) -> None:
        """Power came back: modes, speeds and places are as they usually are. What was made stays, and so does heat."""
        fresh = Machine()
        kept = {"nozzles", "bed", "true_steps_mm", "skew", "moves"}
        for each in fields(self):
            if each.name not in kept:
                setattr(self, each.name, getattr(fresh, each.name))

    def forget_moves(self) -> None:
        """Start a new object on a clean bed."""
        self.moves = {name: array("d") for name in MOVE_COLUMNS}

    def run(self, line: str) -> tuple[str, float]:
        """Carry one line out. Returns the command's word and the seconds that it takes."""
        text = _COMMENT.sub("", line.split(";", maxsplit=1)[0]).upper().strip()
        if text.startswith("SET_"):
            return _by_name(self, text)
        words = _WORD.findall(text)
        if not words:
            return "", 0.0
        letter, digits = words[0]
        word = letter + digits.lstrip("0") if digits.strip("0") else letter + "0"
        values = {name: float(number) for name, number in words[1:]}
        present = set(_LETTER.findall(text[text.index(letter) + 1 :]))
        before = self.wait_s
        seconds = _COMMANDS.get(word, _nothing)(self, values, present)
        self.wait_s = before + seconds if word not in _MOVES else 0.0
        return word, seconds

    def move_to(self, x: float, y: float, z: float, fed: float) -> float:
        """Log one straight move; returns its plain duration, acceleration from and to rest left aside."""
        way = math.dist(self.position[:3], (x, y, z)) or abs(fed)
        speed = max(self.feed / 60.0 * self.speed_factor, 0.05)
        log = self.moves
        log["x"].append(x + self.skew * y)
        log["y"].append(y)
        log["z"].append(z)
        log["e"].append(fed)
        log["feed"].append(speed)
        log["fan"].append(self.fan)
        log["flow_factor"].append(self.flow_factor)
        log["feed_factor"].append(self.steps_mm / self.true_steps_mm)
        log["accel"].append(self.accel)
        log["pressure"].append(self.pressure_advance)
        log["nozzle_target"].append(self.nozzle.target_c)
        log["bed_target"].append(self.bed.target_c)
        log["wait_s"].append(self.wait_s)
        self.wait_s = 0.0
        self.position[0], self.position[1], self.position[2] = x, y, z
        return way / speed

    def _target(self, values: dict[str, float]) -> tuple[float, float, float, float]:
        place = list(self.position[:3])
        for axis, name in enumerate("XYZ"):
            if name in values:
                place[axis] = (
                    values[name] * self.unit + self.shift[axis]
                    if self.absolute
                    else place[axis] + values[name] * self.unit
                )
        fed = 0.0
        if "E" in values:
            if self.absolute_e:
                target = values["E"] * self.unit + self.shift[3]
                fed, self.position[3] = target - self.position[3], target
            else:
                fed = values["E"] * self.unit
                self.position[3] += fed
        if "F" in values:
            self.feed = values["F"] * self.unit
        return place[0], place[1], place[2], fed


Words = dict[str, float]
_Command = Callable[[Machine, Words, set[str]], float]


def _nothing(machine: Machine, values: Words, present: set[str]) -> float:
    return 0.0


def _straight(machine: Machine, values: Words, present: set[str]) -> float:
    x, y, z, fed = machine._target(values)
    if not present & set("XYZE"):
        return 0.0
    return machine.move_to(x, y, z, fed)


def _arc(machine: Machine, values: Words, clockwise: bool) -> float:
    x0, y0, z0 = machine.position[:3]
    x, y, z, fed = machine._target(values)
    cx, cy = x0 + values.get("I", 0.0) * machine.unit, y0 + values.get("J", 0.0) * machine.unit
    if "R" in values:
        cx, cy = _centre(x0, y0, x, y, values["R"] * machine.unit, clockwise)
    radius = math.hypot(x0 - cx, y0 - cy)
    first = math.atan2(y0 - cy, x0 - cx)
    sweep = math.atan2(y - cy, x - cx) - first
    if clockwise and sweep >= 0:
        sweep -= 2 * math.pi
    if not clockwise and sweep <= 0:
        sweep += 2 * math.pi
    chords = max(1, math.ceil(abs(sweep) * radius / 1.0))
    total = 0.0
    for n in range(1, chords + 1):
        angle = first + sweep * n / chords
        total += machine.move_to(
            cx + radius * math.cos(angle),
            cy + radius * math.sin(angle),
            z0 + (z - z0) * n / chords,
            fed / chords,
        )
    return total


def _centre(x0: float, y0: float, x: float, y: float, radius: float, clockwise: bool) -> tuple[float, float]:
    half = math.dist((x0, y0), (x, y)) / 2 or 1e-9
    rise = math.sqrt(max(radius**2 - half**2, 0.0)) / half
    side = -1.0 if clockwise == (radius > 0) else 1.0
    half_x, half_y = (x - x0) / 2, (y - y0) / 2
    return x0 + half_x - side * rise * half_y, y0 + half_y + side * rise * half_x


def _home(machine: Machine, values: Words, present: set[str]) -> float:
    axes = [a for a, name in enumerate("XYZ") if name in present] or [0, 1, 2]
    for axis in axes:
        machine.position[axis] = machine.shift[axis] = 0.0
    return 8.0


def _dwell(machine: Machine, values: Words, present: set[str]) -> float:
    return values.get("S", values.get("P", 0.0) / 1000.0)


def _by_name(machine: Machine, text: str) -> tuple[str, float]:
    """A command of the extended kind: a word, then NAME=value pairs."""
    word, *pairs = text.split()
    values = dict(pair.split("=", 1) for pair in pairs if "=" in pair)
    if word == "SET_PRESSURE_ADVANCE" and "ADVANCE" in values:
        machine.pressure_advance = float(values["ADVANCE"])
    return word, 0.0


def _offset(machine: Machine, values: Words, present: set[str]) -> float:
    for axis, name in enumerate("XYZE"):
        if name in values:
            machine.shift[axis] = machine.position[axis] - values[name] * machine.unit
    return 0.0


def _heat(heater: str, wait: bool) -> _Command:
    def run(machine: Machine, values: Words, present: set[str]) -> float:
        device = machine.heater(heater, values.get("T"))
        if device is None:
            return 0.0
        device.target_c = values.get("S", values.get("R", device.target_c))
        if not wait or device.target_c <= 0 or ("R" not in values and device.now_c > device.target_c):
            return 0.0
        return device.seconds_to(device.target_c)

    return run


def _fan(machine: Machine, values: Words, present: set[str]) -> float:
    if values.get("P", 0.0) == 0.0:
        machine.fan = min(values.get("S", 255.0), 255.0) / 255.0
    return 0.0


def _setter(name: str, letter: str, scale: float) -> _Command:
    def run(machine: Machine, values: Words, present: set[str]) -> float:
        if letter in values:
            setattr(machine, name, values[letter] * scale)
        return 0.0

    return run


def _mode(name: str, value: float | bool, also: str | None = None) -> _Command:
    def run(machine: Machine, values: Words, present: set[str]) -> float:
        setattr(machine, name, value)
        if also:
            setattr(machine, also, value)
        return 0.0

    return run


def _pull(back: bool) -> _Command:
    def run(machine: Machine, values: Words, present: set[str]) -> float:
        fed = -machine.retract_mm if back else machine.retracted_mm
        if back == (machine.retracted_mm > 0) or not fed:
            return 0.0
        machine.retracted_mm = machine.retract_mm if back else 0.0
        feed, machine.feed = machine.feed, machine.retract_feed if back else machine.unretract_feed
        x, y, z = machine.position[:3]
        seconds = machine.move_to(x, y, z, fed)
        machine.feed = feed
        return seconds

    return run


def _retraction(machine: Machine, values: Words, present: set[str]) -> float:
    machine.retract_mm = values.get("S", machine.retract_mm)
    machine.retract_feed = values.get("F", machine.retract_feed)
    return 0.0


_MOVES = {"G0", "G1", "G2", "G3", "G10", "G11"}
_COMMANDS: dict[str, _Command] = {
    "G0": _straight,
    "G1": _straight,
    "G2": lambda machine, values, present: _arc(machine, values, clockwise=True),
    "G3": lambda machine, values, present: _arc(machine, values, clockwise=False),
    "G4": _dwell,
    "G10": _pull(back=True),
    "G11": _pull(back=False),
    "G20": _mode("unit", 25.4),
    "G21": _mode("unit", 1.0),
    "G28": _home,
    "G90": _mode("absolute", True, "absolute_e"),
    "G91": _mode("absolute", False, "absolute_e"),
    "G92": _offset,
    "M82": _mode("absolute_e", True),
    "M83": _mode("absolute_e", False),
    "M92": _setter("steps_mm", "E", 1.0),
    "M104": _heat("nozzle", wait=False),
    "M109": _heat("nozzle", wait=True),
    "M140": _heat("bed", wait=False),
    "M190": _heat("bed", wait=True),
    "M106": _fan,
    "M107": lambda machine, values, present: _fan(machine, {**values, "S": 0.0}, present),
    "M204": _setter("accel", "S", 1.0),
    "M207": _retraction,
    "M208": _setter("unretract_feed", "F", 1.0),
    "M220": _setter("speed_factor", "S", 0.01),
    "M221": _setter("flow_factor", "S", 0.01),
    "M572": _setter("pressure_advance", "S", 1.0),
    "M900": _setter("pressure_advance", "K", 1.0),
}
