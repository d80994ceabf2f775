"""File check: read a file back, G-code or a layer package, and say what it will do."""

from __future__ import annotations

from dataclasses import dataclass

from drumbo.core.errors import InvalidInput
from drumbo.core.gcode.inspect import Inspection, inspect
from drumbo.core.gcode.reader import read
from drumbo.exchange.layer_package import read_package
from drumbo.services.convert import context_of
from drumbo.services.profiles import get_row
from drumbo.store.database import Workshop

LARGEST_FILE = 150_000_000
ZIP = b"PK\x03\x04"


@dataclass(frozen=True, slots=True)
class Lit:
    """What a layer package will do. `lights_s` are seconds of light by layer, where there is least of it and most;
    `runs` the same as stretches (first layer, last layer, from s, to s).
    """

    title: tuple[str, ...]
    layers: int
    height_mm: float
    seconds: float
    pixels: tuple[int, int]
    pixel_um: float
    pictures: int
    on_glass: bool
    lights_s: tuple[tuple[float, float], ...]

    @property
    def runs(self) -> tuple[tuple[int, int, float, float], ...]:
        """Stretches of layers that are lit alike, counted from 1."""
        found: list[tuple[int, int, float, float]] = []
        for number, (low, high) in enumerate(self.lights_s, start=1):
            if found and found[-1][2:] == (low, high):
                found[-1] = (found[-1][0], number, low, high)
            else:
                found.append((number, number, low, high))
        return tuple(found)


def is_package(data: bytes) -> bool:
    """Whether a file looks like a layer package."""
    return data[:4] == ZIP


def check_package(data: bytes) -> Lit:
    """What a layer package will do; InvalidInput says where it is wrong."""
    found = read_package(data)
    lights = []
    for layer in found.layers:
        times = [light.seconds for light in layer.lights]
        # The first picture is lit for all; what stays lit longest has the sum.
        lights.append((round(times[0], 3), round(sum(times), 3)) if times else (0.0, 0.0))
    height_mm = sum(layer.height_um for layer in found.layers) / 1000
    return Lit(
        found.title, len(found.layers), round(height_mm, 3), found.seconds, found.screen.pixels, found.screen.pixel_um,
        len(found.images), found.on_glass, tuple(lights),
    )  # fmt: skip


def check(workshop: Workshop, data: bytes, profile_id: int | None = None) -> Inspection:
    """Inspect a file, against a profile if one is given. GcodeError names the line that cannot be read."""
    if len(data) > LARGEST_FILE:
        raise InvalidInput("file", f"is larger than {LARGEST_FILE // 1_000_000} MB; that is the most that is read")
    program = read(data)
    if profile_id is None:
        return inspect(program)
    with workshop.reading() as session:
        context = context_of(get_row(session, profile_id))
    return inspect(
        program,
        printer=context.printer,
        numbers=context.profile.numbers(),
        filament_mm=context.profile.number("filament_diameter_mm"),
        density_g_cm3=context.profile.number("density_g_cm3"),
    )
