"""Zips of strangers: every way to be wrong has its words, and no size is believed."""

from __future__ import annotations

import io
import random
import struct
import zipfile
from pathlib import Path

import pytest

from drumbo.core.errors import InvalidInput
from drumbo.core.safe_zip import opened


def _wrong(message: str) -> InvalidInput:
    return InvalidInput("file", message)


def _zip(*members: tuple[str, bytes], packed: int = zipfile.ZIP_DEFLATED) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", packed) as bundle:
        for name, data in members:
            bundle.writestr(name, data)
    return out.getvalue()


def _read(data: bytes | Path, name: str = "a", most: int = 1000) -> bytes:
    with opened(data, most=most, most_together=2 * most, wrong=_wrong) as bundle:
        return bundle.read(name)


def test_what_is_well_comes_out(tmp_path: Path) -> None:
    data = _zip(("a", b"one"), ("b", b"two"))
    assert _read(data) == b"one"
    (tmp_path / "it.zip").write_bytes(data)
    assert _read(tmp_path / "it.zip", "b") == b"two"
    with opened(data, most=10, most_together=10, wrong=_wrong) as bundle:
        assert bundle.names == ["a", "b"]
        assert bundle.head("b", 2) == b"tw"
        out = io.BytesIO()
        bundle.take("a", out, chunk=1)
    assert out.getvalue() == b"one"


BAD = {
    "no zip": (b"G28\n", "no zip that can be unpacked"),
    "cut off": (_zip(("a", b"one"))[:-15], "no zip that can be unpacked"),
    "up and out": (_zip(("a", b""), ("x/../../b", b"")), "leads out"),
    "from the root": (_zip(("/b", b"")), "leads out"),
    "another drive": (_zip(("c:/b", b"")), "leads out"),
    "backslashes": (_zip(("..\\b", b"")), "leads out"),
    "one too large": (_zip(("a", b"x" * 1001)), "unpacks to far more"),
    "too large together": (_zip(*((f"a{k}", b"x" * 900) for k in range(3))), "unpacks to far more"),
}


@pytest.mark.parametrize("way", BAD)
def test_what_is_not_well_is_told(way: str) -> None:
    data, says = BAD[way]
    with pytest.raises(InvalidInput, match=says):
        _read(data)


def test_two_of_one_name_are_refused() -> None:
    with pytest.warns(UserWarning, match="Duplicate"):
        data = _zip(("a", b"one"), ("a", b"two"))
    with pytest.raises(InvalidInput, match="two files of one name"):
        _read(data)


def test_a_size_that_lies_lets_no_more_out() -> None:
    """The headers say 10 bytes; 100,000 are packed behind them."""
    data = bytearray(_zip(("a", b"x" * 100_000)))
    for at in (data.index(b"PK\x03\x04") + 22, data.index(b"PK\x01\x02") + 24):
        data[at : at + 4] = struct.pack("<I", 10)
    with pytest.raises(InvalidInput):
        _read(bytes(data))


def test_whatever_is_broken_ends_in_words() -> None:
    draw, whole = random.Random(3), _zip(("a", bytes(range(256)) * 3), ("b", b"x"))
    for _ in range(1500):
        data = bytearray(whole)
        for _ in range(draw.randint(1, 4)):
            data[draw.randrange(len(data))] = draw.randrange(256)
        try:
            _read(bytes(data))
        except (InvalidInput, KeyError):
            continue
