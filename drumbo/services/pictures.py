"""Pictures of printed pieces: by the stand-in's camera, or the maker's own."""

from __future__ import annotations

from dataclasses import dataclass
from threading import Lock
from typing import Any

from cachetools import LRUCache, cached

from drumbo.core.errors import InvalidInput, NotFound
from drumbo.core.fields import number
from drumbo.exchange.photos import no_larger, upright
from drumbo.store.database import Workshop
from drumbo.store.models import PictureRow, TrialRow

SMALL_SIDES = (320, 960, 1280)
"""Sides, px, in which a picture is shown where it is not looked at closely."""
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
    """Keep a picture with the trial: upright, bare, and no larger than it is shown; a `frame` is shrunk with it."""
    kept, (_, height) = upright(data)
    if frame is not None and frame.get("height"):
        shrunk = height / float(frame["height"])
        sizes: dict[str, Any] = {key: frame[key] * shrunk for key in ("px_per_mm", "width", "height") if key in frame}
        frame = {**frame, **sizes}
    digest = workshop.files.put(kept)
    with workshop.writing() as session:
        if session.get(TrialRow, trial_id) is None:
            raise NotFound(f"there is no trial number {trial_id}")
        picture = PictureRow(trial_id=trial_id, digest=digest, mime="image/jpeg", source=source, frame=frame)
        session.add(picture)
        session.flush()
        return picture.id


def set_scale(workshop: Workshop, picture_id: int, pixels: float, typed: str) -> float:
    """Tell a photo's scale from two points that lie a known length apart; returns pixels per mm."""
    length = number("length", typed, "mm")
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


def picture(workshop: Workshop, picture_id: int, side: int | None = None) -> tuple[bytes, str]:
    """A picture's bytes and type; with `side`, one of `SMALL_SIDES`, no larger than that."""
    with workshop.reading() as session:
        row = session.get(PictureRow, picture_id)
        if row is None:
            raise NotFound(f"there is no picture number {picture_id}")
        digest, mime = row.digest, row.mime
    if side in SMALL_SIDES:
        return _small(workshop, digest, side), "image/jpeg"
    return workshop.files.get(digest), mime


@cached(LRUCache(128), key=lambda workshop, digest, side: (workshop.folder, digest, side), lock=Lock())
def _small(workshop: Workshop, digest: str, side: int) -> bytes:
    kept = workshop.files.get(digest)
    # What is small enough loses nothing by being packed once more.
    return kept if no_larger(kept, side) else upright(kept, side)[0]
