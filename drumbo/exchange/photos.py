"""Photos that come in: opened only as what they may be, counted before they are unpacked, kept upright and bare.

What a camera wrote beside the picture (place, device, moment) is not kept.
"""

from __future__ import annotations

import io
import struct
import zlib
from collections.abc import Iterator
from contextlib import contextmanager

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageOps, UnidentifiedImageError

from drumbo.core.errors import InvalidInput

LARGEST = 30_000_000
MOST_PIXELS = 80_000_000
LARGEST_SIDE = 2400
KINDS = ("PNG", "JPEG", "WEBP")
QUALITY = 88


def upright(data: bytes, side: int = LARGEST_SIDE) -> tuple[bytes, tuple[int, int]]:
    """A photo as JPEG, turned as it was taken, no side above `side` px, and its size. InvalidInput says why not."""
    if len(data) > LARGEST:
        raise _wrong(f"is larger than {LARGEST // 1_000_000} MB; take a smaller one")
    with _told(), Image.open(io.BytesIO(data), formats=KINDS) as image:
        if image.width * image.height > MOST_PIXELS:
            raise _too_many_pixels()
        # A JPEG is unpacked no larger than it will be kept.
        image.draft("RGB", (side, side))
        # Smaller first: turning costs as much as there is to turn.
        image.thumbnail((side, side))
        turned = ImageOps.exif_transpose(image).convert("RGB")
        # Nothing is carried over but the pixels.
        bare = Image.new("RGB", turned.size)
        bare.paste(turned)
        out = io.BytesIO()
        bare.save(out, "JPEG", quality=QUALITY)
        return out.getvalue(), bare.size


def pixels_of(data: bytes) -> NDArray[np.uint8]:
    """(h, w, 3) pixels, 0..255 from the upper left, of a picture that is kept."""
    with Image.open(io.BytesIO(data), formats=KINDS) as image:
        return np.asarray(image.convert("RGB"))


def no_larger(data: bytes, side: int) -> bool:
    """Whether a picture that is kept is a JPEG with no side above `side` px."""
    with Image.open(io.BytesIO(data)) as image:
        return image.format == "JPEG" and max(image.size) <= side


@contextmanager
def _told() -> Iterator[None]:
    """Whatever a broken picture makes of the library, as words."""
    try:
        yield
    except InvalidInput:
        raise
    except (Image.DecompressionBombError, Image.DecompressionBombWarning) as error:
        raise _too_many_pixels() from error
    except (
        UnidentifiedImageError, OSError, SyntaxError, ValueError, TypeError, IndexError,
        KeyError, EOFError, MemoryError, OverflowError, AttributeError, struct.error, zlib.error,
    ) as error:  # fmt: skip
        raise _wrong("is no picture that can be read; JPEG, PNG and WebP are fine") from error


def _too_many_pixels() -> InvalidInput:
    return _wrong(f"has more than {MOST_PIXELS // 1_000_000} million pixels; take a smaller one")


def _wrong(message: str) -> InvalidInput:
    return InvalidInput("photo", message)
