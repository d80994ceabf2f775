"""Readings of prints on stand-ins: what a practised maker would score, and a calliper's jaws on a picture."""

from __future__ import annotations

import json
import math
from dataclasses import dataclass
from zlib import crc32

from sqlalchemy import select

from drumbo.core.errors import NotFound, NotNow
from drumbo.core.processes import AnyPrinter
from drumbo.core.run import RunState
from drumbo.links.simulated import Jaws, Load, simulated_reader
from drumbo.services.convert import filament_printer_of, printer_of, trial_of
from drumbo.services.jobs import prints_of
from drumbo.services.reading import first_all, measure_all, score_all
from drumbo.services.trials import get_trial
from drumbo.store.database import Workshop
from drumbo.store.models import PictureRow, TrialRow
from drumbo.trials.readings import Readings


def _printed_on_standin(row: TrialRow) -> tuple[AnyPrinter, int | None]:
    """The stand-in that printed a trial, and the number of the object; NotNow for a real printer's print."""
    printer = printer_of(row.profile.printer)
    whole = any(run.state == RunState.DONE for run in prints_of(row))
    # Of a plate that broke off, what was done by then can be looked at too.
    if not printer.camera_url or not (whole or (row.printed_at is not None and prints_of(row))):
        raise NotNow("that can only be asked about a print of the stand-in")
    seen = [p.frame["object"] for p in row.pictures if p.source == "camera" and p.frame]
    return printer, seen[-1] if seen else None


def recall_prints(workshop: Workshop) -> int:
    """Tell stand-ins that were started anew what they printed before; returns how many objects they know again."""
    with workshop.reading() as session:
        known = []
        for row in session.scalars(select(TrialRow).where(TrialRow.printed_at.is_not(None))):
            camera = printer_of(row.profile.printer).camera_url
            frames = [p.frame for p in row.pictures if p.source == "camera" and p.frame]
            if camera and frames:
                known.append((camera, int(frames[-1]["object"]), row.file_digest, spools_of(row)))
    for camera, number, file, spools in known:
        simulated_reader(camera).recall(number, file, *spools)
    return len(known)


def spools_of(row: TrialRow) -> tuple[Load, ...]:
    """What a simulated device needs for a trial: its spool; and where a feeder changes it, the other one too."""
    materials = [row.profile.material]
    if row.pair is not None and not filament_printer_of(row.profile.printer).by_hand:
        materials.append(row.pair.other.material)
    return tuple(Load(each.family, each.spool_seed, each.colour_hex) for each in materials)


def simulated_readings(workshop: Workshop, trial_id: int) -> int:
    """Fill in what a practised maker would score and measure; for stand-in prints only. Returns how many readings.

    Where something was read already it is another look: an eye that slipped does not slip the same way twice.
    """
    with workshop.reading() as session:
        row = get_trial(session, trial_id)
        printer, number = _printed_on_standin(row)
        trial = trial_of(row)
    piece, to_read, middle = trial.piece, trial.to_read, trial.stands.middle
    reader = simulated_reader(printer.camera_url, trial.stands.room)
    boxes = [place.box(middle) for place in piece.places]
    aspects = [a.key for a in to_read.aspects]
    look, count = trial_id + _looks(trial.readings), 0
    if aspects:
        rows = reader.scores(boxes, aspects, look, number)
        scores: dict[tuple[str, int], int | None] = {
            (aspect, step): row[place] for step, row in enumerate(rows) for place, aspect in enumerate(aspects)
        }
        score_all(workshop, trial_id, scores)
        count += len(scores)
    if to_read.firsts:
        steps = reader.firsts(boxes, [f.key for f in to_read.firsts], look, number)
        first_all(workshop, trial_id, dict(steps))
        count += len(steps)
    if piece.jaws:
        jaws = [jaw.on_bed(middle) for jaw in piece.jaws]
        found = reader.numbers([Jaws(j.a, j.b, j.z, j.tool) for j in jaws], look, number)
        numbers = {
            (jaw.measure, jaw.step, jaw.site): value
            for jaw, value in zip(piece.jaws, found, strict=True)
            if value is not None
        }
        measure_all(workshop, trial_id, numbers)
        count += len(numbers)
    return count


def _looks(readings: Readings) -> int:
    """0 before anybody looked; else a number of its own for what was read so far."""
    read = {key: value for key, value in readings.to_json().items() if key in {"scores", "measures", "firsts"}}
    return crc32(json.dumps(read, sort_keys=True).encode()) if readings.any else 0


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
        printer, room = printer_of(picture.trial.profile.printer), trial_of(picture.trial).stands.room
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
    return simulated_reader(printer.camera_url, room).calliper(Jaws(a, b, height_mm, tool), frame["object"])
