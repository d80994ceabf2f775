"""When is the head where: a trapezoid planner with junction speeds.

Every move speeds up, cruises and brakes at one acceleration. Between two moves the velocity may jump by no
more than the junction speed, so the speed at a corner is at most J / |a − b| for unit directions a and b.
Moves of filament alone start and end at rest.

Worked number: 10 mm from rest to rest at 100 mm/s with 1000 mm/s² takes 10/100 + 100/1000 = 0.2 s.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from drumbo.core.compiled import njit

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Motion:
    """Columns of length n: speeds in mm/s at the start, the fastest point and the end of each move; seconds."""

    entry: Floats
    cruise: Floats
    leave: Floats
    seconds: Floats

    @property
    def total_s(self) -> float:
        """Time of all moves, s."""
        return float(self.seconds.sum())

    def ends(self) -> Floats:
        """When each move ends, s from the start of the first."""
        return np.cumsum(self.seconds)


def plan_moves(
    dx: Floats,
    dy: Floats,
    dz: Floats,
    de: Floats,
    speed: Floats,
    accel: float | Floats,
    junction: float | Floats,
) -> Motion:
    """Plan moves given by their steps (n,) in mm, with the asked speed (n,) in mm/s.

    `accel` in mm/s² and `junction` in mm/s are one number or (n,). A move that goes nowhere takes no time.
    """
    # One layout, so that the loop is compiled once: full columns, and limits of length n or 1.
    columns = [np.require(c, np.float64, ("C", "W")) for c in (dx, dy, dz, de, speed, accel, junction)]
    columns[5:] = [limit.reshape(-1) for limit in columns[5:]]
    return Motion(*_plan(*columns))


def _plan_loop(
    dx: Floats, dy: Floats, dz: Floats, de: Floats, speed: Floats, accel: Floats, junction: Floats
) -> tuple[Floats, Floats, Floats, Floats]:
    """The plain form of the planner: corner limits forwards, a braking pass backwards, then the times."""
    n = len(dx)
    each_accel, each_junction = min(len(accel) - 1, 1), min(len(junction) - 1, 1)
    entry = np.empty(n)
    cruise = np.empty(n)
    leave = np.empty(n)
    seconds = np.empty(n)
    previous_x = previous_y = previous_z = 0.0
    previous_speed = 0.0
    at = 0.0
    for i in range(n):
        way = np.sqrt(dx[i] * dx[i] + dy[i] * dy[i] + dz[i] * dz[i])
        x = y = z = 0.0
        if way > 1e-9:
            x, y, z = dx[i] / way, dy[i] / way, dz[i] / way
            turn_x, turn_y, turn_z = x - previous_x, y - previous_y, z - previous_z
            turn = np.sqrt(turn_x * turn_x + turn_y * turn_y + turn_z * turn_z)
            top = min(speed[i], previous_speed)
            corner = junction[i * each_junction]
            limit = top if turn * top <= corner else corner / turn
            at = min(limit, at)
            seconds[i] = way
        else:
            at = 0.0
            seconds[i] = -abs(de[i])
        entry[i] = at
        if way > 1e-9:
            at = min(np.sqrt(at * at + 2 * accel[i * each_accel] * way), speed[i])
            previous_speed = speed[i]
        else:
            at = 0.0
            previous_speed = 0.0
        previous_x, previous_y, previous_z = x, y, z
    end = 0.0
    for i in range(n - 1, -1, -1):
        way, push = seconds[i], accel[i * each_accel]
        if way <= 0:
            way = -way
            end = 0.0
            entry[i] = 0.0
        start = min(entry[i], np.sqrt(end * end + 2 * push * way))
        entry[i] = start
        peak = np.sqrt((2 * push * way + start * start + end * end) / 2)
        top = min(max(speed[i], start), peak)
        leave[i] = end
        cruise[i] = top
        if way > 0 and top > 0:
            ramps = (2 * top * top - start * start - end * end) / (2 * push)
            seconds[i] = (2 * top - start - end) / push + max(way - ramps, 0.0) / top
        else:
            seconds[i] = 0.0
        end = entry[i]
    return entry, cruise, leave, seconds


_plan = njit(_plan_loop)
