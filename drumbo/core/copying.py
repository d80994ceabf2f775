"""A profile for another spool or printer: which values carry over, which want a recheck, which start anew.

What differs between the two surroundings has a code (`catalogue.ELSEWHERE`); each parameter names the ones with which
it is lost or in doubt.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from enum import StrEnum

from drumbo.core.catalogue import BY_KEY
from drumbo.core.errors import InvalidInput
from drumbo.core.light.height import foretell
from drumbo.core.processes import AnyMaterial, AnyPrinter
from drumbo.core.profile import RELIED_ON, Origin, OriginKind, Profile, Value, changed, start

LAYER, EXPOSURE, REACH = "layer_um", "exposure_s", "penetration_um"


@dataclass(frozen=True, slots=True)
class Surroundings:
    """What a profile is for."""

    material: AnyMaterial
    printer: AnyPrinter


class CopyOutcome(StrEnum):
    """What becomes of a value in a copy."""

    CARRIES = "carries over"
    RECHECK = "wants a recheck"
    START = "starts over"


@dataclass(frozen=True, slots=True)
class CarryOver:
    """One value of a copy: what it was, None where there was none; what it is, None where only a trial can tell."""

    key: str
    outcome: CopyOutcome
    before: Value | None
    after: Value | None
    why: str = ""


def differences(here: Surroundings, there: Surroundings, *, layer: bool = False) -> dict[str, str]:
    """What differs between two surroundings, by code, in words; `layer` says that layers will be of another height."""
    found = {}
    if here.material.family != there.material.family:
        found["family"] = f"{there.material.family_name} instead of {here.material.family_name}"
    if _spool(here.material) != _spool(there.material):
        found["material"] = f"{there.material.name} instead of {here.material.name}"
    if _machine(here.printer) != _machine(there.printer):
        found["machine"] = f"{there.printer.name} instead of {here.printer.name}"
    for code, (words, _) in there.printer.kind_of_place.items():
        was, called = here.printer.kind_of_place.get(code, (words, ""))
        if words != was:
            found[code] = f"{words} instead of {called}"
    if layer:
        found["layer"] = "layers of another height"
    return found


def _spool(material: AnyMaterial) -> tuple[str, str, str]:
    return material.maker, material.product, material.colour


def _machine(printer: AnyPrinter) -> str:
    return printer.machine or printer.name


def other_layer(profile: Profile, chosen: Mapping[str, float]) -> bool:
    """Whether what was chosen is another layer height than a resin profile's."""
    wanted = chosen.get(LAYER)
    return wanted is not None and LAYER in profile.values and wanted != profile.number(LAYER)


def copied(
    profile: Profile,
    name: str,
    here: Surroundings,
    there: Surroundings,
    *,
    layer: bool = False,
    chosen: Mapping[str, float] | None = None,
) -> tuple[Profile, tuple[CarryOver, ...]]:
    """The copy under its new name, and the fate of every value that somebody relied on, in catalogue order.

    What was only a starting value, or from the label, is that of the new surroundings. For another layer height of a
    resin, `chosen`, the exposure is foretold.
    """
    wanted = dict(chosen or {})
    if not wanted and LAYER in profile.values:
        wanted = {LAYER: profile.number(LAYER)}
    another = other_layer(profile, wanted)
    fresh = start(name, there.material, there.printer, wanted)
    apart = differences(here, there, layer=layer or another)
    values, fates = dict(fresh.values), []
    for key in BY_KEY:
        held = profile.values.get(key)
        if held is None or held.origin.kind not in RELIED_ON:
            continue
        fate, why = _fate(key, apart)
        if fate == CopyOutcome.START:
            fates.append(CarryOver(key, fate, held, fresh.values.get(key), why))
            continue
        values[key] = _elsewhere(held, profile.name, why)
        if another and key == EXPOSURE:
            values[key] = _foretold(profile, held, wanted[LAYER])
            why = values[key].doubt
        fates.append(CarryOver(key, fate, held, values[key], why))
    made = changed(replace(fresh, values=values), {}, there.printer.numbers())
    # What a value rests on may be lost while it carries over itself: the copy says so.
    fates = [_as_made(carried, made) for carried in fates]
    return made, tuple(fates)


def _fate(key: str, apart: Mapping[str, str]) -> tuple[CopyOutcome, str]:
    parameter = BY_KEY[key]
    for codes, fate in ((parameter.lost_with, CopyOutcome.START), (parameter.doubted_with, CopyOutcome.RECHECK)):
        why = next((apart[code] for code in codes if code in apart), None)
        if why is not None:
            return fate, why
    return CopyOutcome.CARRIES, ""


def _elsewhere(value: Value, name: str, doubt: str) -> Value:
    """The value as a copy has it. A trial of the profile it is from is no evidence of this one."""
    origin = Origin(OriginKind.COPY, f"copied from {name}")
    return replace(value, origin=origin, doubt=doubt and f"it is for {doubt}", recheck=None, still_good="")


def _foretold(profile: Profile, held: Value, layer_um: float) -> Value:
    """An exposure at another layer height, marked for a recheck: not tried yet."""
    reach = profile.values.get(REACH)
    known = None if reach is None else (reach.number, reach.error or 0.05 * reach.number)
    found = foretell(held.number, held.error, profile.number(LAYER), layer_um, known)
    origin = Origin(OriginKind.COPY, f"{found.note}, by {profile.name}")
    doubt = f"it is foretold for {layer_um:g} µm; not tried yet"
    return Value(round(found.exposure_s, 2), origin, round(found.error_s, 3), doubt=doubt)


def _as_made(carried: CarryOver, made: Profile) -> CarryOver:
    value = made.values.get(carried.key)
    if carried.outcome == CopyOutcome.CARRIES and value is not None and value.recheck:
        return replace(carried, outcome=CopyOutcome.RECHECK, after=value, why=value.recheck)
    return replace(carried, after=value)


def borrowed(profile: Profile, other: Profile, keys: Iterable[str], here: Surroundings, there: Surroundings) -> Profile:
    """`profile`, which is for `here`, with the values under `keys` taken from `other`, which is for `there`.

    A value that was found where something differs that matters to it wants a recheck, whatever its number. InvalidInput
    for what belongs to one profile alone.
    """
    apart = differences(there, here)
    new = {}
    for key in keys:
        if not BY_KEY[key].lendable:
            raise InvalidInput("keys", f"{BY_KEY[key].name.lower()} is of one profile alone and cannot be taken over")
        held = other.values[key]
        _, why = _fate(key, apart)
        basis = held.basis if held.origin.kind in RELIED_ON else {}
        new[key] = replace(_elsewhere(held, other.name, why), basis=basis)
    return changed(profile, new, here.printer.numbers())


def moved(profile: Profile, here: Surroundings, there: Surroundings) -> Profile:
    """The same profile once its printer has another nozzle or drive: what was found with the former one is doubted.

    Where the printer becomes again what it was, the doubt goes.
    """
    apart, back = (
        {
            code: f"the printer has {why} now"
            for code, why in differences(*way).items()
            if code in here.printer.kind_of_place
        }
        for way in ((here, there), (there, here))
    )
    new = {}
    for key, value in profile.values.items():
        if key not in BY_KEY or value.origin.kind not in RELIED_ON:
            continue
        codes = [code for code in (*BY_KEY[key].lost_with, *BY_KEY[key].doubted_with) if code in apart]
        if codes:
            doubt = "" if value.doubt in {back[code] for code in codes} else apart[codes[0]]
            new[key] = replace(value, doubt=doubt)
    return changed(profile, new, there.printer.numbers()) if new else profile


def unfit(profile: Profile, printer: AnyPrinter) -> tuple[str, ...]:
    """Why a printer cannot print a profile as it is, in sentences; empty where it can."""
    if profile.process != printer.process:
        return (f"{printer.name} is for another process.",)
    wanted: dict[tuple[str, float, str], float] = {}
    for key, most in printer.limits().items():
        what = BY_KEY[key].name.partition(",")[0].lower(), most, BY_KEY[key].unit
        wanted[what] = max(wanted.get(what, 0.0), profile.number(key) if key in profile.values else 0.0)
    return tuple(
        f"Its {name} wants {number:g} {unit}; {printer.name} may run {most:g}."
        for (name, most, unit), number in wanted.items()
        if number > most
    )
