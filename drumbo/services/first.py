"""The first hour: how far a workshop is on the way to its first trial, and the short ways there."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass

from sqlalchemy import func, select

from drumbo.core.errors import InvalidInput, NotNow
from drumbo.core.printer import Printer
from drumbo.services.profiles import card, create, suggest_name
from drumbo.services.workshop import materials, printers, save_printer
from drumbo.store.database import Workshop
from drumbo.store.models import ProfileRow, TrialRow

USUAL_SIZES = ((180, 180, 180), (220, 220, 250), (300, 300, 350))
"""Width, depth and height of common printers, mm."""
SIZE, DRIVE = "220x220x250", "direct"


@dataclass(frozen=True, slots=True)
class FirstSteps:
    """What there is already: names of the printers and spools, and whether a trial was planned."""

    printers: tuple[str, ...]
    spools: tuple[str, ...]
    trial: bool


def first_steps(workshop: Workshop) -> FirstSteps:
    """How far a workshop is."""
    with workshop.reading() as session:
        trials = session.scalar(select(func.count()).select_from(TrialRow)) or 0
    return FirstSteps(
        tuple(p.name for _, p in printers(workshop)), tuple(m.name for _, m in materials(workshop)), trials > 0
    )  # fmt: skip


def add_usual_printer(workshop: Workshop, typed: Mapping[str, str]) -> int:
    """A printer of a name, a common size and a drive; all else as is usual. InvalidInput names the fields."""
    name = typed.get("name", "").strip()
    sizes = {"x".join(map(str, size)): size for size in USUAL_SIZES}
    size = sizes.get(typed.get("size", SIZE))
    if size is None:
        raise InvalidInput("size", "is none of those listed; choose one, or fill in all fields")
    if typed.get("drive", DRIVE) not in {"direct", "bowden"}:
        raise InvalidInput("drive", "is either direct or Bowden")
    wide, deep, high = map(float, size)
    made = Printer(name, drive=typed.get("drive", DRIVE), bed_x_mm=wide, bed_y_mm=deep, height_mm=high)
    return save_printer(workshop, asdict(made))


def first_trial(workshop: Workshop) -> tuple[int, str]:
    """The profile and the kind to begin with: the profile that was changed last, or a new one of the spool that was
    added last. NotNow where something is missing for one.
    """
    with workshop.reading() as session:
        profile = session.scalar(select(ProfileRow.id).order_by(ProfileRow.changed_at.desc()).limit(1))
    if profile is None:
        profile = _profile(workshop)
    following = card(workshop, profile).next
    if following is None:
        raise NotNow("everything of that profile is measured; choose a trial on its page")
    return profile, following.kind.slug


def _profile(workshop: Workshop) -> int:
    spools, machines = materials(workshop), printers(workshop)
    for spool, material in sorted(spools, key=lambda each: -each[0]):
        fitting = [number for number, printer in machines if printer.process == material.process]
        if fitting:
            return create(workshop, spool, fitting[0], suggest_name(workshop, spool, fitting[0]))
    raise NotNow("there is no printer for a spool that is here; add the one that is missing first")
