"""A drawn share of what strangers may send, and the cases that once did harm: each is answered in words, at once."""

from __future__ import annotations

import gzip
import io
import time
import zipfile
import zlib
from collections.abc import Callable
from contextlib import suppress

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from bench.fuzz import run
from bench.fuzzed import TARGETS
from drumbo.core.errors import DrumboError, InvalidInput
from drumbo.core.fields import Field, number
from drumbo.exchange.incoming import unpacked
from drumbo.exchange.meshes import read_part
from drumbo.exchange.photos import LARGEST_SIDE, upright
from drumbo.exchange.table import TableEntry, read_table

PROMPT_S = 20.0
"""What it guards against takes minutes; how long things take is measured in bench/."""
LONG = st.builds(
    lambda pieces, times: "".join(pieces) * times,
    st.lists(
        st.sampled_from([" ", "\t", "1", "0", ",", ".", ";", "-", "+", "=", ":", "e", "x", '"', "\n"]), max_size=6
    ),
    st.sampled_from([1, 40, 3000]),
)


def test_drawn_cases_of_every_target_are_answered_in_words() -> None:
    for outcome in run(seed=1, runs=6, first_uses=0):
        assert not outcome.told, outcome
    assert len(TARGETS) >= 11


def _promptly(job: Callable[[], object]) -> None:
    begun = time.perf_counter()
    with suppress(DrumboError):
        job()
    assert time.perf_counter() - begun < PROMPT_S


@given(LONG, LONG)
def test_long_runs_in_a_number_or_a_table_cost_their_length(before: str, after: str) -> None:
    text = f"{before}21{after}"
    _promptly(lambda: number("x", text))
    _promptly(lambda: Field("x", "X").read(text))
    _promptly(lambda: TableEntry("x", text).number)
    _promptly(lambda: read_table(text.encode()))


@pytest.mark.parametrize("cell", ["1" + ";1," * 29 + "x", "1" * 40_000, " " * 40_000 + "=", "a" + " " * 40_000])
def test_few_bytes_hold_nobody_up(cell: str) -> None:
    _promptly(lambda: TableEntry("x", cell).number)
    _promptly(lambda: read_table(f"a;b\n{cell};{cell}\n".encode()))
    _promptly(lambda: number("x", cell))
    for text in (
        f"solid a\nvertex {cell}",
        f"solid a\n{'vertex ' * 5}{cell} {cell}",
        "solid a" + "\nvertex" + " " * 200_000,
    ):
        _promptly(lambda text=text: read_part(text.encode()))  # type: ignore[misc]


def _model(inside: str) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as bundle:
        space = "http://schemas.microsoft.com/3dmanufacturing/core/2015/02"
        bundle.writestr("3D/3dmodel.model", f'<model xmlns="{space}"><resources>{inside}</model>')
    return out.getvalue()


def test_components_within_components_are_counted_before_they_are_put_together() -> None:
    wide = "".join(
        f'<object id="{k}"><components>{"".join(f"<component objectid={chr(34)}{k - 1}{chr(34)}/>" for _ in range(9))}'
        "</components></object>" for k in range(1, 14)
    )  # fmt: skip
    data = _model(f'<object id="0"></object>{wide}</resources><build><item objectid="13"/></build>')
    assert len(data) < 700
    _promptly(lambda: read_part(data))
    with pytest.raises(InvalidInput, match="more than 20,000 components"):
        read_part(data)


def test_a_mesh_of_more_points_than_a_part_has_is_refused_while_it_goes_by() -> None:
    points = '<vertex x="1" y="2" z="3"/>' * 1_300_000
    data = _model(f'<object id="1"><mesh><vertices>{points}')
    assert len(data) < 200_000
    with pytest.raises(InvalidInput, match="triangles; export it coarser"):
        read_part(data)


def test_a_gzip_that_grows_beyond_any_print_is_not_unpacked_to_its_end() -> None:
    assert unpacked(gzip.compress(b"G1 X1 E1\n" * 1000)) == b"G1 X1 E1\n" * 1000
    with pytest.raises(InvalidInput, match="60 times its size"):
        unpacked(gzip.compress(b"\x00" * 61_000_000))


def test_photos_are_opened_only_as_what_they_may_be_and_kept_upright_bare_and_small() -> None:
    out = io.BytesIO()
    exif = Image.Exif()
    exif[0x0112], exif[0x010F] = 6, "a device"
    Image.new("RGB", (4000, 1000), "white").save(out, "JPEG", exif=exif)
    data, size = upright(out.getvalue())
    assert size == (LARGEST_SIDE // 4, LARGEST_SIDE)
    with Image.open(io.BytesIO(data)) as kept:
        assert kept.size == size
        assert not kept.getexif()
    for kind in ("GIF", "BMP", "TIFF", "PPM"):
        other = io.BytesIO()
        Image.new("RGB", (30, 20)).save(other, kind)
        with pytest.raises(InvalidInput, match="no picture that can be read"):
            upright(other.getvalue())
    with pytest.raises(InvalidInput, match="no picture that can be read"):
        upright(b"%!PS-Adobe-3.0 EPSF-3.0\n%%BoundingBox: 0 0 100 100\nshowpage\n")


def test_a_picture_with_more_pixels_than_any_camera_has_is_counted_first() -> None:
    def chunk(name: bytes, data: bytes) -> bytes:
        return len(data).to_bytes(4) + name + data + zlib.crc32(name + data).to_bytes(4)

    head = chunk(b"IHDR", (60_000).to_bytes(4) + (60_000).to_bytes(4) + bytes([8, 2, 0, 0, 0]))
    bomb = b"\x89PNG\r\n\x1a\n" + head + chunk(b"IDAT", zlib.compress(b"\0" * 100_000)) + chunk(b"IEND", b"")
    with pytest.raises(InvalidInput, match="million pixels"):
        upright(bomb)
