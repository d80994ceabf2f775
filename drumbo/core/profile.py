"""A profile: values that know where they came from, and what follows from a change.

A `Profile` is one frozen revision. Every change makes a new one; nothing is overwritten.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum
from typing import Any

from drumbo.core.catalogue import BY_KEY, GROUPS, Group, in_group, resting_on
from drumbo.core.families import family
from drumbo.core.workshop import Material, Printer


class From(StrEnum):
    """The kinds of origin a value can have."""

    START = "start"
    LABEL = "label"
    HAND = "hand"
    COPY = "copy"
    TRIAL = "trial"


@dataclass(frozen=True, slots=True)
class Origin:
    """Where a value came from. `trial` is the trial's number where `kind` is TRIAL; `note` says it in words."""

    kind: From
    note: str = ""
    trial: int | None = None


@dataclass(frozen=True, slots=True)
class Value:
    """A number in its parameter's unit, how sure it is (standard error, or None), and its origin.

    `recheck` holds the reason where something it rests on has changed since.
    """

    number: float
    origin: Origin
    error: float | None = None
    recheck: str | None = None

    def to_json(self) -> dict[str, Any]:
        """Plain data; `from_json` gives an equal value back."""
        return {
            "number": self.number,
            "error": self.error,
            "origin": {"kind": str(self.origin.kind), "note": self.origin.note, "trial": self.origin.trial},
            "recheck": self.recheck,
        }

    @classmethod
    def from_json(cls, data: Mapping[str, Any]) -> Value:
        """The value that `to_json` wrote."""
        origin = data["origin"]
        return cls(
            number=float(data["number"]),
            error=data.get("error"),
            origin=Origin(From(origin["kind"]), origin.get("note", ""), origin.get("trial")),
            recheck=data.get("recheck"),
        )


@dataclass(frozen=True, slots=True)
class Profile:
    """One revision of a profile for one material on one printer."""

    name: str
    values: Mapping[str, Value] = field(default_factory=dict)

    def number(self, key: str) -> float:
        """The number under a catalogue key; KeyError if this profile has none."""
        return self.values[key].number

    def numbers(self) -> dict[str, float]:
        """Catalogue key → number, for everything this profile holds."""
        return {key: value.number for key, value in self.values.items()}

    def to_json(self) -> dict[str, Any]:
        """Plain data; `from_json` gives an equal profile back."""
        return {"name": self.name, "values": {key: value.to_json() for key, value in self.values.items()}}

    @classmethod
    def from_json(cls, data: Mapping[str, Any]) -> Profile:
        """The profile that `to_json` wrote. Keys that the catalogue does not know are kept."""
        return cls(data["name"], {key: Value.from_json(v) for key, v in data["values"].items()})


@dataclass(frozen=True, slots=True)
class Change:
    """One line of a difference: `before` or `after` is None where the value is new or gone."""

    key: str
    before: Value | None
    after: Value | None


def start(name: str, material: Material, printer: Printer) -> Profile:
    """A copy of the family's starting values, bounded by what the label and the printer allow."""
    kin = family(material.family)
    numbers = kin.starting_values(printer.drive, printer.nozzle_mm)
    begin = Origin(From.START, f"{kin.name} start")
    label = Origin(From.LABEL, "from the label")
    values = {key: Value(number, begin) for key, number in numbers.items()}
    values["filament_diameter_mm"] = Value(material.diameter_mm, label)
    values["density_g_cm3"] = Value(material.density_g_cm3, label)
    _into_range(values, ("nozzle_c", "nozzle_first_c"), material.nozzle_low_c, material.nozzle_high_c, label)
    if material.bed_low_c is not None and material.bed_high_c is not None:
        _into_range(values, ("bed_c", "bed_first_c"), material.bed_low_c, material.bed_high_c, label)
    limit = Origin(From.START, f"as hot as {printer.name} may run")
    _into_range(values, ("nozzle_c", "nozzle_first_c"), 0, printer.nozzle_max_c, limit)
    _into_range(values, ("bed_c", "bed_first_c"), 0, printer.bed_max_c, limit)
    return Profile(name, values)


def _into_range(values: dict[str, Value], keys: Iterable[str], low: float, high: float, origin: Origin) -> None:
    for key in keys:
        number = min(max(values[key].number, low), high)
        if number != values[key].number:
            values[key] = Value(number, origin)


def changed(profile: Profile, new: Mapping[str, Value]) -> Profile:
    """A new revision with `new` taken in; what rests on a value that moved too far is marked for a recheck.

    Starting values need no recheck: nobody has relied on them yet.
    """
    values = {**profile.values, **new}
    for key, value in new.items():
        before = profile.values.get(key)
        if key not in BY_KEY or before is None or abs(value.number - before.number) <= BY_KEY[key].tolerance:
            continue
        name, unit = BY_KEY[key].name, BY_KEY[key].unit
        reason = f"{name} went from {BY_KEY[key].show(before.number)} to {BY_KEY[key].show(value.number)} {unit}"
        for parameter in resting_on(key):
            rests = values.get(parameter.key)
            if rests and parameter.key not in new and rests.origin.kind in {From.TRIAL, From.HAND, From.COPY}:
                values[parameter.key] = replace(rests, recheck=reason.strip())
    return replace(profile, values=values)


def difference(before: Profile, after: Profile) -> tuple[Change, ...]:
    """What differs in number, origin or recheck, in catalogue order."""
    keys = sorted({*before.values, *after.values}, key=_catalogue_order)
    return tuple(
        Change(key, before.values.get(key), after.values.get(key))
        for key in keys
        if before.values.get(key) != after.values.get(key)
    )


_ORDER = {key: place for place, key in enumerate(BY_KEY)}


def _catalogue_order(key: str) -> tuple[int, str]:
    return (_ORDER.get(key, len(_ORDER)), key)


class Known(StrEnum):
    """How well a group of a profile is known; each has its own shape on the drum."""

    MEASURED = "measured"
    RECHECK = "recheck"
    HAND = "by hand"
    START = "starting value"


@dataclass(frozen=True, slots=True)
class Sector:
    """One sector of the drum: a group, how well it is known, and why it wants a recheck if it does."""

    group: Group
    known: Known
    reason: str = ""


def sectors(profile: Profile) -> tuple[Sector, ...]:
    """The drum of a profile, in trial order."""
    return tuple(_sector(profile, group) for group in GROUPS)


def _sector(profile: Profile, group: Group) -> Sector:
    held = [(p, profile.values[p.key]) for p in in_group(group.key) if p.key in profile.values]
    reasons = [v.recheck for _, v in held if v.recheck]
    if reasons:
        return Sector(group, Known.RECHECK, reasons[0])
    kinds = {v.origin.kind for p, v in held if p.main}
    if From.TRIAL in kinds:
        return Sector(group, Known.MEASURED)
    if kinds & {From.HAND, From.COPY}:
        return Sector(group, Known.HAND)
    return Sector(group, Known.START)


@dataclass(frozen=True, slots=True)
class Say:
    """One place that has a say in an effective value, in rising order of strength."""

    place: str
    detail: str
    number: float | None
    wins: bool = False


def effective(
    key: str, profile: Profile, material: Material, printer: Printer, trial: Mapping[str, float] | None = None
) -> tuple[Say, ...]:
    """Every place that has a say in `key`, weakest first; exactly one wins.

    A family's start is overruled by the profile, the profile by a trial's own sweep, and all of them by
    what the printer may run.
    """
    kin = family(material.family)
    says = [Say(f"{kin.name} start", "", kin.starting_values(printer.drive, printer.nozzle_mm).get(key))]
    if key in {"nozzle_c", "nozzle_first_c"}:
        span = f"{material.nozzle_low_c:g} to {material.nozzle_high_c:g} °C"
        says.append(Say(f"label of {material.name}", span, None))
    if key in profile.values:
        value = profile.values[key]
        says.append(Say(f"profile {profile.name}", value.origin.note or str(value.origin.kind), value.number))
    if trial and key in trial:
        says.append(Say("this trial", "only while its piece prints", trial[key]))
    winner = max(place for place, say in enumerate(says) if say.number is not None)
    limit = {"nozzle_c": printer.nozzle_max_c, "nozzle_first_c": printer.nozzle_max_c,
             "bed_c": printer.bed_max_c, "bed_first_c": printer.bed_max_c}.get(key)  # fmt: skip
    number = says[winner].number
    if limit is not None and number is not None and number > limit:
        says.append(Say(f"limit of {printer.name}", f"no more than {limit:g} °C", limit))
        winner = len(says) - 1
    return tuple(replace(say, wins=place == winner) for place, say in enumerate(says))
