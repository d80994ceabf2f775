"""Learning from a file: values that it uses, taken into a new profile."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from drumbo.core.catalogue import BY_KEY, Parameter
from drumbo.core.counted import counted
from drumbo.core.errors import InvalidInput
from drumbo.core.gcode.against import Against
from drumbo.core.gcode.inferred import InferredSetting, inferred_settings
from drumbo.core.material import Material
from drumbo.core.printer import Printer
from drumbo.core.profile import Origin, OriginKind, Profile, Value, changed, start
from drumbo.services.check import look_against
from drumbo.services.profiles import add, check_name, picked
from drumbo.store.database import Workshop


@dataclass(frozen=True, slots=True)
class InferredLine:
    """One value of a file beside the starting value that it would replace; `warning` where it is unusual."""

    parameter: Parameter
    lesson: InferredSetting
    before: Value | None
    warning: str | None

    @property
    def same(self) -> bool:
        """Whether the start says the same."""
        return self.before is not None and self.parameter.show(self.before.number) == self.parameter.show(
            self.lesson.number
        )


def preview_lessons(workshop: Workshop, digest: str, material_id: int, printer_id: int) -> tuple[InferredLine, ...]:
    """What a file could teach a profile of a spool on a printer. InvalidInput names the field; NotFound once the file
    is gone. Nothing is kept.
    """
    with workshop.reading() as session:
        begun = _begin(session, material_id, printer_id, "new")
    return _lines(workshop, digest, begun)


def learn(
    workshop: Workshop, digest: str, title: str, material_id: int, printer_id: int, name: str, keys: Collection[str]
) -> int:
    """A new profile with values of a file that were picked, starting values for the rest; returns its number."""
    name, title = check_name(name), title.strip()[:60] or "a file"
    with workshop.reading() as session:
        begun = _begin(session, material_id, printer_id, name)
    taken = {line.parameter.key: line for line in _lines(workshop, digest, begun) if line.parameter.key in keys}
    if not taken:
        raise InvalidInput("take", "pick at least one value of the file; or make a new profile from the start")
    new = {
        key: Value(line.lesson.number, Origin(OriginKind.COPY, f"copied from {title}: {line.lesson.says}"))
        for key, line in taken.items()
    }
    profile = changed(begun.profile, new, begun.printer.numbers())
    count = counted(len(taken), "value")
    try:
        with workshop.writing() as session:
            return add(session, profile, material_id, printer_id, f"{count} as {title} uses them")
    except IntegrityError:
        raise InvalidInput("name", f"there is a profile called {name} already") from None


@dataclass(frozen=True, slots=True)
class _Begun:
    material: Material
    printer: Printer
    profile: Profile


def _begin(session: Session, material_id: int, printer_id: int, name: str) -> _Begun:
    """The starting profile that a file would change, and what it is for."""
    what, where = picked(session, material_id, printer_id)
    if not (isinstance(what, Material) and isinstance(where, Printer)):
        raise InvalidInput("material_id", "is a resin; G-code teaches of a filament")
    return _Begun(what, where, start(name, what, where))


def _lines(workshop: Workshop, digest: str, begun: _Begun) -> tuple[InferredLine, ...]:
    fed = {key: begun.profile.number(key) for key in ("filament_diameter_mm", "density_g_cm3")}
    case = look_against(workshop, digest, Against(begun.printer, None, fed)).case
    return tuple(
        InferredLine(BY_KEY[each.key], each, begun.profile.values.get(each.key), _warning(each, begun))
        for each in inferred_settings(case)
    )  # fmt: skip


def _warning(lesson: InferredSetting, begun: _Begun) -> str | None:
    """Why a value is better not taken unseen: the printer's limit, the label's range, or what is common."""
    parameter, number = BY_KEY[lesson.key], lesson.number
    most, span = begun.printer.limits().get(lesson.key), begun.material.label_range(lesson.key)
    if most is not None and number > most:
        return f"{begun.printer.name} may run {parameter.show(most)} {parameter.unit}"
    if span is not None and not span[0] <= number <= span[1]:
        return f"the label says {parameter.show(span[0])} to {parameter.show(span[1])} {parameter.unit}"
    return parameter.warn(number)
