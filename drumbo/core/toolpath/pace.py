"""How fast roads are printed: what holds them back, and the same roads at another pace."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from drumbo.core.motion import Motion
from drumbo.core.toolpath.columns import Event, Role, Set, Toolpath, path_motion
from drumbo.core.toolpath.settings import PrintSettings

Floats = NDArray[np.float64]

CLIMB_MM_S = 20.0
"""A head goes up and down no faster."""


def at_pace(path: Toolpath, settings: PrintSettings) -> Toolpath:
    """The same roads, driven as fast as these settings ask: speeds, max volumetric speed, acceleration, junctions.

    The roads' widths and heights must be those of the settings; what `build` would make of them is the same to the
    last digit.
    """
    speed = path.speed.copy()
    laid = (path.role >= Role.PURGE) & (path.height > 0)
    heights, level = np.unique(path.height[laid], return_inverse=True)
    first = (path.layer[laid] == 0).astype(np.int64)
    kinds, which = np.unique((path.role[laid].astype(np.int64) * 2 + first) * len(heights) + level, return_inverse=True)
    table = np.empty(len(kinds))
    for place, kind in enumerate(kinds.tolist()):
        (role, on_plate), height = divmod(kind // len(heights), 2), float(heights[kind % len(heights)])
        table[place] = settings.speed_of(Role(role), 0 if on_plate else 1, height)
    speed[laid] = table[which]
    travels = path.role == Role.TRAVEL
    top = settings.speeds[Role.TRAVEL]
    speed[travels] = np.where(_climbs(path)[travels], min(CLIMB_MM_S, top), top)
    paced = replace(path, speed=speed, accel_mm_s2=settings.accel_mm_s2, junction_mm_s=settings.junction_mm_s)
    return slow_small_layers(paced, settings)


def _climbs(path: Toolpath) -> NDArray[np.bool_]:
    """(n,) moves that only go up or down."""
    still = (np.diff(path.x, prepend=path.start[0]) == 0) & (np.diff(path.y, prepend=path.start[1]) == 0)
    return np.asarray(still)


def slow_small_layers(path: Toolpath, settings: PrintSettings) -> Toolpath:
    """Slow roads down on layers quicker than the minimum layer time, but never below the floor."""
    if settings.layer_time_min_s <= 0 or not len(path):
        return path
    speed = path.speed
    for _ in range(3):
        motion = path_motion(replace(path, speed=speed))
        speed = _slower(path, speed, motion, settings)
    return replace(path, speed=speed)


def _slower(path: Toolpath, speed: Floats, motion: Motion, settings: PrintSettings) -> Floats:
    layers = int(path.layer.max()) + 1
    roads = path.role >= Role.SKIRT
    whole = np.bincount(path.layer, motion.seconds, layers)
    printing = np.bincount(path.layer[roads], motion.seconds[roads], layers)
    wanted = np.maximum(settings.layer_time_min_s - (whole - printing), 1e-6)
    share = np.where(printing > 0, np.minimum(printing / wanted, 1.0), 1.0)
    share = np.where(whole >= settings.layer_time_min_s * 0.995, 1.0, share)
    share[0] = 1.0
    slowed = np.maximum(speed * share[path.layer], np.minimum(speed, settings.speed_floor))
    return np.where(roads, slowed, speed)


def layer_times(path: Toolpath) -> Floats:
    """(layers,) seconds that every layer takes."""
    return np.asarray(np.bincount(path.layer, path_motion(path).seconds), np.float64)


def blow_by_time(path: Toolpath, settings: PrintSettings) -> Toolpath:
    """The same roads with more fan on quick layers, where the settings ask for that."""
    if settings.fan_short <= settings.fan or not len(path):
        return path
    seconds = layer_times(path)
    wanted = np.array([settings.fan_in_time(layer, float(s)) for layer, s in enumerate(seconds)])
    asked = np.zeros(len(path))
    for event in path.events:
        if event.what == Set.FAN:
            asked[event.row :] = event.value
    blown = np.maximum(asked, wanted[path.layer])
    changes = np.flatnonzero(np.diff(blown, prepend=0.0))
    others = [e for e in path.events if e.what != Set.FAN or e.row >= len(path)]
    events = [*others, *(Event(int(row), Set.FAN, float(blown[row])) for row in changes)]
    return replace(path, events=tuple(sorted(events, key=lambda event: event.row)))
