"""Photos of pieces that tell numbers: what is marked in one, and what is read from it."""

from __future__ import annotations

from collections.abc import Sequence

from drumbo.core.errors import NotFound, NotNow
from drumbo.exchange.photos import pixels_of
from drumbo.services.convert import trial_of
from drumbo.services.reading import take_photo
from drumbo.sight.rectify import Pixels, View, by_corners, by_frame
from drumbo.store.database import Workshop
from drumbo.store.models import PictureRow


def read_photo(workshop: Workshop, picture_id: int, marked_px: Sequence[tuple[float, float]]) -> int:
    """Read a trial's piece from one of its pictures; returns how many numbers it told.

    `marked_px` are the corners that its kind asks for, in pixels of the picture as it is kept; the simulated camera's
    picture needs none. InvalidInput for marks that cannot be, NotNow for a trial that a photo does not tell of.
    """
    with workshop.reading() as session:
        row = session.get(PictureRow, picture_id)
        if row is None:
            raise NotFound(f"there is no picture number {picture_id}")
        digest, frame, trial_id, trial = row.digest, row.frame, row.trial_id, trial_of(row.trial)
    marks = trial.kind.photo_marks(trial.plan, trial.context)
    if marks is None:
        raise NotNow("this trial cannot be read from a photo; read it by eye")
    pixels = pixels_of(workshop.files.get(digest))
    if frame is not None and frame.get("view") == "top":
        x, y = trial.stands.middle
        view = by_frame(pixels, frame["left_mm"] - x, frame["bottom_mm"] - y, frame["px_per_mm"])
    else:
        view = _marked(pixels, [corner[1:] for corner in marks.corners], marked_px)
    found = trial.kind.read_photo(trial.plan, trial.context, view)
    take_photo(workshop, trial_id, found)
    return len(found)


def _marked(pixels: Pixels, places: Sequence[tuple[float, float]], marked_px: Sequence[tuple[float, float]]) -> View:
    if len(marked_px) != len(places):
        raise NotNow(f"mark the {len(places)} corners first")
    return by_corners(pixels, places, marked_px)
