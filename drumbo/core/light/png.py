"""A small PNG writer for layer images: black and white in one bit a pixel, or grey in eight.

Rows of a layer mostly repeat the row behind them: with the filter Up they become zeros, and zlib's run-length strategy
packs those many times faster than its search for matches, into less. A layer that is busy all over, like a forest of
supports, is packed without a filter too, where what repeats is found further back; the smaller one is kept.
"""

from __future__ import annotations

import struct
import zlib
from typing import Any

import numpy as np
from numpy.typing import NDArray

from drumbo.core.compiled import njit

SIGNATURE = b"\x89PNG\r\n\x1a\n"
_UP = 2
BUSY = 0.075
"""Packed to more than this share of its bits, a layer is worth a second try."""


def png(rows: NDArray[np.uint8], width: int, depth: int) -> bytes:
    """A grey PNG of packed rows (height, bytes a row), `width` pixels of `depth` 1 or 8 bits each."""
    height = rows.shape[0]
    packed = _packed(_filtered(rows), 1, zlib.Z_RLE)
    if len(packed) > BUSY * rows.size:
        packed = min(packed, _packed(np.pad(rows, ((0, 0), (1, 0))), 5, zlib.Z_DEFAULT_STRATEGY), key=len)
    header = struct.pack(">IIBBBBB", width, height, depth, 0, 0, 0, 0)
    return SIGNATURE + _chunk(b"IHDR", header) + _chunk(b"IDAT", packed) + _chunk(b"IEND", b"")


def _packed(lines: NDArray[np.uint8], level: int, strategy: int) -> bytes:
    packer = zlib.compressobj(level, zlib.DEFLATED, 15, 9, strategy)
    return packer.compress(lines.data) + packer.flush()


def _chunk(name: bytes, data: bytes) -> bytes:
    return struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(data, zlib.crc32(name)))


@njit
def _filtered(rows: Any) -> Any:
    height, across = rows.shape
    out = np.empty((height, across + 1), dtype=np.uint8)
    for row in range(height):
        out[row, 0] = _UP
        if row == 0:
            for k in range(across):
                out[row, k + 1] = rows[row, k]
        else:
            for k in range(across):
                out[row, k + 1] = rows[row, k] - rows[row - 1, k]
    return out
