"""Kinds of resin trials: a job of layers instead of roads."""

from __future__ import annotations

import math
from abc import abstractmethod
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any, ClassVar, Protocol

from drumbo.core.catalogue import RESIN
from drumbo.core.errors import InvalidInput
from drumbo.core.light.job import LayerJob, Screen, evened
from drumbo.core.resin import Resin, ResinPrinter
from drumbo.trials.base import AnyKind, Bound, P
from drumbo.trials.plan import ask

ONE, SEVERAL = "one", "several"
PIN_SEGMENTS = 20
"""Round pins are drawn with so many corners."""
MARGIN_MM = 1.5
"""What stays free at the edges of a screen."""


def ask_way() -> Any:
    """The field of a plan that asks whether one print holds all steps."""
    ways = ((ONE, "all in one print"), (SEVERAL, "one print for each"))
    needs = "One print needs a printer that takes several lights in one layer."
    return ask("Printed as", kind="choice", choices=ways, help=needs)


class WithWay(Protocol):
    """A plan that asks for it."""

    @property
    def way(self) -> str:
        """ONE or SEVERAL."""


@dataclass(frozen=True, slots=True)
class ResinContext(Bound[ResinPrinter, Resin]):
    """What a resin trial is bound to."""


class LayerKind(AnyKind[ResinContext, P]):
    """One kind of resin trial."""

    process: ClassVar[str] = RESIN

    @abstractmethod
    def job(self, plan: P, context: ResinContext, title: Sequence[str]) -> LayerJob:
        """What the printer is to do."""

    def print_file(self, plan: P, context: ResinContext, *, title: Sequence[str] = ()) -> LayerJob:
        """The whole way from a plan to its layers."""
        self.check(plan, context)
        said = (self.title, context.printer.name, context.material.name, *title)
        made, lamp = self.job(plan, context, said), context.printer.evens_by
        made = made if lamp is None or made.on_glass else evened(made, lamp)
        grams = made.volume_mm3 / 1000 * context.material.density_g_cm3
        return replace(made, grams=grams, cost=context.material.cost(grams))


def usual_way(context: ResinContext) -> str:
    """One print where the printer can."""
    return ONE if context.printer.lights_apart == "yes" else SEVERAL


def check_way(plan: WithWay, context: ResinContext) -> None:
    """InvalidInput for one print on a printer that takes one light a layer."""
    if plan.way == ONE and context.printer.lights_apart != "yes":
        raise InvalidInput("way", f"{context.printer.name} takes one light a layer; print one for each")


def as_printed(plan: WithWay, times: Sequence[float]) -> list[float]:
    """Lights of the steps in the file; as several prints, the middle one's for all: the maker's slicer sets each."""
    return list(times) if plan.way == ONE else [times[len(times) // 2]] * len(times)


def base_mm(context: ResinContext, layer_um: float, least_mm: float, clear_layers: int) -> float:
    """Thickness of a foot in whole layers: all that is lit longer lies in it."""
    numbers, layer_mm = context.profile.numbers(), layer_um / 1000
    count = numbers["bottom_layers"] + numbers["transition_layers"] + clear_layers
    return math.ceil(max(least_mm, count * layer_mm) / layer_mm - 1e-9) * layer_mm


def screen_of(context: ResinContext) -> Screen:
    """The printer's screen."""
    printer = context.printer
    return Screen((int(printer.pixels_x), int(printer.pixels_y)), printer.pixel_um)


def widest_mm(context: ResinContext) -> float:
    """How wide a piece may be on the printer's screen, mm."""
    return context.printer.size_mm[0] - 2 * MARGIN_MM


def as_many(context: ResinContext, wanted: int, pitch_mm: float, wide_mm: float) -> int:
    """So many pieces side by side as a plan wants, or as the screen has room for."""
    return min(wanted, max(int((widest_mm(context) - wide_mm) / pitch_mm) + 1, 1))


def check_room(context: ResinContext, field: str, wide_mm: float, deep_mm: float, high_mm: float) -> None:
    """InvalidInput where a piece has no room on the screen or beneath the plate's highest place."""
    wide, deep = context.printer.size_mm
    if wide_mm > wide - 2 * MARGIN_MM or deep_mm > deep - 2 * MARGIN_MM:
        room = f"{wide - 2 * MARGIN_MM:.0f} × {deep - 2 * MARGIN_MM:.0f} mm"
        raise InvalidInput(
            field, f"the piece would be {wide_mm:.0f} × {deep_mm:.0f} mm; the screen has room for {room}"
        )
    if high_mm > context.printer.height_mm:
        raise InvalidInput(field, f"{context.printer.name} prints no higher than {context.printer.height_mm:g} mm")


def snapping(context: ResinContext) -> Callable[[float], float]:
    """What brings a place along x, mm, to the nearest border between two pixels."""
    screen = screen_of(context)
    return lambda mm: on_pixels(mm, screen.pixels[0], screen.pixel_mm)


def on_pixels(mm: float, pixels: int, pixel_mm: float) -> float:
    """The nearest border between two pixels to a place, mm from the middle of the screen."""
    return (round(mm / pixel_mm + pixels / 2) - pixels / 2) * pixel_mm
