"""Copies of profiles for elsewhere, profiles beside each other, and values borrowed from one to another."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from drumbo.core.catalogue import Group, Parameter, groups_of, in_group
from drumbo.core.copying import CarryOver, Surroundings, borrowed, copied, differences, other_layer
from drumbo.core.counted import counted
from drumbo.core.errors import InvalidInput
from drumbo.core.profile import Change, Profile, Value, difference
from drumbo.services.convert import latest, material_of, printer_of, profile_of
from drumbo.services.profiles import Card, add, append, card_of, check_name, chosen_for, get_row, picked
from drumbo.store.database import Workshop
from drumbo.store.models import ProfileRow

MOST_BESIDE = 5


@dataclass(frozen=True, slots=True)
class Copy:
    """What a copy for a spool and a printer would be, before it is made."""

    profile: Profile
    carried: tuple[CarryOver, ...]
    apart: tuple[str, ...]


def preview_copy(
    workshop: Workshop, profile_id: int, material_id: int, printer_id: int, name: str, *, layer: float | str | bool
) -> Copy:
    """The fate of every value; InvalidInput names the field. Nothing is kept."""
    with workshop.reading() as session:
        return _copy(session, get_row(session, profile_id), material_id, printer_id, name, layer=layer)


def copy(
    workshop: Workshop, profile_id: int, material_id: int, printer_id: int, name: str, *, layer: float | str | bool
) -> int:  # fmt: skip
    """Make the copy; returns its number. The profile it is from stays as it is."""
    name = check_name(name)
    try:
        with workshop.writing() as session:
            row = get_row(session, profile_id)
            made = _copy(session, row, material_id, printer_id, name, layer=layer)
            note = f"copied from {row.name}, revision {latest(row).number}"
            return add(session, made.profile, material_id, printer_id, note)
    except IntegrityError:
        raise InvalidInput("name", f"there is a profile called {name} already") from None


def _copy(
    session: Session, row: ProfileRow, material_id: int, printer_id: int, name: str, *, layer: float | str | bool
) -> Copy:
    here, there = place_of(row), Surroundings(*picked(session, material_id, printer_id))
    held = profile_of(latest(row))
    if there.material.process != held.process:
        raise InvalidInput("material_id", "is of another process; nothing of this profile would carry over")
    chosen = {} if isinstance(layer, bool) else chosen_for(held.process, layer)
    profile, carried = copied(held, name, here, there, layer=layer is True, chosen=chosen)
    apart = differences(here, there, layer=layer is True or other_layer(held, chosen))
    return Copy(profile, carried, tuple(apart.values()))


def place_of(row: ProfileRow) -> Surroundings:
    """What a profile is for."""
    return Surroundings(material_of(row.material), printer_of(row.printer))


@dataclass(frozen=True, slots=True)
class ComparedLine:
    """One parameter over all profiles laid beside each other; None where a profile does not hold it."""

    parameter: Parameter
    values: tuple[Value | None, ...]

    @property
    def differs(self) -> bool:
        """Whether not all hold the same number."""
        return len({None if value is None else value.number for value in self.values}) > 1


@dataclass(frozen=True, slots=True)
class ProfileComparison:
    """Profiles laid beside each other, by group."""

    cards: tuple[Card, ...]
    groups: tuple[tuple[Group, tuple[ComparedLine, ...]], ...]

    def lines(self, *, everything: bool) -> list[tuple[Group, list[ComparedLine]]]:
        """Groups with their lines, or with those in which the profiles differ; groups without any are left out."""
        kept = [(group, [line for line in lines if everything or line.differs]) for group, lines in self.groups]
        return [(group, lines) for group, lines in kept if lines]

    def short_name(self, card: Card) -> str:
        """The material's name; with the printer's where two of the profiles are of one material."""
        alone = len({each.material_id for each in self.cards}) == len(self.cards)
        return card.material.name if alone else f"{card.material.name}, {card.printer.name}"


def beside(workshop: Workshop, numbers: Sequence[int]) -> ProfileComparison:
    """Lay two to five profiles beside each other."""
    wanted = list(dict.fromkeys(numbers))
    if not 2 <= len(wanted) <= MOST_BESIDE:
        raise InvalidInput("profiles", f"pick two to {MOST_BESIDE} to lay beside each other")
    with workshop.reading() as session:
        rows = [get_row(session, number) for number in wanted]
        profiles = [profile_of(latest(row)) for row in rows]
        if len({profile.process for profile in profiles}) > 1:
            raise InvalidInput("profiles", "pick profiles of filament, or of resin: the two have nothing to compare")
        groups = []
        for group in groups_of(profiles[0].process):
            lines = [
                ComparedLine(p, tuple(profile.values.get(p.key) for profile in profiles)) for p in in_group(group.key)
            ]
            groups.append((group, tuple(line for line in lines if any(line.values))))
        return ProfileComparison(tuple(card_of(row) for row in rows), tuple(groups))


Takes = Mapping[int, Sequence[str]]
"""Number of another profile → the catalogue keys to take from it."""


def preview_borrow(workshop: Workshop, profile_id: int, takes: Takes) -> tuple[Change, ...]:
    """What taking values across would change, rechecks included. Nothing is kept."""
    with workshop.reading() as session:
        row = get_row(session, profile_id)
        return difference(profile_of(latest(row)), _borrowed(session, row, takes)[0])


def borrow(workshop: Workshop, profile_id: int, takes: Takes) -> int:
    """Take values across, as one new revision."""
    with workshop.writing() as session:
        row = get_row(session, profile_id)
        after, names = _borrowed(session, row, takes)
        count = sum(len(keys) for keys in takes.values())
        return append(session, row, after, f"{counted(count, 'value')} copied from {', '.join(names)}")


def _borrowed(session: Session, row: ProfileRow, takes: Takes) -> tuple[Profile, list[str]]:
    profile, names = profile_of(latest(row)), []
    for number, keys in takes.items():
        other = get_row(session, number)
        held = profile_of(latest(other))
        if row.id == other.id or held.process != profile.process or not set(keys) <= set(held.values):
            raise InvalidInput("keys", "pick values that the other profile holds")
        profile = borrowed(profile, held, keys, place_of(row), place_of(other))
        names.append(other.name)
    if not names:
        raise InvalidInput("keys", "pick at least one value of another profile")
    return profile, names
