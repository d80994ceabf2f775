"""File check: read any G-code file back and say what it will do."""

from __future__ import annotations

from drumbo.core.errors import InvalidInput
from drumbo.core.gcode.inspect import Inspection, inspect
from drumbo.core.gcode.reader import read
from drumbo.services.convert import context_of
from drumbo.services.profiles import get_row
from drumbo.store.database import Workshop

LARGEST_FILE = 150_000_000


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
