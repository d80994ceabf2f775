"""Pressure lags behind the drive: what leaves the nozzle along every road, from the real velocity profile.

With q the flow that is asked, k the pressure advance and K the lag, (1 + k·s)·q = (1 + K·s)·out, which is

    out = (k/K)·q + (1 − k/K)·y        with   K·y' = q − y

so that k = K gives out = q whatever the head does. y is stepped through each piece of road with the head's own speed.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from drumbo.core.compiled import njit

Floats = NDArray[np.float64]

PARTS = 8
"""Steps through one piece of road."""
SLOWEST_MM_S = 0.5
"""A head that starts from rest is not reckoned slower than this."""


def delivered_share(
    moves: dict[str, Floats], first: NDArray[np.int64], counts: NDArray[np.int64], lag_s: Floats, advance_s: Floats
) -> Floats:
    """(n,) what leaves the nozzle over each piece of road, as a share of what is asked there.

    `moves` are columns (m,): entry, cruise, leave (mm/s), accel (mm/s²), way (mm), area (mm³ a mm of way), pulled (mm
    held back during the move). A laid move k has pieces first[k] … first[k] + counts[k] − 1, others have counts 0.
    `lag_s` and `advance_s` are K and k by move, s.
    """
    total = int(counts.sum())
    share = np.ones(total)
    if total:
        _walk(
            moves["entry"], moves["cruise"], moves["leave"], moves["accel"], moves["way"], moves["area"],
            moves["pulled"], first, counts, lag_s, advance_s, share,
        )  # fmt: skip
    return share


def _walk_loop(
    entry: Any, cruise: Any, leave: Any, accel: Any, way: Any, area: Any, pulled: Any, first: Any, counts: Any,
    lag_s: Any, advance_s: Any, share: Any,
) -> None:  # fmt: skip
    """Step y through all moves in order. While filament is pulled back, what is under pressure waits."""
    y = 0.0
    for i in range(len(way)):
        if way[i] < 1e-9 or pulled[i] > 0.0:
            continue
        parts = max(counts[i], 1) * PARTS
        step = way[i] / parts
        slow, steep = lag_s[i], 2.0 * accel[i]
        ahead = min(advance_s[i] / slow, 3.0)
        came = 0.0
        before = entry[i]
        for part in range(parts):
            gone = (part + 1) * step
            rising = np.sqrt(entry[i] * entry[i] + steep * gone)
            falling = np.sqrt(leave[i] * leave[i] + steep * max(way[i] - gone, 0.0))
            now = min(rising, falling, cruise[i])
            speed = max((before + now) / 2, SLOWEST_MM_S)
            before = now
            seconds = step / speed
            asked = speed * area[i]
            fades = np.exp(-seconds / slow)
            mean = asked + (y - asked) * (slow / seconds) * (1.0 - fades)
            y = asked + (y - asked) * fades
            came += max(ahead * asked + (1.0 - ahead) * mean, 0.0) * seconds
            if (part + 1) % PARTS == 0 and counts[i] > 0:
                share[first[i] + part // PARTS] = came / (area[i] * step * PARTS)
                came = 0.0


_walk = njit(_walk_loop)


def _take_from_loop(area: Any, length: Any, first: Any, volume: Any) -> None:
    """Take what is missing, mm³, from the first pieces of roads on."""
    for k in range(len(first)):
        i, missing = first[k], volume[k]
        while missing > 0.0 and i < len(area):
            there = area[i] * length[i]
            taken = min(missing, 0.92 * there)
            area[i] -= taken / max(length[i], 1e-6)
            missing -= taken if taken > 1e-9 else missing
            i += 1


take_from = njit(_take_from_loop)


def _cycles_loop(e: Any, way: Any, feed: Any) -> Any:
    """Columns (n,) by move: pulled back, speed of that pull; and what a restart pushed beyond it, way coasted before a
    pull, NaN where there is neither.
    """
    n = len(e)
    pulled, speed = np.zeros(n), np.zeros(n)
    extra, coasted = np.full(n, np.nan), np.full(n, np.nan)
    held = rate = idle = 0.0
    for i in range(n):
        if way[i] < 1e-9 and e[i] < 0.0:
            if held == 0.0:
                coasted[i] = idle
            held -= e[i]
            rate = feed[i]
        elif way[i] < 1e-9 and e[i] > 0.0:
            if held > 0.0:
                extra[i] = e[i] - held
            held = 0.0
        elif e[i] > 0.0:
            held = idle = 0.0
        else:
            idle += way[i]
        pulled[i] = held
        speed[i] = rate
    return pulled, speed, extra, coasted


cycles = njit(_cycles_loop)
