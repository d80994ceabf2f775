"""Roads in printing order: from a piece and settings to a toolpath."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from manifold3d import CrossSection, Manifold
from numpy.typing import NDArray

from drumbo.core.toolpath.builder import ToolpathBuilder
from drumbo.core.toolpath.columns import Role, Set, Toolpath
from drumbo.core.toolpath.hatch import hatch
from drumbo.core.toolpath.pace import blow_by_time, slow_small_layers
from drumbo.core.toolpath.plane import closed_from_rear, edges_of, inside, nearest_chain, subdivide
from drumbo.core.toolpath.regions import FINE_MM, LayerPlan, grow, layer_at, plan_layers
from drumbo.core.toolpath.settings import PrintSettings

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class ToolChange:
    """Another tool. Through one nozzle the printer changes at `heat_c`, at which both flow; one of several nozzles is
    left at `standby_c`, and the other one, warm at `warm_c` so far, gets to `heat_c` before it goes on. °C.
    """

    tool: int
    heat_c: float
    left: int = 0
    standby_c: float | None = None
    warm_c: float = 0.0


@dataclass(frozen=True, slots=True)
class Override:
    """From the layer whose bottom is at `z_mm` on (piece coordinates), the nozzle runs at `nozzle_c` and the fan at the
    share `fan`; None leaves each as it is. One that `waits` has the printer stand until it is there. `change` comes
    before all that.
    """

    z_mm: float
    nozzle_c: float | None = None
    label: str = ""
    fan: float | None = None
    waits: bool = False
    change: ToolChange | None = None


def _change(pen: ToolpathBuilder, change: ToolChange) -> None:
    if change.standby_c is None:
        pen.event(Set.HEAT, change.heat_c)
        pen.event(Set.TOOL, change.tool)
        return
    pen.event(Set.WARM, change.warm_c, of=change.tool)
    pen.event(Set.STANDBY, change.standby_c, of=change.left)
    pen.event(Set.TOOL, change.tool)
    pen.event(Set.HEAT, change.heat_c)


@dataclass(frozen=True, slots=True)
class Zone:
    """A box of the piece, mm, in which islands are drawn with changed settings (fields of `PrintSettings`). With
    `nozzle_c` the printer waits for that temperature before each of them.
    """

    low: tuple[float, float, float]
    high: tuple[float, float, float]
    settings: Mapping[str, Any]
    label: str = ""
    nozzle_c: float | None = None

    def holds(self, x: float, y: float, z: float) -> bool:
        """Whether a point lies in the box; its lower faces belong to it."""
        point = zip(self.low, (x, y, z), self.high, strict=True)
        return all(low - 1e-6 <= value < high - 1e-6 for low, value, high in point)


@dataclass(frozen=True, slots=True)
class RawPath:
    """A road that the piece is by nature, drawn as it is: points (k, 2), mm, in piece coordinates.

    `settings` are its own, or None for the piece's. `pressure_s` is the pressure advance from here on, where it differs
    from that of the stroke before; it has no say where the firmware has no word for it. The nozzle is `raise_mm` above
    the layer's height.
    """

    points: Floats
    role: Role = Role.OUTER
    settings: PrintSettings | None = None
    pressure_s: float | None = None
    label: str = ""
    raise_mm: float = 0.0


@dataclass(frozen=True, slots=True)
class SpiralLoop:
    """One turn of a wall that is printed in a single rising line: points (k, 3), mm, in piece coordinates, z the top
    of the road, and its height (k − 1,) over what lies beneath. It goes on where the turn before ended.
    """

    points: Floats
    heights: Floats
    settings: PrintSettings
    label: str = ""


@dataclass(frozen=True, slots=True)
class _Road:
    """A line to print: points (k, 2), closed where the first point follows the last."""

    points: Floats
    role: Role


def build(
    solid: Manifold,
    settings: PrintSettings,
    *,
    middle: tuple[float, float],
    purge_from: tuple[float, float],
    overrides: Sequence[Override] = (),
    zones: Sequence[Zone] = (),
    strokes: Mapping[int, Sequence[RawPath]] | None = None,
    turns: Sequence[SpiralLoop] = (),
    tolerance_mm: float = FINE_MM,
    resting_on: Manifold | None = None,
) -> Toolpath:
    """The toolpath of a solid that stands on z = 0 around x = y = 0, printed at `middle` on the bed.

    Overrides take hold exactly between two layers; an island whose middle lies in a zone takes that zone's
    settings, and the next one outside has the piece's again. Strokes are drawn after what the solid has on their
    layer (counted from 0), or on layers above it; turns come last of all. The purge line starts at `purge_from`.
    `resting_on` is a solid of another print that holds this one up.
    """
    drawn = dict(strokes or {})
    special = [(zone, replace(settings, **zone.settings)) for zone in zones]
    pen = ToolpathBuilder(settings, offset=middle, start=purge_from)
    pending = sorted(overrides, key=lambda o: o.z_mm)
    blown: float | None = None

    def take_hold(index: int, bottom: float) -> None:
        nonlocal blown
        while pending and pending[0].z_mm <= bottom + 1e-6:
            override = pending.pop(0)
            pen.event(Set.NOTE, text=f"step {override.label}")
            if override.change is not None:
                _change(pen, override.change)
            if override.nozzle_c is not None:
                pen.event(Set.HEAT if override.waits else Set.NOZZLE, override.nozzle_c)
            blown = blown if override.fan is None else override.fan
        pen.fan(settings.fan_on_layer(index) if blown is None else blown)

    for layer in plan_layers(solid, settings, tolerance_mm, resting_on):
        pen.begin_layer(layer.index, layer.bottom, layer.height)
        take_hold(layer.index, layer.bottom)
        if layer.index == 0:
            if settings.purge:
                _purge(pen, purge_from, middle)
            _skirt(pen, layer, settings)
        _layer(pen, layer, settings, special)
        _draw_strokes(pen, drawn.pop(layer.index, ()), settings)
        pen.use(settings)
    for index in sorted(drawn):
        bottom, height = layer_at(index, settings)
        pen.begin_layer(index, bottom, height)
        take_hold(index, bottom)
        _draw_strokes(pen, drawn[index], settings)
    first = pen.layer + 1
    for index, turn in enumerate(turns, first):
        pen.use(turn.settings)
        if turn.label:
            pen.event(Set.NOTE, text=f"step {turn.label}")
        pen.fan(turn.settings.fan_on_layer(index))
        pen.climb(turn.points, turn.heights, Role.OUTER, index)
    return blow_by_time(slow_small_layers(pen.finish(), settings), settings)


def _purge(pen: ToolpathBuilder, start: tuple[float, float], middle: tuple[float, float]) -> None:
    x, y = start[0] - middle[0], start[1] - middle[1]
    pen.draw(np.array([[x, y], [x + 60.0, y], [x + 60.0, y + 0.6], [x, y + 0.6]]), Role.PURGE, None)


def _skirt(pen: ToolpathBuilder, layer: LayerPlan, settings: PrintSettings) -> None:
    outline = CrossSection.batch_hull([grow(layer.walls[0], settings.width_mm / 2)])
    for loop in range(settings.skirt_loops):
        away = settings.skirt_gap_mm + (settings.skirt_loops - loop) * settings.width_mm
        for ring in grow(outline, away).to_polygons():
            pen.draw(closed_from_rear(ring), Role.SKIRT, None)


def _layer(
    pen: ToolpathBuilder, layer: LayerPlan, settings: PrintSettings, special: Sequence[tuple[Zone, PrintSettings]] = ()
) -> None:
    """Islands one after the other, nearest first; in each inner walls, outer wall, then what fills it."""
    walls = [
        _Road(np.asarray(ring), Role.OUTER if k == 0 else Role.INNER)
        for k in reversed(range(len(layer.walls)))
        for ring in layer.walls[k].to_polygons()
    ]
    fills = list(_fills(layer, settings))
    homes = _homes([*walls, *fills], layer.islands)
    left = set(range(len(layer.islands)))
    middles = [(edges[:, 0].mean(), edges[:, 1].mean()) for edges in layer.islands]
    while left:
        here = pen.at
        island = min(left, key=lambda i: (middles[i][0] - here[0]) ** 2 + (middles[i][1] - here[1]) ** 2)
        left.remove(island)
        x, y = middles[island]
        zone, chosen = next((z for z in special if z[0].holds(x, y, layer.bottom)), (None, settings))
        pen.use(chosen)
        if zone is not None:
            pen.event(Set.NOTE, text=f"step {zone.label}")
            if zone.nozzle_c is not None:
                pen.event(Set.HEAT, zone.nozzle_c)
        for road, home in zip(walls, homes, strict=False):
            if home == island:
                _wall(pen, road, layer, layer.islands[island])
        inner = [road for road, home in zip(fills, homes[len(walls) :], strict=True) if home == island]
        _fill(pen, inner, layer.islands[island], settings)


def _draw_strokes(pen: ToolpathBuilder, strokes: Sequence[RawPath], settings: PrintSettings) -> None:
    for stroke in strokes:
        pen.use(stroke.settings or settings)
        if stroke.label:
            pen.event(Set.NOTE, text=f"step {stroke.label}")
        if stroke.pressure_s is not None:
            pen.event(Set.PRESSURE, stroke.pressure_s)
        pen.raise_by(stroke.raise_mm)
        pen.draw(stroke.points, stroke.role, None)


def _homes(roads: Sequence[_Road], islands: Sequence[Floats]) -> NDArray[np.int64]:
    """(n,) int: the island that each road's first point lies on."""
    firsts = np.array([(road.points[0] + road.points[1]) / 2 for road in roads]).reshape(-1, 2)
    homes = np.zeros(len(roads), np.int64)
    for number, edges in enumerate(islands):
        homes[inside(firsts, edges)] = number
    return homes


def _wall(pen: ToolpathBuilder, road: _Road, layer: LayerPlan, island: Floats) -> None:
    loop = closed_from_rear(road.points)
    if layer.beneath is None:
        pen.draw(loop, road.role, island)
        return
    for points, role in _by_support(loop, road.role, layer.beneath):
        pen.draw(points, role, island)


def _by_support(loop: Floats, role: Role, beneath: Floats) -> list[tuple[Floats, Role]]:
    """Cut a wall where it leaves or reaches what lies beneath: bridging where straight, else overhanging."""
    fine = subdivide(loop, 0.6)
    held = inside((fine[1:] + fine[:-1]) / 2, beneath)
    if held.all():
        return [(loop, role)]
    cuts = np.flatnonzero(np.diff(held)) + 1
    runs = []
    for first, last in zip([0, *cuts], [*cuts, len(held)], strict=True):
        points = _straighten(fine[first : last + 1])
        if held[first]:
            runs.append((points, role))
            continue
        between = first > 0 and last < len(held)
        bridging = between and _goes_straight(fine[first - 1 : last + 2])
        runs.append((points, Role.BRIDGE if bridging else Role.OVERHANG))
    return runs


def _goes_straight(points: Floats) -> bool:
    """Whether a line of 2 mm or more goes on straight from what holds it at one end to the other."""
    way = float(np.hypot(*np.diff(points, axis=0).T).sum())
    return way > 2.0 and math.hypot(*(points[-1] - points[0])) > 0.999 * way


def _straighten(points: Floats) -> Floats:
    """Without the points that lie on a straight line between their neighbours."""
    if len(points) < 3:
        return points
    back, on = points[1:-1] - points[:-2], points[2:] - points[1:-1]
    turns = np.abs(back[:, 0] * on[:, 1] - back[:, 1] * on[:, 0]) > 1e-7
    return np.asarray(points[np.concatenate([[True], turns, [True]])])


def _fills(layer: LayerPlan, settings: PrintSettings) -> list[_Road]:
    """Every straight line that fills the layer, bridges first so that they anchor on bare walls."""
    turn = math.pi / 4 if layer.index % 2 else 3 * math.pi / 4
    spacing = settings.spacing(layer.height)
    roads: list[_Road] = []
    for bridge in layer.bridges:
        roads += _lines(bridge.region, spacing, bridge.angle, Role.BRIDGE)
    roads += _lines(layer.solid, spacing, turn, Role.SOLID)
    roads += _lines(layer.top, spacing, turn, Role.TOP)
    if settings.infill > 0:
        roads += _lines(layer.sparse, spacing / settings.infill, turn, Role.INFILL)
    return roads


def _lines(region: CrossSection, spacing: float, angle: float, role: Role) -> list[_Road]:
    if region.is_empty():
        return []
    lines = hatch(edges_of(region.to_polygons()), spacing, angle, spacing / 2)
    long_enough = np.hypot(lines[:, 2] - lines[:, 0], lines[:, 3] - lines[:, 1]) > 0.4
    return [_Road(line, role) for line in lines[long_enough, :4].reshape(-1, 2, 2)]


def _fill(pen: ToolpathBuilder, roads: Sequence[_Road], island: Floats, settings: PrintSettings) -> None:
    """Lines one after the other, each from its nearer end; ends a road apart are joined without a travel."""
    reach = 1.7 * settings.width_mm
    for role in (Role.BRIDGE, Role.SOLID, Role.TOP, Role.INFILL):
        lines = [road.points for road in roads if road.role == role]
        if not lines:
            continue
        table = np.array(lines)
        order, back, gaps = nearest_chain(table.reshape(-1, 4), *pen.at)
        table = table[order]
        table[back] = table[back][:, ::-1]
        cuts = np.flatnonzero((gaps > reach) | (role == Role.BRIDGE))
        for chain in np.split(table, cuts[cuts > 0]):
            pen.draw(chain.reshape(-1, 2), role, island)
