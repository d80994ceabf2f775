"""A head that travels above the plate and pushes filament into the air: what the weighing trial's file does."""

from __future__ import annotations

import math

import numpy as np

from drumbo.core.toolpath import Event, PrintSettings, Role, Toolpath
from drumbo.core.toolpath.columns import Set

CHUNK_MM = 10.0
"""Filament is fed in stretches, so that progress shows."""
Spot = tuple[float, float]


class Feed:
    """Collects moves at one height, mm. Spots are given around x = y = 0, which lies at `middle` of the bed."""

    def __init__(self, settings: PrintSettings, middle: Spot, height_mm: float, start: Spot) -> None:
        self._settings = settings
        self._middle = middle
        self._z = height_mm
        self._rows: list[tuple[float, float, float, float, float]] = []
        self._events: list[Event] = []
        self._at = self._start = self._on_bed(start)

    def _on_bed(self, spot: Spot) -> Spot:
        return spot[0] + self._middle[0], spot[1] + self._middle[1]

    def _row(self, filament_mm: float, speed: float, role: Role) -> None:
        self._rows.append((*self._at, filament_mm, speed, float(role)))

    def heat(self, nozzle_c: float) -> None:
        """Bring the nozzle to a temperature and wait for it."""
        self._events.append(Event(len(self._rows), Set.HEAT, nozzle_c))

    def note(self, text: str) -> None:
        """A comment before what follows."""
        self._events.append(Event(len(self._rows), Set.NOTE, text=text))

    def go(self, spot: Spot) -> None:
        """Travel, with filament pulled back."""
        s = self._settings
        if s.retraction_mm > 0:
            self._row(-s.retraction_mm, s.retraction_speed, Role.RETRACT)
        self._at = self._on_bed(spot)
        self._row(0.0, s.speeds[Role.TRAVEL], Role.TRAVEL)
        if s.retraction_mm > 0:
            self._row(s.retraction_mm, s.retraction_speed, Role.RESTART)

    def push(self, filament_mm: float, flow_mm3_s: float) -> None:
        """Push so much filament out, standing still."""
        count = math.ceil(filament_mm / CHUNK_MM)
        for _ in range(count):
            self._row(filament_mm / count, flow_mm3_s / self._settings.filament_area, Role.PURGE)

    def finish(self, width_mm: float) -> Toolpath:
        """The moves as columns."""
        x, y, filament, speed, role = np.array(self._rows).T
        count = len(self._rows)
        return Toolpath(
            start=(*self._start, self._z), x=np.round(x, 3), y=np.round(y, 3), z=np.full(count, self._z), e_mm=filament,
            speed=speed, role=role.astype(np.uint8), layer=np.zeros(count, np.int32), height=np.zeros(count),
            events=tuple(self._events), width_mm=width_mm, accel_mm_s2=self._settings.accel_mm_s2,
            junction_mm_s=self._settings.junction_mm_s,
        )  # fmt: skip
