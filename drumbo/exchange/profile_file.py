"""The profile file: JSON that holds a profile with its origins, and what it is for. See docs/formats.md.

Reading believes nothing: size, nesting, types, units and numbers are looked at before anything is taken.
"""

from __future__ import annotations

import io
import json
import math
import zipfile
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, fields
from typing import Any, TypeVar

from drumbo.core.catalogue import BY_KEY, of_process
from drumbo.core.errors import InvalidInput
from drumbo.core.processes import PROCESSES, AnyMaterial, AnyPrinter
from drumbo.core.profile import Dependency, Origin, OriginKind, Profile, Value
from drumbo.core.safe_zip import MAGIC, opened

FORMAT = "drumbo-profile"
VERSION = 1
LARGEST = 2_000_000
"""No profile is larger, bytes."""
LARGEST_PICTURE, LARGEST_ZIP = 50_000_000, 500_000_000
INSIDE = "profile.json"
"""Its name in a zip."""
LONGEST_TEXT = 2000
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


def read_profile(data: bytes) -> Brought:
    """What a profile file or a zip with one holds; InvalidInput says where it is wrong."""
    return profile_of_data(parsed(_unzipped(data) if data[:4] == MAGIC else data))


def profile_of_data(found: Any) -> Brought:
    """A profile of what a file's text says; InvalidInput says where it is wrong."""
    if not isinstance(found, dict) or found.get("format") != FORMAT:
        raise wrong("is no profile of Drumbo's: it does not say so under “format”")
    version = found.get("version")
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise wrong("says no version that there is")
    if version > VERSION:
        raise wrong(f"is of version {version}; this Drumbo reads up to {VERSION}: bring it up to date")
    kind = PROCESSES.get(str(found.get("process"))[:40])
    if kind is None:
        raise wrong(f"is for another process than {' and '.join(PROCESSES)}")
    material = _facts(kind.material, found.get("material"), "material", need=("family", "maker", "product", "colour"))
    if material.family not in kind.families:
        raise wrong(f"names a polymer or resin that this Drumbo does not know: {material.family[:40]}")
    printer = _facts(kind.printer, found.get("printer"), "printer", need=("name",))
    if {material.process, printer.process} != {kind.key}:
        raise wrong("has a printer or material of another process than its own")
    values, skipped = _values(found.get("values"), kind.key)
    revision = found.get("revision", 1)
    return Brought(
        Profile(_text(found.get("name"), "name"), values, kind.key),
        revision if isinstance(revision, int) else 1, material, printer, skipped,
    )  # fmt: skip


def wrong(message: str) -> InvalidInput:
    """What is wrong with a file."""
    return InvalidInput("file", message)


def _unzipped(data: bytes) -> bytes:
    """The profile in a zip; its pictures are for people."""
    with opened(data, most=LARGEST_PICTURE, most_together=LARGEST_ZIP, wrong=wrong) as bundle:
        if INSIDE not in bundle.names:
            raise wrong(f"is a zip without a {INSIDE} in it")
        return bundle.read(INSIDE, LARGEST)


def parsed(data: bytes) -> Any:
    """A file's JSON; InvalidInput for what is too large, is none, or holds what is no number."""
    if len(data) > LARGEST:
        raise wrong(f"is larger than {LARGEST // 1_000_000} MB; no profile is")

    def no_number(word: str) -> Any:
        raise wrong(f"holds {word}, which is no number")

    try:
        return json.loads(data.decode("utf-8-sig"), parse_constant=no_number)
    except UnicodeDecodeError as error:
        raise wrong("is not text in UTF-8") from error
    except json.JSONDecodeError as error:
        raise wrong(f"is broken in line {error.lineno}, column {error.colno}: {error.msg}") from error
    except (RecursionError, ValueError) as error:
        raise error if isinstance(error, InvalidInput) else wrong("is nested or long beyond any profile") from error


def _text(found: Any, where: str) -> str:
    if not isinstance(found, str) or not found.strip():
        raise wrong(f"has no text under “{where}”")
    if len(found) > LONGEST_TEXT:
        raise wrong(f"has more than {LONGEST_TEXT} characters under “{where}”")
    return found


def finite(found: Any, where: str) -> float:
    """A number that a file says somewhere; InvalidInput names the place where it is none."""
    if isinstance(found, bool) or not isinstance(found, (int, float)):
        raise wrong(f"has no number under “{where}”")
    try:
        number = float(found)
    except OverflowError as error:
        raise wrong(f"has a number under “{where}” that is beyond all bounds") from error
    if not math.isfinite(number) or abs(number) > 1e9:
        raise wrong(f"has a number under “{where}” that is beyond all bounds")
    return number


def _facts(cls: type[T], found: Any, where: str, need: Sequence[str]) -> T:
    """A printer or a material of plain facts; what a later version adds is left aside."""
    if not isinstance(found, dict):
        raise wrong(f"has nothing under “{where}”")
    held: dict[str, Any] = {}
    for field in fields(cls):  # type: ignore[arg-type] # printers and materials are dataclasses
        if field.name not in found or field.name in HOME:
            continue
        value, path = found[field.name], f"{where}.{field.name}"
        kind = str(field.type)
        if value is None and "None" in kind:
            held[field.name] = None
        elif kind.startswith("str"):
            held[field.name] = "" if value == "" else _text(value, path)
        elif kind.startswith("float"):
            held[field.name] = finite(value, path)
    for name in need:
        if not held.get(name):
            raise wrong(f"has nothing under “{where}.{name}”")
    try:
        return cls(**held)
    except TypeError as error:
        raise wrong(f"lacks facts under “{where}”") from error


def _values(found: Any, process: str) -> tuple[dict[str, Value], tuple[str, ...]]:
    if not isinstance(found, dict):
        raise wrong("has nothing under “values”")
    values, skipped, ours = {}, [], {parameter.key for parameter in of_process(process)}
    for key, data in found.items():
        where = f"values.{key[:60]}"
        if not isinstance(data, dict):
            raise wrong(f"has no value under “{where}”")
        if key not in ours:
            skipped.append(f"{key[:60]}: this Drumbo knows no such parameter.")
            continue
        unit = data.get("unit", BY_KEY[key].unit)
        if unit != BY_KEY[key].unit:
            skipped.append(
                f"{BY_KEY[key].name}: it is in “{str(unit)[:20]}”, and {BY_KEY[key].unit or 'no unit'} is meant."
            )
            continue
        values[key] = _value(data, where)
    return values, tuple(skipped)


def _value(data: Mapping[str, Any], where: str) -> Value:
    origin = data.get("origin")
    if not isinstance(origin, dict) or origin.get("kind") not in set(OriginKind):
        raise wrong(f"does not say under “{where}.origin” where the value came from")
    trial, error, recheck = origin.get("trial"), data.get("error"), data.get("recheck")
    basis = data.get("basis", {})
    if not isinstance(basis, dict):
        raise wrong(f"has no table under “{where}.basis”")
    return Value(
        number=finite(data.get("number"), f"{where}.number"),
        origin=Origin(
            OriginKind(origin["kind"]), _maybe_text(origin.get("note"), f"{where}.origin.note"),
            None if trial is None else int(finite(trial, f"{where}.origin.trial")),
        ),
        error=None if error is None else abs(finite(error, f"{where}.error")),
        recheck=None if recheck is None else _maybe_text(recheck, f"{where}.recheck"),
        basis={str(k)[:60]: finite(v, f"{where}.basis") for k, v in basis.items()},
        still_good=_maybe_text(data.get("still_good"), f"{where}.still_good"),
        dependency=_law(data.get("law"), f"{where}.law"),
        doubt=_maybe_text(data.get("doubt"), f"{where}.doubt"),
    )  # fmt: skip


def _maybe_text(found: Any, where: str) -> str:
    return "" if found is None or found == "" else _text(found, where)


def _law(found: Any, where: str) -> Dependency | None:
    if found is None:
        return None
    if not isinstance(found, dict) or found.get("key") not in BY_KEY:
        raise wrong(f"has no curve under “{where}”")
    at, number, rate, low, high = (
        finite(found.get(k), f"{where}.{k}") for k in ("at", "number", "rate", "low", "high")
    )
    if number <= 0 or low > high or abs(rate) > 1:
        raise wrong(f"has a curve under “{where}” that cannot be")
    return Dependency(found["key"], at, number, rate, low, high, _maybe_text(found.get("note"), f"{where}.note"))
