"""A layer job: what a resin printer is to do, layer by layer. Solids and numbers in, lights and lifts out."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from manifold3d import CrossSection, JoinType, Manifold, OpType
from numpy.typing import NDArray

from drumbo.core.errors import InvalidInput
from drumbo.core.light.lamp import LampMap

Rings = tuple[NDArray[np.float32], ...]
"""Outlines (k, 2), mm: single precision is a hundredth of a micrometre on any screen, and half the memory."""
MITRE = 2.0
NEEDLESS_MM = 2e-5
"""Corners that lie this near to the line between their neighbours are none."""
SKIN_MM = 0.25
SAME_S = 1e-6
"""Lights closer together than this are one."""


@dataclass(frozen=True, slots=True)
class Screen:
    """Pixels of the screen, and how large one is."""

    pixels: tuple[int, int]
    pixel_um: float

    @property
    def pixel_mm(self) -> float:
        """Width of a pixel, mm."""
        return self.pixel_um / 1000

    @property
    def size_mm(self) -> tuple[float, float]:
        """Width and depth, mm."""
        return self.pixels[0] * self.pixel_mm, self.pixels[1] * self.pixel_mm


@dataclass(frozen=True, slots=True)
class Light:
    """One picture for so many seconds, at a share of full power. `shape` counts into a job's shapes."""

    shape: int
    seconds: float
    power: float = 1.0


@dataclass(frozen=True, slots=True)
class Lift:
    """Off the film and back: `slow_mm` at `mm_min`, the rest at `fast_mm_min`, then down."""

    mm: float
    slow_mm: float
    mm_min: float
    fast_mm_min: float
    retract_mm_min: float

    @property
    def seconds(self) -> float:
        """How long it takes. 6 mm at 60 mm/min and back at 180: 8 s."""
        fast = self.mm - self.slow_mm
        return 60 * (self.slow_mm / self.mm_min + fast / self.fast_mm_min + self.mm / self.retract_mm_min)


NO_LIFT = Lift(0.0, 0.0, 60.0, 60.0, 60.0)


@dataclass(frozen=True, slots=True)
class Layer:
    """One layer: its lights one after another without a lift between, then the lift. Rests in seconds."""

    height_um: float
    lights: tuple[Light, ...]
    lift: Lift
    rest_before_s: float
    rest_after_s: float

    @property
    def seconds(self) -> float:
        """How long it takes in all."""
        return self.rest_before_s + sum(light.seconds for light in self.lights) + self.lift.seconds + self.rest_after_s


@dataclass(frozen=True, slots=True)
class LayerJob:
    """All layers from the plate on. `shapes` are outlines in mm from the middle of the screen, each kept once; one on
    glass has no plate: its lights cure skins on a pane in the vat. With a `mask` pictures are darker where the lamp is
    brighter, and lights longer by as much as its darkest place lacks: then all places get what the middle is to get.
    """

    title: tuple[str, ...]
    screen: Screen
    layers: tuple[Layer, ...]
    shapes: tuple[Rings, ...]
    areas_mm2: tuple[float, ...]
    antialias_levels: int = 1
    on_glass: bool = False
    mask: LampMap | None = None
    grams: float = 0.0
    cost: float | None = None

    @property
    def seconds(self) -> float:
        """How long it takes in all."""
        return sum(layer.seconds for layer in self.layers)

    @property
    def evened(self) -> float:
        """How many times longer its lights are because its pictures make up for an uneven lamp; 1 where they do not."""
        return 1.0 if self.mask is None else self.mask.longer

    @property
    def volume_mm3(self) -> float:
        """What sets: each layer's outline times its height; on glass, about what skins are thick."""
        if self.on_glass:
            return self.areas_mm2[self.layers[0].lights[0].shape] * SKIN_MM
        return sum(
            self.areas_mm2[layer.lights[0].shape] * layer.height_um / 1000 for layer in self.layers if layer.lights
        )


def evened(made: LayerJob, lamp: LampMap) -> LayerJob:
    """A job whose pictures make up for an uneven lamp, its lights longer by what the darkest place lacks."""
    return replace(made, layers=lit_for(made.layers, lamp.longer), mask=lamp)


def lit_for(layers: Sequence[Layer], longer: float) -> tuple[Layer, ...]:
    """The same layers with lights so many times as long."""
    return tuple(
        replace(layer, lights=tuple(replace(light, seconds=round(light.seconds * longer, 4)) for light in layer.lights))
        for layer in layers
    )


@dataclass(frozen=True, slots=True)
class LitSolid:
    """A solid with exposures of its own, s; one that is to show what light alone does is not `compensated`."""

    solid: Manifold
    exposure_s: float
    bottom_s: float
    compensated: bool = True


Lifting = Callable[[float, Lift], Lift]
"""At a height, mm, and what the profile says: what is done there."""
Resting = Callable[[float, float], float]


def exposures(normal_s: float, bottom_s: float, bottom_layers: int, transition_layers: int, count: int) -> list[float]:
    """Seconds of light of each of `count` layers: bottom, then steps down, then normal.

    exposures(2, 20, 1, 2, 5): 20, 14, 8, 2, 2.
    """
    step = (bottom_s - normal_s) / (transition_layers + 1)
    found = []
    for layer in range(count):
        past = layer - bottom_layers + 1
        found.append(bottom_s if past <= 0 else max(bottom_s - step * past, normal_s) if step > 0 else normal_s)
    return found


def job(
    solids: Sequence[LitSolid],
    numbers: Mapping[str, float],
    screen: Screen,
    *,
    title: Sequence[str] = (),
    lifting: Lifting | None = None,
    resting: Resting | None = None,
) -> LayerJob:
    """Lay solids into layers. `numbers` are a resin profile's by catalogue key. Where solids want different lights in
    one layer, the picture of all is lit first, then that of those that want more.

    InvalidInput where something lies outside of the screen. Light that goes on into what lies under an overhang is made
    up for by leaving out an underside's first layers, as many as `z_um` below 0 comes to.
    """
    height_um = numbers["layer_um"]
    boxes = np.array([lit.solid.bounding_box() for lit in solids])
    _check_fits(boxes, screen)
    count = max(math.ceil(round(float(boxes[:, 5].max()) * 1000 / height_um, 6)), 1)
    bottoms, transitions = int(numbers["bottom_layers"]), int(numbers["transition_layers"])
    times = [exposures(lit.exposure_s, lit.bottom_s, bottoms, transitions, count) for lit in solids]
    keep, slicer, power = _Kept(), _Slicer(layers_off(numbers)), numbers["power_percent"] / 100
    known: dict[tuple[tuple[int, ...], tuple[float, ...]], tuple[Light, ...]] = {}
    layers = []
    for number in range(count):
        middle_mm = (number + 0.5) * height_um / 1000
        grow_mm = numbers["xy_bottom_mm"] if number < bottoms else numbers["xy_mm"]
        slices = [
            slicer.slice(place, lit.solid, middle_mm, grow_mm if lit.compensated else 0.0, lit.compensated)
            for place, lit in enumerate(solids)
        ]
        wanted = tuple(t[number] for t in times)
        key = (tuple(id(shape) for shape in slices), wanted)
        if key not in known:
            known[key] = _lights(slices, wanted, keep, power)
        lights = known[key]
        lift, rest_s = lift_of(numbers, bottom=number < bottoms), rest_of(numbers, bottom=number < bottoms)
        if number >= bottoms:
            lift = lifting(middle_mm, lift) if lifting else lift
            rest_s = resting(middle_mm, rest_s) if resting else rest_s
        layers.append(Layer(height_um, lights, lift, rest_s, numbers["rest_after_s"]))
    return LayerJob(
        tuple(title), screen, tuple(layers), tuple(keep.shapes), tuple(keep.areas), int(numbers["antialias_levels"])
    )


def on_glass(
    patches: Sequence[tuple[CrossSection, float]],
    power: float,
    screen: Screen,
    *,
    apart: bool,
    title: Sequence[str] = (),
) -> LayerJob:
    """Patches (outline, seconds) on a pane of glass, without a lift: those that want more stay lit. A printer that
    takes several lights `apart` gets them in one layer, another one layer a light.
    """
    keep = _Kept()
    lights = _lights([shape for shape, _ in patches], [seconds for _, seconds in patches], keep, power)
    layers = [lights] if apart else [(light,) for light in lights]
    made = tuple(Layer(0.0, each, NO_LIFT, 0.0, 0.0) for each in layers)
    return LayerJob(tuple(title), screen, made, tuple(keep.shapes), tuple(keep.areas), on_glass=True)


class _Kept:
    """Shapes, each once."""

    def __init__(self) -> None:
        self.shapes: list[Rings] = []
        self.areas: list[float] = []
        self._places: dict[bytes, int] = {}

    def place(self, shape: CrossSection) -> int:
        rings = _rings(shape)
        key = b"|".join(ring.tobytes() for ring in rings)
        if key not in self._places:
            self._places[key] = len(self.shapes)
            self.shapes.append(rings)
            self.areas.append(shape.area())
        return self._places[key]


def _rings(shape: CrossSection) -> Rings:
    """The outline without needless corners, each ring from its first corner on: the same shape is the same rings."""
    rings = []
    for ring in shape.simplify(NEEDLESS_MM).to_polygons():
        corners = np.asarray(ring, dtype=np.float32).round(5) + np.float32(0.0)
        first = int(np.lexsort((corners[:, 1], corners[:, 0]))[0])
        rings.append(np.roll(corners, -first, axis=0))
    return tuple(sorted(rings, key=lambda ring: ring.tobytes()))


def layers_off(numbers: Mapping[str, float]) -> int:
    """How many layers an underside loses, so that what light adds below it comes out as drawn. −80 µm at 50: 2."""
    return max(round(-numbers.get("z_um", 0.0) / numbers["layer_um"]), 0)


class _Slicer:
    """Cuts solids from the plate up; what is the same shape as one before is that very one. An underside begins `off`
    layers later than it is drawn.
    """

    def __init__(self, off: int) -> None:
        self._off = off
        self._known: dict[bytes, CrossSection] = {}
        self._below: dict[int, list[CrossSection]] = {}

    def slice(self, place: int, solid: Manifold, z_mm: float, grow_mm: float, compensated: bool) -> CrossSection:
        """The outline of the solid at that place in the list at a height, grown on all sides."""
        shape = self._one(solid.slice(z_mm))
        if compensated and self._off:
            below = self._below.setdefault(place, [])
            drawn, shape = shape, self._one(self._over(shape, below[-self._off :]))
            below.append(drawn)
        return self._one(shape.offset(grow_mm, JoinType.Miter, MITRE)) if grow_mm else shape

    def _over(self, shape: CrossSection, below: Sequence[CrossSection]) -> CrossSection:
        """What of a layer has something beneath it in all layers below; all of it on the plate."""
        others = [other for other in below if other is not shape]
        return CrossSection.batch_boolean([shape, *others], OpType.Intersect) if others else shape

    def _one(self, shape: CrossSection) -> CrossSection:
        return self._known.setdefault(b"|".join(ring.tobytes() for ring in _rings(shape)), shape)


def _lights(slices: Sequence[CrossSection], seconds: Sequence[float], keep: _Kept, power: float) -> tuple[Light, ...]:
    there = [(s, shape) for s, shape in zip(seconds, slices, strict=True) if not shape.is_empty()]
    lights, done = [], 0.0
    for until in sorted({s for s, _ in there}):
        if until - done < SAME_S:
            continue
        lit = CrossSection.batch_boolean([shape for s, shape in there if s >= until], OpType.Add)
        lights.append(Light(keep.place(lit), round(until - done, 4), power))
        done = until
    return tuple(lights)


def lift_of(numbers: Mapping[str, float], *, bottom: bool) -> Lift:
    """The lift of a resin profile's layers, by catalogue key."""
    mm, slow = numbers["lift_mm"], numbers["lift_slow_mm"]
    if bottom:
        speed = numbers["lift_bottom_mm_min"]
        return Lift(mm, mm, speed, speed, numbers["retract_mm_min"])
    return Lift(mm, min(slow, mm) if slow > 0 else mm, numbers["lift_speed_mm_min"], numbers["lift_fast_mm_min"],
                numbers["retract_mm_min"])  # fmt: skip


def rest_of(numbers: Mapping[str, float], *, bottom: bool) -> float:
    """The rest before light of a resin profile's layers, s."""
    return numbers["rest_bottom_s"] if bottom else numbers["rest_before_s"]


def _check_fits(boxes: NDArray[np.float64], screen: Screen) -> None:
    wide, deep = screen.size_mm
    low, high = boxes[:, :2].min(axis=0), boxes[:, 3:5].max(axis=0)
    if (low < np.array([-wide / 2, -deep / 2]) - 1e-9).any() or (high > np.array([wide / 2, deep / 2]) + 1e-9).any():
        size = high - low
        raise InvalidInput("piece", f"is {size[0]:.0f} × {size[1]:.0f} mm; the screen has {wide:.0f} × {deep:.0f}")
