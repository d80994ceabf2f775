"""Files for the file check as they come in: packed or not, G-code or a layer package."""

from __future__ import annotations

import gzip
import io
import zlib

from drumbo.core.errors import InvalidInput

LARGEST_FILE = 500_000_000
GZ = b"\x1f\x8b"
SMALL_FILE, MOST_PACKED = 5_000_000, 60
"""Up to so many bytes anything may come out of a gzip, beyond that so many times what it has."""
ZIP = b"PK\x03\x04"


def is_package(data: bytes) -> bool:
    """Whether a file looks like a layer package."""
    return data[:4] == ZIP


def unpacked(data: bytes) -> bytes:
    """The file of one that may be packed with gzip. InvalidInput where it cannot be unpacked or is too large."""
    if data[:2] == GZ:
        try:
            data = _inflated(data)
        except (OSError, EOFError, zlib.error) as error:
            raise InvalidInput("file", "is packed and cannot be unpacked; fetch it again") from error
    if len(data) > LARGEST_FILE:
        raise InvalidInput("file", f"is larger than {LARGEST_FILE // 1_000_000} MB; that is the most that is read")
    return data


def _inflated(data: bytes) -> bytes:
    """What is in a gzip. G-code packs to a tenth; what packs to far less is not unpacked to its end."""
    most = min(LARGEST_FILE, max(SMALL_FILE, MOST_PACKED * len(data)))
    with gzip.open(io.BytesIO(data)) as packed:
        found = packed.read(most + 1)
    if len(found) > most and most < LARGEST_FILE:
        raise InvalidInput("file", f"unpacks to more than {MOST_PACKED} times its size, as no G-code does")
    return found
