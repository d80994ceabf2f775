"""The profile file: JSON that holds a profile with its origins, and what it is for. See docs/formats.md.

Reading believes nothing: size, nesting, types, units and numbers are looked at before anything is taken.
"""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, fields
from typing import Annotated, Any, TypeVar

from msgspec import Meta, Struct

from drumbo.core.catalogue import BY_KEY, of_process
from drumbo.core.errors import InvalidInput
from drumbo.core.processes import PROCESSES, AnyMaterial, AnyPrinter
from drumbo.core.profile import Dependency, Origin, OriginKind, Profile, Value
from drumbo.core.safe_zip import MAGIC, opened
from drumbo.exchange.typed_json import BOUND, Number, SomeText, Text, parsed, typed

FORMAT = "drumbo-profile"
VERSION = 1
LARGEST = 2_000_000
"""No profile is larger, bytes."""
LARGEST_PICTURE, LARGEST_ZIP = 50_000_000, 500_000_000
INSIDE = "profile.json"
"""Its name in a zip."""
T = TypeVar("T")

HOME = frozenset({
    "link_url", "baud", "camera_url", "still_url", "folder", "upload_url", "upload_user", "upload_token",
    "start_gcode", "end_gcode", "pause_gcode", "after_stop", "after_crash", "waits_h", "on_pause", "practice", "notes",
})  # fmt: skip
"""What of a printer stays at home: how it is reached, by whom, and what is done with it there."""


@dataclass(frozen=True, slots=True)
class Evidence:
    """A trial that a value came from, in a few words. `value` ± `error` is its result."""

    trial: int
    title: str
    says: str
    value: float | None = None
    error: float | None = None
    when: str = ""


@dataclass(frozen=True, slots=True)
class Brought:
    """What a file holds. `skipped` are sentences on what of it is not taken."""

    profile: Profile
    revision: int
    material: AnyMaterial
    printer: AnyPrinter
    skipped: tuple[str, ...] = ()


def profile_json(
    profile: Profile, revision: int, material: AnyMaterial, printer: AnyPrinter, evidence: Sequence[Evidence] = ()
) -> str:
    """The file's text. Link and G-code templates stay at home."""
    return written(profile_data(profile, revision, material, printer, evidence))


def written(data: Mapping[str, Any]) -> str:
    """A file of ours as text."""
    return json.dumps(data, indent=2, ensure_ascii=False, allow_nan=False) + "\n"


def profile_data(
    profile: Profile, revision: int, material: AnyMaterial, printer: AnyPrinter, evidence: Sequence[Evidence] = ()
) -> dict[str, Any]:
    """What the file holds, as plain data."""
    values: dict[str, Any] = {}
    for key, value in profile.values.items():
        parameter = BY_KEY.get(key)
        values[key] = {
            **value.to_json(),
            "name": parameter.name if parameter else key,
            "unit": parameter.unit if parameter else "",
        }
    return {
        "format": FORMAT,
        "version": VERSION,
        "name": profile.name,
        "revision": revision,
        "process": profile.process,
        "printer": {k: v for k, v in asdict(printer).items() if k not in HOME},
        "material": {k: v for k, v in asdict(material).items() if k not in HOME},
        "values": values,
        "evidence": [asdict(found) for found in evidence],
    }


def profile_zip(text: str, pictures: Mapping[str, bytes]) -> bytes:
    """The file with pictures of its evidence, by file name."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as bundle:
        bundle.writestr(INSIDE, text)
        for name, data in pictures.items():
            bundle.writestr(zipfile.ZipInfo(f"pictures/{name}"), data)
    return out.getvalue()


def is_profile_file(data: bytes) -> bool:
    """Whether data looks like one of ours, to be read by `read_profile`, or like a zip that may hold one."""
    return data[:4] == MAGIC or FORMAT.encode() in data[:LARGEST]


class _Head(Struct):
    """What a file says of itself; looked at before anything else of it."""

    format: Any = None
    version: Any = None
    process: Any = None


class _File(Struct):
    name: SomeText
    material: dict[str, Any]
    printer: dict[str, Any]
    values: dict[str, Any]
    revision: Any = 1


class _Origin(Struct):
    kind: OriginKind
    note: Text | None = None
    trial: Number | None = None


class _Law(Struct):
    key: str
    at: Number
    number: Annotated[float, Meta(gt=0, le=BOUND)]
    rate: Annotated[float, Meta(ge=-1, le=1)]
    low: Number
    high: Number
    note: Text | None = None


class _Value(Struct):
    number: Number
    origin: _Origin
    error: Number | None = None
    recheck: Text | None = None
    basis: dict[str, Number] = {}
    still_good: Text | None = None
    law: _Law | None = None
    doubt: Text | None = None


def read_profile(data: bytes) -> Brought:
    """What a profile file or a zip with one holds; InvalidInput says where it is wrong."""
    return profile_of_data(parsed_file(_unzipped(data) if data[:4] == MAGIC else data))


def profile_of_data(found: Any) -> Brought:
    """A profile of what a file's text says; InvalidInput says where it is wrong."""
    head = typed(found, _Head, wrong) if isinstance(found, dict) else _Head()
    if head.format != FORMAT:
        raise wrong("is no profile of Drumbo's: it does not say so under “format”")
    if not isinstance(head.version, int) or isinstance(head.version, bool) or head.version < 1:
        raise wrong("says no version that there is")
    if head.version > VERSION:
        raise wrong(f"is of version {head.version}; this Drumbo reads up to {VERSION}: bring it up to date")
    kind = PROCESSES.get(str(head.process)[:40])
    if kind is None:
        raise wrong(f"is for another process than {' and '.join(PROCESSES)}")
    file = typed(found, _File, wrong)
    material = _facts(kind.material, file.material, "material", need=("family", "maker", "product", "colour"))
    if material.family not in kind.families:
        raise wrong(f"names a polymer or resin that this Drumbo does not know: {material.family[:40]}")
    printer = _facts(kind.printer, file.printer, "printer", need=("name",))
    if {material.process, printer.process} != {kind.key}:
        raise wrong("has a printer or material of another process than its own")
    values, skipped = _values(file.values, kind.key)
    revision = file.revision if isinstance(file.revision, int) else 1
    return Brought(Profile(file.name, values, kind.key), revision, material, printer, skipped)


def wrong(message: str) -> InvalidInput:
    """What is wrong with a file."""
    return InvalidInput("file", message)


def _unzipped(data: bytes) -> bytes:
    """The profile in a zip; its pictures are for people."""
    with opened(data, most=LARGEST_PICTURE, most_together=LARGEST_ZIP, wrong=wrong) as bundle:
        if INSIDE not in bundle.names:
            raise wrong(f"is a zip without a {INSIDE} in it")
        return bundle.read(INSIDE, LARGEST)


def parsed_file(data: bytes) -> Any:
    """A file's JSON; InvalidInput for what is too large, is none, or holds what is no number."""
    if len(data) > LARGEST:
        raise wrong(f"is larger than {LARGEST // 1_000_000} MB; no profile is")
    return parsed(data, wrong)


def _facts(cls: type[T], found: Mapping[str, Any], where: str, need: Sequence[str]) -> T:
    """A printer or a material of plain facts; what a later version adds is left aside."""
    plain = {
        field.name
        for field in fields(cls)  # type: ignore[arg-type] # printers and materials are dataclasses
        if field.name not in HOME and str(field.type).startswith(("str", "float"))
    }
    held = {name: value for name, value in found.items() if name in plain}
    for name, value in held.items():
        if value is not None:
            typed(value, Text if isinstance(value, str) else Number, wrong, f"{where}.{name}")
    made = typed(held, cls, wrong, where)
    for name in need:
        typed(held[name], SomeText, wrong, f"{where}.{name}")
    return made


def _values(found: Mapping[str, Any], process: str) -> tuple[dict[str, Value], tuple[str, ...]]:
    values, skipped, ours = {}, [], {parameter.key for parameter in of_process(process)}
    for key, told in found.items():
        where = f"values.{key[:60]}"
        data = typed(told, dict[str, Any], wrong, where)
        if key not in ours:
            skipped.append(f"{key[:60]}: this Drumbo knows no such parameter.")
        elif (unit := data.get("unit", BY_KEY[key].unit)) != BY_KEY[key].unit:
            meant = BY_KEY[key].unit or "no unit"
            skipped.append(f"{BY_KEY[key].name}: it is in “{str(unit)[:20]}”, and {meant} is meant.")
        else:
            values[key] = _value(typed(data, _Value, wrong, where), where)
    return values, tuple(skipped)


def _value(read: _Value, where: str) -> Value:
    trial = read.origin.trial
    return Value(
        number=read.number,
        origin=Origin(read.origin.kind, read.origin.note or "", None if trial is None else int(trial)),
        error=None if read.error is None else abs(read.error),
        recheck=read.recheck,
        basis={key[:60]: number for key, number in read.basis.items()},
        still_good=read.still_good or "",
        dependency=None if read.law is None else _dependency(read.law, f"{where}.law"),
        doubt=read.doubt or "",
    )


def _dependency(law: _Law, where: str) -> Dependency:
    if law.key not in BY_KEY or law.low > law.high:
        raise wrong(f"has a curve under “{where}” that cannot be")
    return Dependency(law.key, law.at, law.number, law.rate, law.low, law.high, law.note or "")
