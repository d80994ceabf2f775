"""Profiles out and back: files, labels; and what others' files hold, taken in by a maker who says what is what."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass, replace
from datetime import datetime

from sqlalchemy import select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from drumbo.core.catalogue import BY_KEY, FILAMENT, of_process
from drumbo.core.copying import CarryOver, Surroundings, copied
from drumbo.core.errors import InvalidInput, NotFound
from drumbo.core.profile import Origin, OriginKind, Profile, Value, changed, proven, start
from drumbo.core.units import likely_unit, unit_of
from drumbo.exchange.exporters import Outgoing, exporter
from drumbo.exchange.pair_file import is_pair_file, read_pair
from drumbo.exchange.profile_file import (
    Brought,
    Evidence,
    is_profile_file,
    read_profile,
)
from drumbo.exchange.spool_label import Label, lay_out, offline_text
from drumbo.exchange.table import Table, guess, read_table
from drumbo.services.convert import kind_of, latest, material_of, printer_of, profile_of, result_of
from drumbo.services.profiles import add, check_fits_together, check_name, chosen_for, get_row
from drumbo.services.workshop import add_material
from drumbo.store.database import Workshop
from drumbo.store.models import MappingRow, MaterialRow, PictureRow, PrinterRow, TrialRow

NEW = "new"
MOST_LABELS = 300


def _day(moment: datetime) -> str:
    return f"{moment.astimezone():%-d %b %Y}"


def export(workshop: Workshop, profile_id: int, key: str) -> bytes:
    """The newest revision as a file of the format under `key`; NotFound names those there are."""
    chosen = exporter(key)
    with workshop.reading() as session:
        row = get_row(session, profile_id)
        profile = profile_of(latest(row))
        evidence = tuple(_evidence(trial) for trial in _trials(session, profile))
        out = Outgoing(
            profile, latest(row).number, material_of(row.material), printer_of(row.printer), evidence,
            lambda: _pictures(workshop, profile),
        )  # fmt: skip
    return chosen.write(out)


def _pictures(workshop: Workshop, profile: Profile) -> dict[str, bytes]:
    """The newest picture of each trial that a value came from, by file name."""
    pictures = {}
    with workshop.reading() as session:
        for trial in _trials(session, profile):
            wanted = select(PictureRow).where(PictureRow.trial_id == trial.id).order_by(PictureRow.id.desc())
            newest = session.scalars(wanted.limit(1)).first()
            if newest is not None:
                ending = newest.mime.partition("/")[2].replace("jpeg", "jpg")
                pictures[f"{trial.id}-{trial.kind}.{ending}"] = workshop.files.get(newest.digest)
    return pictures


def _trials(session: Session, profile: Profile) -> list[TrialRow]:
    numbers = {v.origin.trial for v in profile.values.values() if v.origin.kind == OriginKind.TRIAL and v.origin.trial}
    return list(session.scalars(select(TrialRow).where(TrialRow.id.in_(numbers)).order_by(TrialRow.id)))


def _evidence(row: TrialRow) -> Evidence:
    result = result_of(row)
    when = f"{row.printed_at or row.created_at:%Y-%m-%d}"
    if result is None:
        return Evidence(row.id, kind_of(row).title, "", when=when)
    return Evidence(row.id, kind_of(row).title, result.says, result.value, result.error, when)


def label_of(workshop: Workshop, profile_id: int, address: str = "") -> Label:
    """A label for the spool: its code is the address, or without one carries the values by itself."""
    with workshop.reading() as session:
        row = get_row(session, profile_id)
        revision, profile = latest(row), profile_of(latest(row))
        material, printer = material_of(row.material), printer_of(row.printer)
        day = _day(revision.created_at)
        code = address or offline_text(profile, revision.number, material, printer, day)
        return lay_out(profile, revision.number, material, printer, day, code=code, proven=proven(profile))


def bring(workshop: Workshop, data: bytes) -> str:
    """Keep a file that was brought, once it can be read; returns its digest."""
    if not data:
        raise InvalidInput("file", "is empty, or none was picked")
    if is_pair_file(data):
        read_pair(data)
    elif is_profile_file(data):
        read_profile(data)
    else:
        read_table(data)
    return workshop.files.put(data)


@dataclass(frozen=True, slots=True)
class ImportedLine:
    """One entry of a foreign table and what is made of it: a catalogue key, or "" where it is not taken."""

    name: str
    text: str
    number: float | None
    key: str
    unit: str
    value: float | None
    warning: str | None = None


@dataclass(frozen=True, slots=True)
class ImportPreview:
    """What a file holds, before anything is taken: one of ours with the fate of its values, or a foreign table."""

    brought: Brought | None = None
    carried: tuple[CarryOver, ...] = ()
    table: Table | None = None
    lines: tuple[ImportedLine, ...] = ()
    remembered: bool = False
    process: str = FILAMENT


Asked = Mapping[str, str]
"""What was picked on the page: material_id, printer_id, name, row; for entry n key-n and unit-n."""


def look(workshop: Workshop, digest: str, asked: Asked) -> ImportPreview:
    """What taking the file in would make. Nothing is kept."""
    data = _data(workshop, digest)
    with workshop.reading() as session:
        if is_profile_file(data):
            brought = read_profile(data)
            _, carried = copied(brought.profile, brought.profile.name, _from(brought), _there(session, brought, asked))
            return ImportPreview(brought, carried, process=brought.profile.process)
        return _foreign(session, data, asked)


def take(workshop: Workshop, digest: str, asked: Asked) -> int:
    """Make a profile of a file; returns its number. What was chosen for a foreign table is remembered."""
    data, name = _data(workshop, digest), check_name(asked.get("name", ""))
    brought = read_profile(data) if is_profile_file(data) else None
    try:
        with workshop.writing() as session:
            printer, material = session.get(PrinterRow, _int(asked, "printer_id")), _spool(session, brought, asked)
            if material is None or printer is None:
                raise InvalidInput("printer_id" if material else "material_id", "pick one")
            place = Surroundings(material_of(material), printer_of(printer))
            check_fits_together(place.material, place.printer)
            if brought is not None:
                if brought.profile.process != place.printer.process:
                    raise InvalidInput("printer_id", f"{place.printer.name} is for another process than this file")
                profile, _ = copied(brought.profile, name, _from(brought), place)
                note = f"taken from the file of {brought.profile.name}, revision {brought.revision}"
            else:
                fresh = start(name, place.material, place.printer, chosen_for(place.material.process, None))
                profile, note = _from_table(session, data, asked, fresh, place)
            return add(session, profile, material.id, printer.id, note)
    except IntegrityError:
        raise InvalidInput("name", f"there is a profile called {name} already") from None


def _data(workshop: Workshop, digest: str) -> bytes:
    if len(digest) != 64 or not set(digest) <= set("0123456789abcdef"):
        raise NotFound("there is no such file")
    return workshop.files.get(digest)


def _int(asked: Asked, key: str) -> int:
    text = asked.get(key, "")
    return int(text) if text.isdecimal() and text.isascii() and len(text) < 10 else 0


def _from(brought: Brought) -> Surroundings:
    return Surroundings(brought.material, brought.printer)


def _there(session: Session, brought: Brought, asked: Asked) -> Surroundings:
    """The spool and the printer that were picked; the file's own until then."""
    material, printer = (
        session.get(MaterialRow, _int(asked, "material_id")),
        session.get(PrinterRow, _int(asked, "printer_id")),
    )
    mine, process = _from(brought), brought.profile.process
    if material is not None and material_of(material).process == process:
        mine = replace(mine, material=material_of(material))
    if printer is not None and printer_of(printer).process == process:
        mine = replace(mine, printer=printer_of(printer))
    return mine


def _spool(session: Session, brought: Brought | None, asked: Asked) -> MaterialRow | None:
    """The material that was picked, or the file's as a new one."""
    if asked.get("material_id") == NEW and brought is not None:
        return add_material(session, asdict(brought.material))
    return session.get(MaterialRow, _int(asked, "material_id"))


def _foreign(session: Session, data: bytes, asked: Asked) -> ImportPreview:
    table = read_table(data, _int(asked, "row"))
    held = session.scalars(select(MappingRow).where(MappingRow.signature == table.signature)).first()
    process = process_of(session, asked)
    choices, pickable = {} if held is None else held.choices, dict(parameters_to_pick(process))
    taken: set[str] = set()
    lines = []
    for place, entry in enumerate(table.entries):
        known = choices.get(entry.name.lower())
        suggested = (known["key"] if known else guess(entry.name, process)) or ""
        key = asked.get(f"key-{place}", suggested if suggested not in taken else "")
        key = key if key in pickable and entry.number is not None else ""
        if not key:
            lines.append(ImportedLine(entry.name, entry.text, entry.number, "", "", None))
            continue
        parameter, number = BY_KEY[key], entry.number or 0.0
        unit = asked.get(f"unit-{place}") or (known or {}).get("unit") or likely_unit(parameter, number, entry.unit)
        # Another parameter than before has other units.
        unit = unit_of(parameter, unit).key
        value = round(unit_of(parameter, unit).to_ours(number), 6)
        lines.append(ImportedLine(entry.name, entry.text, number, key, unit, value, parameter.warn(value)))
        taken.add(key)
    return ImportPreview(table=table, lines=tuple(lines), remembered=held is not None, process=process)


def _from_table(
    session: Session, data: bytes, asked: Asked, profile: Profile, place: Surroundings
) -> tuple[Profile, str]:  # fmt: skip
    found = _foreign(session, data, asked)
    taken = [line for line in found.lines if line.key]
    if not taken:
        raise InvalidInput("mapping", "say of at least one line which parameter it is")
    twice = {line.key for line in taken if sum(other.key == line.key for other in taken) > 1}
    if twice:
        names = ", ".join(BY_KEY[key].name for key in sorted(twice))
        raise InvalidInput("mapping", f"names {names} more than once; pick one line for it")
    title = asked.get("title", "").strip()[:60] or "a table"
    new = {
        line.key: Value(line.value or 0.0, Origin(OriginKind.COPY, f"copied from {title}: {line.name}"[:200]))
        for line in taken
    }
    assert found.table is not None
    _remember(session, found.table.signature, found.lines)
    note = f"{len(taken)} values from {title}, {len(found.lines) - len(taken)} not taken"
    return changed(profile, new, place.printer.numbers()), note


def _remember(session: Session, signature: str, lines: tuple[ImportedLine, ...]) -> None:
    choices = {line.name.lower(): {"key": line.key, "unit": line.unit} for line in lines}
    row = session.scalars(select(MappingRow).where(MappingRow.signature == signature)).first()
    if row is None:
        session.add(MappingRow(signature=signature, choices=choices))
    else:
        row.choices = choices


def process_of(session: Session, asked: Asked) -> str:
    """The process of the spool that was picked; filament until then."""
    row = session.get(MaterialRow, _int(asked, "material_id"))
    return FILAMENT if row is None else str(material_of(row).process)


def parameters_to_pick(process: str) -> list[tuple[str, str]]:
    """Key and name of every parameter of a process that a table may hold, by group."""
    return [(p.key, p.name) for p in of_process(process) if p.scope == "profile" and not p.found and not p.aside]
