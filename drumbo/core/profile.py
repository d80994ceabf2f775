"""A profile: values that know where they came from, and what follows from a change.

A `Profile` is one frozen revision. Every change makes a new one; nothing is overwritten.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import asdict, dataclass, field, replace
from enum import StrEnum
from typing import Any

from drumbo.core.catalogue import BY_KEY, FILAMENT, Group, groups_of, in_group, process_of
from drumbo.core.errors import InvalidInput
from drumbo.core.processes import AnyMaterial, AnyPrinter


class OriginKind(StrEnum):
    """The kinds of origin a value can have."""

    START = "start"
    LABEL = "label"
    HAND = "hand"
    COPY = "copy"
    TRIAL = "trial"


@dataclass(frozen=True, slots=True)
class Origin:
    """Where a value came from. `trial` is the trial's number where `kind` is TRIAL; `note` says it in words."""

    kind: OriginKind
    note: str = ""
    trial: int | None = None


@dataclass(frozen=True, slots=True)
class Dependency:
    """How a value follows another parameter, as a trial has found it: number · e^(rate · (x − at)), x in `key`'s unit.

    It was found for x between `low` and `high`, and may be trusted `SLACK` of that span beyond. `note` says where it is
    from. 12 mm³/s at 210 °C with a rate of 0.018 /°C is 13.1 at 215.
    """

    key: str
    at: float
    number: float
    rate: float
    low: float
    high: float
    note: str = ""

    def of(self, x: float) -> float:
        """The value at x."""
        return self.number * math.exp(self.rate * (x - self.at))

    def where(self, number: float) -> float:
        """The x at which the value is `number`; ZeroDivisionError for a law that does not follow anything."""
        return self.at + math.log(number / self.number) / self.rate

    def through(self, x: float, number: float, note: str) -> Dependency:
        """The same curve, moved so that it goes through a newer value at x."""
        return replace(self, at=x, number=number, note=note)

    def holds(self, x: float) -> bool:
        """Whether x is near enough to what was tested."""
        slack = SLACK * max(self.high - self.low, 10.0)
        return self.low - slack <= x <= self.high + slack


SLACK = 0.34


@dataclass(frozen=True, slots=True)
class Value:
    """A number in its parameter's unit, how sure it is (standard error, or None), and its origin.

    `basis` holds what it rests on as that was when the value was found (catalogue key → number); `recheck`
    holds the reason where that has changed too far since. `doubt` is a reason that does not go away by itself: it was
    found elsewhere. `still_good` is the maker's note that it holds anyway. A value with a `law` follows what it names.
    Where what earlier spools came to had a say, `alone` is what the trial said by itself, with its error.
    """

    number: float
    origin: Origin
    error: float | None = None
    recheck: str | None = None
    basis: Mapping[str, float] = field(default_factory=dict)
    still_good: str = ""
    dependency: Dependency | None = None
    doubt: str = ""
    alone: tuple[float, float] | None = None

    def to_json(self) -> dict[str, Any]:
        """Plain data; `from_json` gives an equal value back."""
        return {
            **({} if self.alone is None else {"alone": list(self.alone)}),
            "number": self.number,
            "error": self.error,
            "origin": {"kind": str(self.origin.kind), "note": self.origin.note, "trial": self.origin.trial},
            "recheck": self.recheck,
            "basis": dict(self.basis),
            "still_good": self.still_good,
            "law": None if self.dependency is None else asdict(self.dependency),
            "doubt": self.doubt,
        }

    @classmethod
    def from_json(cls, data: Mapping[str, Any]) -> Value:
        """The value that `to_json` wrote."""
        origin = data["origin"]
        return cls(
            number=float(data["number"]),
            error=data.get("error"),
            origin=Origin(OriginKind(origin["kind"]), origin.get("note", ""), origin.get("trial")),
            recheck=data.get("recheck"),
            basis={key: float(number) for key, number in data.get("basis", {}).items()},
            still_good=data.get("still_good", ""),
            dependency=None if data.get("law") is None else Dependency(**data["law"]),
            doubt=data.get("doubt", ""),
            alone=None if data.get("alone") is None else (float(data["alone"][0]), float(data["alone"][1])),
        )


@dataclass(frozen=True, slots=True)
class Profile:
    """One revision of a profile for one material on one printer, of one `process`."""

    name: str
    values: Mapping[str, Value] = field(default_factory=dict)
    process: str = FILAMENT

    def number(self, key: str) -> float:
        """The number under a catalogue key; KeyError if this profile has none."""
        return self.values[key].number

    def numbers(self) -> dict[str, float]:
        """Catalogue key → number, for everything this profile holds."""
        return {key: value.number for key, value in self.values.items()}

    def to_json(self) -> dict[str, Any]:
        """Plain data; `from_json` gives an equal profile back."""
        values = {key: value.to_json() for key, value in self.values.items()}
        return {"name": self.name, "process": self.process, "values": values}

    @classmethod
    def from_json(cls, data: Mapping[str, Any]) -> Profile:
        """The profile that `to_json` wrote. Keys that the catalogue does not know are kept; those of another process,
        which earlier versions let in, are not.
        """
        process = data.get("process", FILAMENT)
        values = {key: Value.from_json(v) for key, v in data["values"].items() if process_of(key) in {process, None}}
        return cls(data["name"], values, process)


@dataclass(frozen=True, slots=True)
class Change:
    """One line of a difference: `before` or `after` is None where the value is new or gone."""

    key: str
    before: Value | None
    after: Value | None


def start(
    name: str, material: AnyMaterial, printer: AnyPrinter, chosen: Mapping[str, float] | None = None
) -> Profile:  # fmt: skip
    """A copy of the family's starting values, bounded by what the label and the printer allow. `chosen` are what the
    profile is for and no trial finds, like a layer height.
    """
    begin, picked = (
        Origin(OriginKind.START, f"{material.family_name} start"),
        Origin(OriginKind.START, "chosen at the start"),
    )
    label, wanted = Origin(OriginKind.LABEL, "from the label"), chosen or {}
    numbers = material.starting_numbers(printer, wanted)
    values = {key: Value(number, picked if key in wanted else begin) for key, number in numbers.items()}
    values |= {key: of_printer(number, printer) for key, number in printer.own.items() if key in values}
    values |= {key: Value(number, label) for key, number in material.label_numbers(wanted).items()}
    limit = Origin(OriginKind.START, f"as hot as {printer.name} may run")
    for key in values:
        span = material.label_range(key)
        if span is not None:
            _into_range(values, key, *span, label)
    for key, most in printer.limits().items():
        _into_range(values, key, 0, most, limit)
    return Profile(name, values, material.process)


def of_printer(number: float, printer: AnyPrinter) -> Value:
    """A starting value that is the printer's for all materials."""
    return Value(number, Origin(OriginKind.START, f"as on {printer.name}, for all materials"))


def _into_range(values: dict[str, Value], key: str, low: float, high: float, origin: Origin) -> None:
    number = min(max(values[key].number, low), high)
    if number != values[key].number:
        values[key] = Value(number, origin)


RELIED_ON = frozenset({OriginKind.HAND, OriginKind.COPY, OriginKind.TRIAL})
"""Origins that somebody relies on. Starting values and labels need no recheck: nobody has found them good yet."""


def changed(profile: Profile, new: Mapping[str, Value], also: Mapping[str, float] | None = None) -> Profile:
    """A new revision with `new` taken in; what rests on a value that moved too far is marked for a recheck.

    A value in `new` without a basis rests on the revision that it makes. A recheck goes away by itself when what
    the value rests on comes back. A value with a law moves along it. `also` are numbers that a profile rests on without
    holding them: the printer's. InvalidInput names a value of another process.
    """
    for key in new:
        if process_of(key) not in {profile.process, None}:
            raise InvalidInput(key, f"{BY_KEY[key].name} is not for {profile.process}")
    outside = also or {}
    before = {**outside, **profile.numbers()}
    values = {**profile.values, **new}
    numbers = {**outside, **{key: value.number for key, value in values.items()}}
    for key, value in values.items():
        if value.dependency is not None and value.dependency.key in numbers:
            values[key] = _follow(key, value, numbers[value.dependency.key])
    for key, value in values.items():
        if key in BY_KEY and value.origin.kind in RELIED_ON:
            basis = value.basis or _basis(key, numbers if key in new else before)
            reason = _out_of_law(value, numbers) or _moved(basis, numbers) or value.doubt or None
            values[key] = replace(value, basis=basis, recheck=reason)
    return replace(profile, values=values)


def _follow(key: str, value: Value, x: float) -> Value:
    """The value where its law has it now; it rests on that, and says how it came there."""
    law = value.dependency
    assert law is not None
    if value.basis.get(law.key) == x:
        return value
    number, other = round(law.of(x), BY_KEY[key].decimals), BY_KEY[law.key]
    moved = "" if x == law.at else f", along its curve to {other.show(x)} {other.unit}"
    error = None if value.error is None else value.error * number / value.number
    origin = replace(value.origin, note=law.note + moved)
    return replace(value, number=number, error=error, origin=origin, basis={**value.basis, law.key: x})


def _out_of_law(value: Value, numbers: Mapping[str, float]) -> str | None:
    law = value.dependency
    if law is None or law.key not in numbers or law.holds(numbers[law.key]):
        return None
    other = BY_KEY[law.key]
    tested = f"{other.show(law.low)} to {other.show(law.high)} {other.unit}"
    here = f"{other.show(numbers[law.key])} {other.unit}"
    return f"{other.name} is {here}; its curve was measured from {tested}"


def _basis(key: str, numbers: Mapping[str, float]) -> dict[str, float]:
    return {rest: numbers[rest] for rest in BY_KEY[key].rests_on if rest in numbers}


def _moved(basis: Mapping[str, float], numbers: Mapping[str, float]) -> str | None:
    """The reason for a recheck: the first thing that moved too far from where it was."""
    for key, was in basis.items():
        parameter = BY_KEY.get(key)
        if parameter is not None and key in numbers and parameter.moved_too_far(was, numbers[key]):
            moved = f"{parameter.name} went from {parameter.show(was)} to {parameter.show(numbers[key])}"
            return f"{moved} {parameter.unit}".strip()
    return None


def with_basis(value: Value, key: str, numbers: Mapping[str, float]) -> Value:
    """The value, found while everything else was as in `numbers`."""
    return replace(value, basis=_basis(key, numbers))


def resting_on(profile: Profile, key: str, was: float) -> Profile:
    """The same revision, in which all that rests on `key` is known to have been found while that was `was`."""
    values = {
        name: replace(value, basis={**value.basis, key: value.basis.get(key, was)})
        if name in BY_KEY and key in BY_KEY[name].rests_on and value.origin.kind in RELIED_ON
        else value
        for name, value in profile.values.items()
    }
    return replace(profile, values=values)


def still_good(profile: Profile, key: str, note: str, also: Mapping[str, float] | None = None) -> Profile:
    """A new revision in which the value under `key` holds for what it rests on now. KeyError if there is none."""
    value = profile.values[key]
    held = replace(
        value, basis=_basis(key, {**(also or {}), **profile.numbers()}), recheck=None, still_good=note, doubt=""
    )
    return changed(profile, {key: held}, also)


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


class Status(StrEnum):
    """How well a group of a profile is known; each has its own shape on the drum."""

    MEASURED = "measured"
    RECHECK = "recheck"
    HAND = "by hand"
    START = "starting value"


@dataclass(frozen=True, slots=True)
class Sector:
    """One sector of the drum: a group, how well it is known, and why it wants a recheck if it does."""

    group: Group
    known: Status
    reason: str = ""

    @property
    def proves(self) -> bool:
        """Whether it closes the drum: a good proof of the profile as it is."""
        return self.group.closes and self.known == Status.MEASURED


def sectors(profile: Profile) -> tuple[Sector, ...]:
    """The drum of a profile, in trial order."""
    return tuple(_sector(profile, group) for group in groups_of(profile.process))


def proven(profile: Profile) -> bool:
    """Whether a proof was printed with this profile as it is now, and was good."""
    return any(s.proves for s in sectors(profile))


def _sector(profile: Profile, group: Group) -> Sector:
    held = [(p, profile.values[p.key]) for p in in_group(group.key) if p.key in profile.values]
    reasons = [v.recheck for _, v in held if v.recheck]
    if reasons:
        return Sector(group, Status.RECHECK, reasons[0])
    kinds = {v.origin.kind for p, v in held if p.main}
    if OriginKind.TRIAL in kinds:
        return Sector(group, Status.MEASURED)
    if kinds & {OriginKind.HAND, OriginKind.COPY}:
        return Sector(group, Status.HAND)
    return Sector(group, Status.START)


@dataclass(frozen=True, slots=True)
class Source:
    """One place that has a say in an effective value, in rising order of strength."""

    place: str
    detail: str
    number: float | None
    wins: bool = False


def effective(
    key: str, profile: Profile, material: AnyMaterial, printer: AnyPrinter, trial: Mapping[str, float] | None = None
) -> tuple[Source, ...]:
    """Every place that has a say in `key`, weakest first; exactly one wins.

    A family's start is overruled by the printer's own value where it has one, that by the profile, the profile by a
    trial's own sweep, and all of them by what the printer may run.
    """
    unit = BY_KEY[key].unit
    held = profile.numbers()
    starts = material.starting_numbers(printer, held)
    says = [Source(f"{material.family_name} start", "", starts.get(key))]
    span, told = material.label_range(key), material.label_numbers(held)
    if span is not None:
        says.append(Source(f"label of {material.name}", f"{span[0]:g} to {span[1]:g} {unit}", None))
    elif key in told and key in starts:
        says.append(Source(f"label of {material.name}", material.label_says, told[key]))
    if BY_KEY[key].shared:
        says.append(Source(printer.name, "for all materials", printer.own.get(key)))
    if key in profile.values:
        value = profile.values[key]
        says.append(Source(f"profile {profile.name}", value.origin.note or str(value.origin.kind), value.number))
    if trial and key in trial:
        says.append(Source("this trial", "only while its piece prints", trial[key]))
    winner = max(place for place, say in enumerate(says) if say.number is not None)
    limit, number = printer.limits().get(key), says[winner].number
    if limit is not None and number is not None and number > limit:
        says.append(Source(f"limit of {printer.name}", f"no more than {limit:g} {unit}", limit))
        winner = len(says) - 1
    return tuple(replace(say, wins=place == winner) for place, say in enumerate(says))
