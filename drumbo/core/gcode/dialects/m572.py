"""Firmware that sets pressure advance by M572 D S, for the drive D. Its speeds are mm/min throughout, shares of fans
may stand from 0 to 1, tools have temperatures of their own by G10 or M568, and it works out what stands in braces.
"""

from collections.abc import Iterator

from drumbo.core.gcode.command import Command, Effect, What
from drumbo.core.gcode.dialects.dialect import STEPS, Dialect, Setting
from drumbo.core.gcode.words import alone, by_axis, fan, number, tool_heat


def _fan(command: Command) -> Iterator[Effect]:
    """M106: up to 1 it is a share."""
    share = command.values.get("S", 255.0)
    for effect in fan(command):
        yield Effect(effect.what, share if 0 <= share <= 1 else effect.value, effect.tool)


def _junction(command: Command) -> Iterator[Effect]:
    """M566: the speed that X may change at once, mm/min."""
    if command.values.get("X", 0) > 0:
        yield Effect(What.JUNCTION, command.values["X"] / 60)


DIALECT = Dialect(
    "m572",
    "pressure advance by M572 D S",
    Setting("M572 D0 S{value:.4f}", "M572", "S"),
    STEPS,
    place=2,
    own={
        "M106": _fan,
        "M203": by_axis(What.MOST_SPEED, 1 / 60),
        "M566": _junction,
        "M568": tool_heat,
        "M572": number(What.PRESSURE, "S", "D"),
        "M226": alone(What.PAUSE),
        "M98": None,
        "G32": None,
    },
    signs=frozenset({"M572", "M566", "M568", "M98", "M593", "G32"}),
    works_out=True,
    e_apart=True,
)
