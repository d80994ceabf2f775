"""The profile file: what goes out comes back, and nothing broken, foreign, huge or hostile is half taken."""

from __future__ import annotations

import io
import json
import zipfile
from dataclasses import asdict, fields, replace
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from jsonschema import Draft202012Validator

from drumbo.core.catalogue import FILAMENT, RESIN, of_process
from drumbo.core.errors import InvalidInput
from drumbo.core.profile import Dependency, Origin, OriginKind, Profile, Value
from drumbo.exchange.profile_file import LARGEST, Evidence, profile_json, profile_zip, read_profile
from tests.conftest import plain_context, resin_context

CONTEXT = plain_context("petg")
SCHEMA = Draft202012Validator(json.loads((Path(__file__).parents[2] / "docs" / "profile.schema.json").read_text()))
KEYS = sorted(parameter.key for parameter in of_process(FILAMENT) if parameter.scope == "profile")
numbers = st.floats(-1e6, 1e6)
texts = st.text(st.characters(exclude_categories=("Cs", "Cc")), max_size=40).map(str.strip)
origins = st.builds(Origin, st.sampled_from(OriginKind), texts, st.none() | st.integers(1, 9999))
laws = st.builds(
    lambda at, number, rate, span: Dependency("nozzle_c", at, number, rate, at, at + span),
    st.floats(150, 300), st.floats(0.1, 40), st.floats(-0.5, 0.5), st.floats(0, 80),
)  # fmt: skip
values = st.builds(
    Value, number=numbers, origin=origins, error=st.none() | st.floats(0, 1e3), recheck=st.none() | texts.filter(bool),
    basis=st.dictionaries(st.sampled_from(KEYS), numbers, max_size=3), still_good=texts, dependency=st.none() | laws,
    doubt=texts,
)  # fmt: skip
profiles = st.builds(Profile, texts.filter(bool), st.dictionaries(st.sampled_from(KEYS), values, max_size=12))


def _written(profile: Profile = CONTEXT.profile) -> str:
    return profile_json(profile, 3, CONTEXT.material, CONTEXT.printer)


def _with(**changes: Any) -> bytes:
    return json.dumps({**json.loads(_written()), **changes}).encode()


@given(profiles)
def test_any_profile_comes_back_as_it_went(profile: Profile) -> None:
    text = _written(profile)
    SCHEMA.validate(json.loads(text))
    found = read_profile(text.encode())
    assert found.profile == profile
    assert found.material == replace(CONTEXT.material, notes="")
    assert found.revision == 3
    assert found.skipped == ()
    zipped = profile_zip(text, {"tower.png": b"x"})
    assert read_profile(zipped).profile == profile


def test_home_stays_at_home_and_evidence_goes_along() -> None:
    printer = replace(CONTEXT.printer, link_url="/dev/ttyUSB0", notes="behind the door", start_gcode="G28")
    told = [Evidence(4, "Temperature tower", "Best at 243 °C.", 243.0, 1.5, "2026-11-25")]
    data = json.loads(profile_json(CONTEXT.profile, 1, CONTEXT.material, printer, told))
    assert not {"link_url", "start_gcode", "notes"} & set(data["printer"])
    assert data["evidence"] == [asdict(told[0])]
    SCHEMA.validate(data)


GOES_ALONG = {
    "name", "drive", "origin", "dialect", "machine", "primes", "process", "swaps", "lights_apart", "greys", "ignores",
}  # fmt: skip


@pytest.mark.parametrize("context", [CONTEXT, resin_context()], ids=["filament", "resin"])
def test_nothing_of_how_a_printer_is_reached_leaves_the_house(context: Any) -> None:
    """Tokens above all: whatever text a printer comes to have stays, unless it is listed here."""
    texts = {f.name: f"secret {f.name}" for f in fields(context.printer) if str(f.type) == "str"}
    printer = replace(context.printer, **{k: v for k, v in texts.items() if k not in GOES_ALONG})
    material = replace(context.material, notes="secret notes")
    text = profile_json(context.profile, 1, material, printer)
    assert "secret" not in text
    assert read_profile(text.encode()).printer.upload_token == ""


def test_a_resin_profile_comes_back_as_it_went() -> None:
    context = resin_context("resin-clear", 25.0, ignores="z_um,antialias_levels")
    text = profile_json(context.profile, 2, context.material, context.printer)
    SCHEMA.validate(json.loads(text))
    found = read_profile(text.encode())
    assert found.profile == context.profile
    assert (found.material, found.printer) == (context.material, context.printer)
    data = json.loads(text)
    with pytest.raises(InvalidInput, match="another process than its own"):
        read_profile(json.dumps({**data, "printer": {**data["printer"], "process": FILAMENT}}).encode())
    smuggled = {**data, "values": {**data["values"], "nozzle_c": data["values"]["exposure_s"]}}
    assert read_profile(json.dumps(smuggled).encode()).skipped == ("nozzle_c: this Drumbo knows no such parameter.",)


def _changed_value(**changes: Any) -> bytes:
    data = json.loads(_written())
    data["values"]["flow_ratio"] |= changes
    return json.dumps(data).encode()


def _nested(depth: int) -> bytes:
    return b'{"format": "drumbo-profile", "values": ' + b"[" * depth + b"]" * depth + b"}"


def _zip(**members: bytes) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as bundle:
        for name, data in members.items():
            bundle.writestr(name, data)
    return out.getvalue()


HOSTILE = {
    "not ours": (b'{"format": "other"}', "is no profile of Drumbo's"),
    "a list": (b'["drumbo-profile"]', "is no profile of Drumbo's"),
    "cut off": (_written().encode()[:700], "is broken in line"),
    "not UTF-8": (b'{"format": "drumbo-profile", "name": "\xff"}', "is not text in UTF-8"),
    "nested": (_nested(200_000), "nested beyond"),
    "NaN": (_written().replace('"number": 0.97', '"number": NaN').encode(), "holds NaN"),
    "infinite": (_changed_value(number=1e999), "holds Infinity"),
    "a huge number": (_changed_value(number=10**400), "beyond all bounds"),
    "digits without end": (b'{"format": "drumbo-profile", "version": ' + b"9" * 5000 + b"}", "beyond all bounds"),
    "a text for a number": (_changed_value(number="0.97"), "has no number under “values.flow_ratio.number”"),
    "a truth for a number": (_changed_value(number=True), "has no number under “values.flow_ratio.number”"),
    "no origin": (_changed_value(origin=None), "has no table under “values.flow_ratio.origin”"),
    "a basis that is none": (_changed_value(basis=[1]), "has no table under “values.flow_ratio.basis”"),
    "a curve that cannot be": (_changed_value(law={"key": "nozzle_c", "at": 1, "number": -1, "rate": 0, "low": 1,
                                                   "high": 2}), "flow_ratio.law.number” that cannot be: above 0"),
    "values that are none": (_with(values=[]), "has no table under “values”"),
    "no material": (_with(material=None), "has no table under “material”"),
    "an unknown polymer": (_with(material={**asdict(CONTEXT.material), "family": "unobtainium"}), "unobtainium"),
    "a name too long": (_with(name="x" * 5000), "more than 2000 characters under “name”"),
    "another process": (_with(process="clay"), "for another process"),
    "a resin's process with a spool": (_with(process=RESIN), "does not know: petg"),
    "a later version": (_with(version=99), "of version 99; this Drumbo reads up to 1"),
    "too large": (b" " * (LARGEST + 1) + _written().encode(), "is larger than 2 MB"),
    "a zip without one": (_zip(**{"other.json": b"{}"}), "without a profile.json"),
    "a zip that leads out": (_zip(**{"../profile.json": b"{}"}), "leads out of its folder"),
    "a zip that leads out behind ours": (_zip(**{"profile.json": _written().encode(), "a/../../b": b"x"}), "leads out"),
    "a zip cut off": (_zip(**{"profile.json": _written().encode()})[:-30], "no zip that can be unpacked"),
    "a bomb": (_zip(**{"profile.json": b" " * 51_000_000}), "unpacks to far more"),
}  # fmt: skip


@pytest.mark.parametrize("name", HOSTILE)
def test_what_cannot_be_taken_says_why(name: str) -> None:
    data, why = HOSTILE[name]
    with pytest.raises(InvalidInput, match=why):
        read_profile(data)


def test_a_value_in_another_unit_or_of_no_known_name_is_left_and_told() -> None:
    data = json.loads(_written())
    data["values"]["retraction_mm"]["unit"] = "in"
    data["values"]["warp_drive"] = data["values"]["flow_ratio"]
    found = read_profile(json.dumps(data).encode())
    assert not {"retraction_mm", "warp_drive"} & set(found.profile.values)
    assert found.skipped[0] == "Retraction length: it is in “in”, and mm is meant."
    assert found.skipped[1] == "warp_drive: this Drumbo knows no such parameter."


@given(st.binary(max_size=400))
def test_no_bytes_make_it_stumble(data: bytes) -> None:
    for candidate in (data, b"PK\x03\x04" + data, b'{"format": "drumbo-profile", "version": 1,' + data):
        with pytest.raises(InvalidInput):
            read_profile(candidate)
