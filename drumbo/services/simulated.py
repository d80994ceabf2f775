"""Readings of prints on stand-ins: what a practised maker would score, and a calliper's jaws on a picture."""

from __future__ import annotations

import json
import math
import urllib.error
import urllib.request
from dataclasses import dataclass
from typing import Any

from drumbo.core.errors import LinkError, NotFound, NotNow
from drumbo.core.piece.piece import Jaw
from drumbo.core.run import RunState
from drumbo.services.convert import kind_of, piece_of, plan_of, printer_of
from drumbo.services.reading import first_all, measure_all, score_all
from drumbo.services.trials import get_trial
from drumbo.store.database import Workshop
from drumbo.store.models import PictureRow, TrialRow


def ask_standin(camera_url: str, path: str, body: dict[str, Any]) -> dict[str, Any]:
    request = urllib.request.Request(
        camera_url.rstrip("/") + path, json.dumps(body).encode(), {"Content-Type": "application/json"}
    )
    try:
        with urllib.request.urlopen(request, timeout=60) as answer:
            return dict(json.load(answer))
    except urllib.error.HTTPError as error:
        raise LinkError(_refusal(error.read(2000))) from error
    except (OSError, ValueError) as error:
        raise LinkError("nothing answers beside the stand-in; is it running?") from error


def _refusal(body: bytes) -> str:
    try:
        return str(json.loads(body)["error"])
    except (ValueError, KeyError):
        return "the stand-in refused without saying why"


def _printed_on_standin(row: TrialRow) -> tuple[Any, int | None]:
    """The stand-in that printed a trial, and the number of the object; NotNow for a real printer's print."""
    printer = printer_of(row.profile.printer)
    if not printer.camera_url or not any(run.state == RunState.DONE for run in row.prints):
        raise NotNow("that can only be asked about a print of the stand-in")
    seen = [p.frame["object"] for p in row.pictures if p.source == "camera" and p.frame]
    return printer, seen[-1] if seen else None


def ask_the_eye(workshop: Workshop, trial_id: int) -> int:
    """Fill in what a practised maker would score and measure; for stand-in prints only. Returns how many readings."""
    with workshop.reading() as session:
        row = get_trial(session, trial_id)
        printer, number = _printed_on_standin(row)
        piece = piece_of(row)
        to_read = kind_of(row).readings(plan_of(row))
    aspects = [a.key for a in to_read.aspects]
    asked = {"object": number, "seed": trial_id}
    count = 0
    if aspects:
        boxes = [place.box(printer.bed_middle) for place in piece.places]
        found = ask_standin(printer.camera_url, "/eye", {**asked, "boxes": boxes, "aspects": aspects})
        scores = {
            (aspect, step): int(row[place])
            for step, row in enumerate(found["scores"])
            for place, aspect in enumerate(aspects)
        }
        score_all(workshop, trial_id, scores)
        count += len(scores)
    if to_read.firsts:
        boxes = [place.box(printer.bed_middle) for place in piece.places]
        signs = [f.key for f in to_read.firsts]
        steps = ask_standin(printer.camera_url, "/first", {**asked, "boxes": boxes, "signs": signs})["steps"]
        first_all(workshop, trial_id, {key: int(step) for key, step in steps.items()})
        count += len(steps)
    if piece.jaws:
        jaws = [_placed(jaw.on_bed(printer.bed_middle)) for jaw in piece.jaws]
        found = ask_standin(printer.camera_url, "/measure", {**asked, "jaws": jaws})
        numbers = {
            (jaw.measure, jaw.step, jaw.site): float(value)
            for jaw, value in zip(piece.jaws, found["numbers"], strict=True)
            if value is not None
        }
        measure_all(workshop, trial_id, numbers)
        count += len(numbers)
    return count


def _placed(jaw: Jaw) -> dict[str, Any]:
    return {"a": jaw.a, "b": jaw.b, "z": jaw.z, "tool": jaw.tool}


@dataclass(frozen=True, slots=True)
class Points:
    """Two points on a picture, in its pixels from the upper left."""

    a: tuple[float, float]
    b: tuple[float, float]


def close_jaws(
    workshop: Workshop, picture_id: int, points: Points, height_mm: float | None = None, tool: str = "calliper"
) -> float:
    """What a calliper says between two points of a picture, mm.

    On the stand-in's own picture its jaws close on the object (or, as another `tool`, open in a gap or stand upright),
    at `height_mm` where that is known; on a maker's photo
    it is the distance by the photo's scale. NotNow where a photo has no scale yet.
    """
    with workshop.reading() as session:
        picture = session.get(PictureRow, picture_id)
        if picture is None:
            raise NotFound(f"there is no picture number {picture_id}")
        frame = picture.frame
        printer = printer_of(picture.trial.profile.printer)
        source = picture.source
    if frame is None:
        raise NotNow("set this photo's scale first: pick two points and type how far apart they are")
    per_px = 1 / float(frame["px_per_mm"])
    if source != "camera":
        return round(math.dist(points.a, points.b) * per_px, 2)
    if frame.get("view") != "top":
        raise NotNow("callipers reach the object from above; use the picture from there")
    a, b = ([frame["left_mm"] + x * per_px, frame["bottom_mm"] + (frame["height"] - y) * per_px]
            for x, y in (points.a, points.b))  # fmt: skip
    asked = {"jaws": [{"a": a, "b": b, "z": height_mm, "tool": tool}], "object": frame["object"]}
    return float(ask_standin(printer.camera_url, "/calliper", asked)["number"])
