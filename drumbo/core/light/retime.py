"""A profile's light, rests and lifts for layers that somebody else has drawn: their pictures stay as they are."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from drumbo.core.errors import InvalidInput
from drumbo.core.light.job import Layer, Light, exposures, lift_of, rest_of

SAME_UM = 1.0
"""Heights of layers that differ by less are the same: packages round them."""
LEAST_S, MOST_S = 0.1, 600.0
LONGEST_S = 3600.0
"""No reader of packages takes a longer light."""


@dataclass(frozen=True, slots=True)
class Stretch:
    """Layers from `first` to `last`, counted from 1, that are lit for a time of their own, s."""

    first: int
    last: int
    exposure_s: float
    row: int = 1
    """Which of a form's rows it is: problems name it."""


def retimed(layers: Sequence[Layer], numbers: Mapping[str, float], stretches: Sequence[Stretch] = ()) -> list[Layer]:
    """The layers as a resin profile's `numbers` (by catalogue key) have them, stretches with their own light. Of a
    layer with several lights the first one is the profile's, the others keep their share of it.

    InvalidInput under "profile" where it is for layers of another height or no such light can be, and under
    "stretch_" and its row where a stretch cannot be.
    """
    _check_height(layers, numbers["layer_um"])
    _check_stretches(stretches, len(layers))
    bottoms, transitions = int(numbers["bottom_layers"]), int(numbers["transition_layers"])
    wanted = exposures(numbers["exposure_s"], numbers["bottom_exposure_s"], bottoms, transitions, len(layers))
    for stretch in stretches:
        wanted[stretch.first - 1 : stretch.last] = [stretch.exposure_s] * (stretch.last - stretch.first + 1)
    power = numbers["power_percent"] / 100
    return [
        replace(
            layer,
            lights=_lit(layer.lights, seconds, power, number + 1),
            lift=lift_of(numbers, bottom=number < bottoms),
            rest_before_s=rest_of(numbers, bottom=number < bottoms),
            rest_after_s=numbers["rest_after_s"],
        )
        for number, (layer, seconds) in enumerate(zip(layers, wanted, strict=True))
    ]


def _lit(lights: tuple[Light, ...], seconds: float, power: float, layer: int) -> tuple[Light, ...]:
    """The first light for so long and so strong, the others in proportion to it."""
    first = next((light for light in lights if light.seconds > 0 and light.power > 0), None)
    if first is None:
        return lights
    longer, stronger = seconds / first.seconds, power / first.power
    lit = tuple(replace(x, seconds=round(x.seconds * longer, 4), power=x.power * stronger) for x in lights)
    if max(x.seconds for x in lit) > LONGEST_S or max(x.power for x in lit) > 1 + 1e-9:
        raise InvalidInput(
            "profile", f"cannot light layer {layer}: one of its lights would be longer or stronger than there is"
        )
    return tuple(replace(x, power=min(x.power, 1.0)) for x in lit)


def _check_height(layers: Sequence[Layer], height_um: float) -> None:
    """Light for one height is not the light for another."""
    other = next((k for k, layer in enumerate(layers) if abs(layer.height_um - height_um) > SAME_UM), None)
    if other is not None:
        raise InvalidInput(
            "profile",
            f"is for layers of {height_um:g} µm, but layer {other + 1} of the package is "
            f"{layers[other].height_um:g} µm high and wants another light; slice it again, or take a profile for that "
            "height",
        )


def _check_stretches(stretches: Sequence[Stretch], count: int) -> None:
    free = 1
    for stretch in sorted(stretches, key=lambda each: each.first):
        field = f"stretch_{stretch.row}"
        if not 1 <= stretch.first <= stretch.last <= count:
            raise InvalidInput(field, f"must lie between layer 1 and {count}, its first layer not behind its last")
        if stretch.first < free:
            raise InvalidInput(field, f"begins at layer {stretch.first}, where another stretch has not ended yet")
        if not LEAST_S <= stretch.exposure_s <= MOST_S:
            raise InvalidInput(field, f"must be lit for {LEAST_S:g} to {MOST_S:g} s a layer")
        free = stretch.last + 1
