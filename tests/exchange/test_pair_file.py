"""The pair file: what goes out comes back, and nothing broken or hostile is half taken."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from jsonschema import Draft202012Validator
from referencing import Registry, Resource

from drumbo.core.errors import InvalidInput
from drumbo.exchange.pair_file import FoundOfTwo, is_pair_file, pair_json, read_pair
from drumbo.exchange.profile_file import is_profile_file, profile_data, profile_json
from tests.conftest import plain_context, resin_context

DOCS = Path(__file__).parents[2] / "docs"
KNOWN = Registry().with_resource(
    "profile.schema.json", Resource.from_contents(json.loads((DOCS / "profile.schema.json").read_text()))
)
SCHEMA = Draft202012Validator(json.loads((DOCS / "pair.schema.json").read_text()), registry=KNOWN)
ONE, OTHER = plain_context("petg"), plain_context("tpu")
PROFILES = [profile_data(c.profile, 2, c.material, c.printer) for c in (ONE, OTHER)]
FOUND = {"purge_there_mm": FoundOfTwo(40.0, 7.0), "joint_c": FoundOfTwo(232.0)}


def _with(**changes: Any) -> bytes:
    return json.dumps({**json.loads(pair_json(PROFILES, FOUND, "a damper")), **changes}).encode()


def test_a_pair_comes_back_as_it_went() -> None:
    data = pair_json(PROFILES, FOUND, "a damper").encode()
    SCHEMA.validate(json.loads(data))
    assert is_pair_file(data)
    found = read_pair(data)
    assert (found.one.profile, found.other.profile) == (ONE.profile, OTHER.profile)
    assert (found.found, found.notes, found.skipped) == (FOUND, "a damper", ())


def test_a_profile_that_speaks_of_pairs_is_none() -> None:
    text = profile_json(ONE.profile, 1, ONE.material, ONE.printer).replace('"name": "', '"name": "drumbo-pair ', 1)
    assert is_profile_file(text.encode())
    assert not is_pair_file(text.encode())
    assert not is_pair_file(profile_json(ONE.profile, 1, ONE.material, ONE.printer).encode())


RESIN = resin_context()
WRONG: dict[str, tuple[bytes, str]] = {
    "of a later version": (_with(version=2), "another version"),
    "of one profile": (_with(profiles=PROFILES[:1]), "fewer than 2 under “profiles”"),
    "of no profiles": (_with(profiles=[1, 2]), "no profile of Drumbo"),
    "of resin": (_with(profiles=[profile_data(RESIN.profile, 1, RESIN.material, RESIN.printer)] * 2), "only filament"),
    "without a number": (_with(values={"joint_c": {"number": "hot"}}), "values.joint_c.number"),
    "with a list of values": (_with(values=[1]), "no table"),
    "with endless notes": (_with(notes="x" * 1001), "1000 characters"),
}


@pytest.mark.parametrize("name", WRONG)
def test_what_cannot_be_taken_says_why(name: str) -> None:
    data, says = WRONG[name]
    with pytest.raises(InvalidInput, match=says):
        read_pair(data)


def test_a_value_of_no_pair_or_in_another_unit_is_left_and_told() -> None:
    found = read_pair(_with(values={"flow_ratio": {"number": 1}, "joint_c": {"number": 5, "unit": "K"}}))
    assert found.found == {}
    assert len(found.skipped) == 2


@given(st.binary(max_size=60), st.integers(0, 4000))
def test_no_bytes_make_it_stumble(data: bytes, at: int) -> None:
    whole = _with()
    for broken in (data, whole[:at] + data + whole[at + 1 :]):
        assert _fields(broken) in (set(), {"file"})


def _fields(data: bytes) -> set[str]:
    """What is complained of."""
    try:
        read_pair(data)
    except InvalidInput as error:
        return set(error.problems)
    return set()
