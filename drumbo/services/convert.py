"""Rows to frozen values and back."""

from __future__ import annotations

from dataclasses import fields, replace
from typing import Any, TypeVar
from weakref import WeakKeyDictionary

from drumbo.core.catalogue import FILAMENT
from drumbo.core.errors import NotFound
from drumbo.core.material import Material
from drumbo.core.pair import Partner
from drumbo.core.piece import Piece, Standing
from drumbo.core.printer import Printer
from drumbo.core.processes import AnyMaterial, AnyPrinter, process
from drumbo.core.profile import Profile
from drumbo.store.models import MaterialRow, PrinterRow, ProfileRow, RevisionRow, TrialRow
from drumbo.trials import kind
from drumbo.trials.base import Bound, Context, SomeBound, SomeKind
from drumbo.trials.plan import TrialPlan
from drumbo.trials.plate import at_heat
from drumbo.trials.readings import Readings
from drumbo.trials.result import Result
from drumbo.trials.trial import Trial, TrialState

T = TypeVar("T")


def _from_spec(cls: type[T], spec: dict[str, Any]) -> T:
    """Facts that a newer or older version knows and this one does not are left aside."""
    names = {f.name for f in fields(cls)}  # type: ignore[arg-type]
    return cls(**{key: value for key, value in spec.items() if key in names})


def printer_of(row: PrinterRow) -> AnyPrinter:
    """The printer in a row, of its process."""
    return _from_spec(process(row.spec.get("process", FILAMENT)).printer, row.spec)


def material_of(row: MaterialRow) -> AnyMaterial:
    """The material in a row, of its process."""
    return _from_spec(process(row.spec.get("process", FILAMENT)).material, row.spec)


def filament_printer_of(row: PrinterRow) -> Printer:
    """The same, for who needs one with a nozzle. NotFound for one of resin."""
    made = printer_of(row)
    if not isinstance(made, Printer):
        raise NotFound(f"{made.name} prints with resin; this is for filament")
    return made


def spool_of(row: MaterialRow) -> Material:
    """The same, for who needs filament. NotFound for a resin."""
    made = material_of(row)
    if not isinstance(made, Material):
        raise NotFound(f"{made.name} is a resin; this is for filament")
    return made


_PROFILES: WeakKeyDictionary[RevisionRow, Profile] = WeakKeyDictionary()


def profile_of(row: RevisionRow) -> Profile:
    """The profile as of a revision. Its data never changes: what was made of it once holds as long as the row."""
    made = _PROFILES.get(row)
    if made is None:
        made = _PROFILES[row] = Profile.from_json(row.data)
    return made


def latest(row: ProfileRow) -> RevisionRow:
    """The newest revision."""
    return row.revisions[-1]


def context_of(row: ProfileRow, revision: int | None = None) -> SomeBound:
    """What a trial of this profile is bound to: its newest revision, or the one given."""
    chosen = latest(row) if revision is None else next(r for r in row.revisions if r.number == revision)
    return Bound(printer_of(row.printer), material_of(row.material), profile_of(chosen))


def filament_context(bound: SomeBound) -> Context:
    """The same, for who needs filament. NotFound for a profile of a resin."""
    printer, material = bound.printer, bound.material
    if not (isinstance(printer, Printer) and isinstance(material, Material)):
        raise NotFound(f"{material.name} is a resin; this is for filament")
    return Context(printer, material, bound.profile, bound.other, bound.before)


def partner_of(row: ProfileRow, revision: int | None = None) -> Partner:
    """A profile as one of two, at its newest revision or the one given."""
    held = filament_context(context_of(row, revision))
    return Partner(held.material, held.profile)


def trial_context(row: TrialRow, *, now: bool = False) -> SomeBound:
    """What a trial is bound to, as of when it was planned, or `now`; of a pair's, its other material too."""
    bound = context_of(row.profile, None if now else row.revision)
    at_c = at_c_of(row)
    if at_c is not None and not now:
        return at_heat(filament_context(bound), at_c)
    if row.pair is None:
        return bound
    return replace(bound, other=partner_of(row.pair.other, None if now else row.other_revision))


def at_c_of(row: TrialRow) -> float | None:
    """The nozzle's temperature that a piece of a plate has for itself, °C."""
    found = (row.stands or {}).get("nozzle_c")
    return None if found is None else float(found)


def trial_of(row: TrialRow) -> Trial:
    """The trial in a row."""
    context = trial_context(row)
    return Trial(
        kind_of(row), plan_of(row), context, row.revision, TrialState(row.state),
        readings_of(row), result_of(row), standing_of(row, context),
    )  # fmt: skip


def standing_of(row: TrialRow, context: SomeBound) -> Standing:
    """Where a trial's piece is: in the middle of the bed, unless it is one of several."""
    if row.stands is None:
        return Standing(context.printer.bed_middle)
    (x, y), (left, front, right, back) = row.stands["middle"], row.stands["room"]
    return Standing((x, y), (left, front, right, back))


def kind_of(row: TrialRow) -> SomeKind:
    """The trial's kind."""
    return kind(row.kind)


def plan_of(row: TrialRow) -> TrialPlan:
    """The trial's plan as the kind writes it today."""
    chosen = kind(row.kind)
    plan: TrialPlan = chosen.plan_type.of(chosen.lift(row.kind_version, row.plan))
    return plan


def piece_of(row: TrialRow) -> Piece:
    """The trial's piece."""
    return kind_of(row).piece(plan_of(row), trial_context(row))


def readings_of(row: TrialRow) -> Readings:
    """The trial's readings."""
    return Readings.from_json(row.readings)


def result_of(row: TrialRow) -> Result | None:
    """The trial's result, if it has any readings."""
    return None if row.result is None else Result.from_json(row.result)
