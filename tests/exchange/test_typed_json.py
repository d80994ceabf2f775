"""JSON from strangers: what is wrong is named with its place, in words; what is right comes through as it was."""

from __future__ import annotations

from collections.abc import Callable
from enum import StrEnum
from typing import Annotated, TypeVar

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec import Meta, Struct

from drumbo.core.errors import InvalidInput
from drumbo.exchange.typed_json import LONGEST_TEXT, Number, SomeText, Text, parsed, typed

T = TypeVar("T")


class Colour(StrEnum):
    RED = "red"
    BLUE = "blue"


class Light(Struct):
    seconds: Annotated[float, Meta(gt=0, le=600)]
    power: Annotated[int, Meta(ge=0, le=255)] = 255


class Layer(Struct):
    lights: Annotated[list[Light], Meta(min_length=1, max_length=3)]
    at: tuple[Number, Number] = (0.0, 0.0)
    name: Text = ""


class File(Struct):
    title: SomeText
    layers: list[Layer]
    colour: Colour = Colour.RED
    values: dict[str, Number] = {}
    sheet: Layer | None = None


def _wrong(why: str) -> InvalidInput:
    return InvalidInput("file", why)


def _said(found: object) -> str:
    with pytest.raises(InvalidInput) as error:
        typed(found, File, _wrong)
    return error.value.problems["file"]


def _tried(read: Callable[[], T]) -> tuple[T | None, str]:
    """What was read, or why not."""
    try:
        return read(), ""
    except InvalidInput as error:
        return None, error.problems["file"]


GOOD = {"title": "gannet", "layers": [{"lights": [{"seconds": 2.5}]}]}


def _with(**changed: object) -> dict[str, object]:
    return {**GOOD, **changed}


def _light(**changed: object) -> dict[str, object]:
    return _with(layers=[{"lights": [{"seconds": 2.5}]}, {"lights": [{"seconds": 2.5, **changed}]}])


def test_what_is_right_becomes_its_type_and_what_nobody_named_is_left_aside() -> None:
    found = typed(_with(more="of another program"), File, _wrong)
    assert found.layers[0].lights[0] == Light(2.5, 255)
    assert (found.title, found.colour, found.sheet) == ("gannet", Colour.RED, None)


@pytest.mark.parametrize(("found", "says"), [
    ({"layers": []}, "has nothing under “title”"),
    (_with(title="  "), "has no text under “title”"),
    (_with(title=""), "has no text under “title”"),
    (_with(title=7), "has no text under “title”"),
    (_with(title=None), "has no text under “title”"),
    (_with(layers="many"), "has no list under “layers”"),
    (_with(layers=[{"lights": []}]), "has nothing under “layers[0].lights”"),
    (_with(layers=[{"lights": [{"seconds": 1}] * 4}]), "has more than 3 under “layers[0].lights”"),
    (_with(layers=[{}]), "has nothing under “layers[0].lights”"),
    (_with(layers=[{"lights": [{"seconds": 1}], "at": [1, 2, 3]}]), "has not just 2 under “layers[0].at”"),
    (_with(layers=[{"lights": [{"seconds": 1}], "name": "x" * (LONGEST_TEXT + 1)}]),
     "has more than 2000 characters under “layers[0].name”"),
    (_light(seconds="two"), "has no number under “layers[1].lights[0].seconds”"),
    (_light(seconds=0), "has a number under “layers[1].lights[0].seconds” that cannot be: above 0 is meant"),
    (_light(seconds=601), "has a number under “layers[1].lights[0].seconds” that cannot be: at most 600 is meant"),
    (_light(power=-1), "has a number under “layers[1].lights[0].power” that cannot be: at least 0 is meant"),
    (_light(power=2.5), "has no whole number under “layers[1].lights[0].power”"),
    (_with(colour="green"), "has a word under “colour” that is not known: 'green'"),
    (_with(values={"nozzle_c": "hot"}), "has no number under “values”"),
    (_with(values={"nozzle_c": 1e12}), "has a number under “values” that cannot be: at most 1e+09 is meant"),
    (_with(sheet=3), "has no table under “sheet”"),
    ([], "is no table"),
])  # fmt: skip
def test_what_is_wrong_is_named_with_its_place(found: object, says: str) -> None:
    assert _said(found) == says


def test_a_place_may_lie_within_another() -> None:
    with pytest.raises(InvalidInput) as error:
        typed({"lights": [{"seconds": -1}]}, Layer, _wrong, "layers[7]")
    assert "“layers[7].lights[0].seconds”" in error.value.problems["file"]


@pytest.mark.parametrize(("data", "says"), [
    (b'{"a": 1,}', "is broken in line 1, column 9: "),
    (b'{\n "a": 1\n "b": 2}', "is broken in line 3, column 2: "),
    (b'{"a": [1, 2', "is broken in line 1, column 12: it ends in the middle"),
    (b"", "is broken in line 1, column 1: it ends in the middle"),
    (b'{"a": NaN}', "holds NaN, which is no number"),
    (b'{"a": -Infinity}', "holds -Infinity, which is no number"),
    (b'{"a": "\xff"}', "is not text in UTF-8"),
    (b"[" * 5000 + b"]" * 5000, "is nested beyond any file of ours"),
])  # fmt: skip
def test_what_is_no_json_is_told_with_its_line(data: bytes, says: str) -> None:
    with pytest.raises(InvalidInput) as error:
        parsed(data, _wrong)
    assert error.value.problems["file"].startswith(says)


def test_a_mark_of_the_encoding_is_no_part_of_it() -> None:
    assert parsed(b"\xef\xbb\xbf[1]", _wrong) == [1]


@given(st.binary(max_size=60))
def test_whatever_comes_is_read_or_refused_in_words(data: bytes) -> None:
    found, said = _tried(lambda: parsed(data, _wrong))
    assert said.startswith(("is ", "holds ")) if said else msgspec.json.decode(msgspec.json.encode(found)) == found


JSON = st.recursive(
    st.none() | st.booleans() | st.integers(-(10**6), 10**6) | st.floats(-1e6, 1e6) | st.text(max_size=5),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(
        st.sampled_from("title layers lights seconds power at values sheet x".split()), inner, max_size=4
    ),
    max_leaves=12,
)  # fmt: skip


@given(JSON)
def test_no_shape_of_a_stranger_comes_through_unread(found: object) -> None:
    made, said = _tried(lambda: typed(found, File, _wrong))
    if made is None:
        assert said.startswith("has ") or said == "is no table", said
        return
    assert made.title.strip()
    assert all(0 < light.seconds <= 600 for layer in made.layers for light in layer.lights)
