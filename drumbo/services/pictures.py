"""Pictures of printed pieces: by the stand-in's camera, or the maker's own."""

from __future__ import annotations

import io
from dataclasses import dataclass
from typing import Any

from PIL import Image, ImageOps, UnidentifiedImageError

from drumbo.core.errors import InvalidInput, NotFound
from drumbo.core.fields import number
from drumbo.store.database import Workshop
from drumbo.store.models import PictureRow, TrialRow

LARGEST_PHOTO = 30_000_000
FEWEST_PIXELS = 20.0
"""A scale from fewer would be a guess."""


@dataclass(frozen=True, slots=True)
class Picture:
    """A picture of the printed piece; `frame` tells what it shows, in mm: all of it where a camera took it, the scale
    alone (`px_per_mm`) where a maker set that on a photo.
    """

    id: int
    source: str
    frame: dict[str, Any] | None
    digest: str
    mime: str


def pictures_of(row: TrialRow) -> tuple[Picture, ...]:
    """A trial's pictures, oldest first."""
    return tuple(Picture(p.id, p.source, p.frame, p.digest, p.mime) for p in row.pictures)


def add_picture(
    workshop: Workshop, trial_id: int, data: bytes, source: str = "photo", frame: dict[str, Any] | None = None
) -> int:
    """Keep a picture with the trial. Photos are checked, turned upright and made no larger than 2400 px."""
    if source == "photo":
        data, mime = _photo(data)
    else:
        mime = "image/png"
    digest = workshop.files.put(data)
    with workshop.writing() as session:
        if session.get(TrialRow, trial_id) is None:
            raise NotFound(f"there is no trial number {trial_id}")
        picture = PictureRow(trial_id=trial_id, digest=digest, mime=mime, source=source, frame=frame)
        session.add(picture)
        session.flush()
        return picture.id


def _photo(data: bytes) -> tuple[bytes, str]:
    if len(data) > LARGEST_PHOTO:
        raise InvalidInput("photo", f"is larger than {LARGEST_PHOTO // 1_000_000} MB; take a smaller one")
    try:
        with Image.open(io.BytesIO(data)) as image:
            upright = ImageOps.exif_transpose(image).convert("RGB")
            upright.thumbnail((2400, 2400))
            out = io.BytesIO()
            upright.save(out, "JPEG", quality=88)
    except (UnidentifiedImageError, OSError, Image.DecompressionBombError) as error:
        raise InvalidInput("photo", "is no picture that can be read; JPEG and PNG are fine") from error
    return out.getvalue(), "image/jpeg"


def set_scale(workshop: Workshop, picture_id: int, pixels: float, typed: str) -> float:
    """Tell a photo's scale from two points that lie a known length apart; returns pixels per mm."""
    length = number("length", typed)
    if not 0.1 <= length <= 1000:
        raise InvalidInput("length", "must be between 0.1 and 1000 mm; a long one is surest")
    if pixels < FEWEST_PIXELS:
        raise InvalidInput("length", "pick two points further apart first")
    with workshop.writing() as session:
        row = session.get(PictureRow, picture_id)
        if row is None:
            raise NotFound(f"there is no picture number {picture_id}")
        if row.source == "camera":
            raise InvalidInput("length", "this picture's scale is known already")
        row.frame = {"px_per_mm": pixels / length}
        return pixels / length


def picture(workshop: Workshop, picture_id: int) -> tuple[bytes, str]:
    """A picture's bytes and type."""
    with workshop.reading() as session:
        row = session.get(PictureRow, picture_id)
        if row is None:
            raise NotFound(f"there is no picture number {picture_id}")
        return workshop.files.get(row.digest), row.mime
