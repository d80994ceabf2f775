"""Filament pieces on a printer's bed: whole layers, room, and the roads of a solid."""

from __future__ import annotations

import math
from typing import Any

from manifold3d import Manifold

from drumbo.core.errors import InvalidInput
from drumbo.core.printer import Printer
from drumbo.core.toolpath import PrintSettings, Toolpath, build, settings_for
from drumbo.trials.base import Context

FAR = 1e3
"""Further than any bed reaches, mm: bounds of a zone that only its height limits."""


def usual_settings(context: Context) -> PrintSettings:
    """How the profile prints on its printer."""
    return settings_for(context.profile.numbers(), context.printer)


def whole_layers_mm(height_mm: float, settings: PrintSettings) -> float:
    """A height as whole layers, so that what changes there changes between two of them."""
    return round(height_mm / settings.layer_mm) * settings.layer_mm


def foot_mm(settings: PrintSettings, layers: int) -> float:
    """Height of a foot of so many layers, the first one among them."""
    return settings.first_layer_mm + (layers - 1) * settings.layer_mm


def check_bed(field: str, printer: Printer, wide_mm: float, deep_mm: float, doing: str = "the piece needs") -> None:
    """InvalidInput at a field where a bed is smaller than this, with the size that would do."""
    if printer.bed_x_mm < wide_mm or printer.bed_y_mm < deep_mm:
        raise InvalidInput(field, f"{doing} a bed of {math.ceil(wide_mm)} × {math.ceil(deep_mm)} mm")


def on_bed(
    solid: Manifold, context: Context, settings: PrintSettings | None = None, *,
    purge: tuple[float, float] = (10, 8), **more: Any,
) -> Toolpath:  # fmt: skip
    """The roads of a solid in the middle of the bed; `purge` is how far from the bed's near corner the purge line
    begins, mm, and `more` what `build` takes.
    """
    low_x, low_y = context.printer.bed_low
    return build(
        solid, settings or usual_settings(context), middle=context.printer.bed_middle,
        purge_from=(low_x + purge[0], low_y + purge[1]), **more,
    )  # fmt: skip
