"""Printing over a link: one run a printer at a time, its state kept in the database as it goes."""

from __future__ import annotations

import json
import logging
import math
import threading
import urllib.error
import urllib.request
from dataclasses import asdict, dataclass
from typing import Any

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from drumbo.core.errors import InvalidInput, LinkError, NotFound, NotNow
from drumbo.core.piece.piece import Jaw
from drumbo.links.sender import Progress
from drumbo.links.sending import AnySender, say_hello, sender_for
from drumbo.services.convert import kind_of, material_of, piece_of, plan_of, printer_of
from drumbo.services.pictures import add_picture
from drumbo.services.reading import first_all, measure_all, score_all
from drumbo.services.spools import take_from_spool
from drumbo.services.trials import get_trial
from drumbo.store.database import Workshop
from drumbo.store.models import PictureRow, PrinterRow, PrintRow, TrialRow, now

log = logging.getLogger(__name__)
RUNNING = ("sending", "paused")
ENDED = ("done", "stopped", "failed", "lost")


class PrintRoom:
    """Holds the senders of this process. Everything that must outlive it is in the database."""

    def __init__(self, workshop: Workshop, silence_s: float = 30.0) -> None:
        self._workshop = workshop
        self._silence_s = silence_s
        self._senders: dict[int, AnySender] = {}
        self._lock = threading.Lock()
        self._forget_lost()

    def _forget_lost(self) -> None:
        """Runs that a former process left behind are lost: nobody listens to that printer any more."""
        message = "Drumbo was stopped while it was printing. Look at the printer now."
        with self._workshop.writing() as session:
            session.execute(
                update(PrintRow)
                .where(PrintRow.state.in_(RUNNING))
                .values(state="lost", message=message, finished_at=now())
            )

    def start(self, trial_id: int) -> int:
        """Send a trial's file to its printer. NotNow while that printer is busy; InvalidInput without a link."""
        with self._lock:
            with self._workshop.reading() as session:
                trial = get_trial(session, trial_id)
                printer, material = printer_of(trial.profile.printer), trial.profile.material
                self._may_start(session, trial.profile.printer_id, printer)
                data = self._workshop.files.get(trial.file_digest)
                holder = material_of(material).holder
                spool = {"family": material.family, "seed": material.spool_seed, "colour": material.colour_hex}
            if printer.camera_url:
                _ask(printer.camera_url, f"/{holder}", spool)

            def report(progress: Progress) -> None:
                self._report(run_id, trial_id, printer.camera_url, progress)

            sender = sender_for(printer.link_url, data, report, self._silence_s)
            with self._workshop.writing() as session:
                trial = get_trial(session, trial_id)
                run = PrintRow(
                    trial_id=trial.id, printer_id=trial.profile.printer_id, state="sending", total=sender.total
                )
                session.add(run)
                session.flush()
                run_id = run.id
            self._senders[run_id] = sender
        sender.start()
        return run_id

    def _may_start(self, session: Session, printer_id: int, printer: Any) -> None:
        if not printer.link_url:
            raise InvalidInput("link_url", f"{printer.name} has no link; give it one, or take the file along")
        busy = select(PrintRow.id).where(PrintRow.printer_id == printer_id, PrintRow.state.in_(RUNNING))
        if session.scalars(busy).first() is not None:
            raise NotNow(f"{printer.name} is printing; wait until it is done, or stop it")

    def stop(self, run_id: int) -> None:
        """Stop a run; its heaters go off."""
        sender = self._senders.get(run_id)
        if sender is None:
            raise NotNow("this print is not running any more")
        sender.stop()
        sender.join(5)

    def close(self) -> None:
        """Stop all runs, so that no printer is left hot when the application ends."""
        for sender in list(self._senders.values()):
            sender.stop()
        for sender in list(self._senders.values()):
            sender.join(5)

    def join(self, run_id: int, timeout_s: float) -> None:
        """Wait for a run's end."""
        sender = self._senders.get(run_id)
        if sender is not None:
            sender.join(timeout_s)

    def _report(self, run_id: int, trial_id: int, camera_url: str, progress: Progress) -> None:
        if progress.state == "done" and camera_url:
            self._photograph(trial_id, camera_url)
        ended = progress.state in ENDED
        with self._workshop.writing() as session:
            run = session.get(PrintRow, run_id)
            if run is None:
                return
            run.state, run.sent, run.message = progress.state, progress.sent, progress.message
            run.heat = asdict(progress.heat) if progress.heat else run.heat
            if ended:
                run.finished_at = now()
                take_from_spool(session, run.trial, run.sent / max(run.total, 1))
            if progress.state == "done":
                trial = session.get(TrialRow, trial_id)
                if trial is not None and trial.state == "planned":
                    trial.state, trial.printed_at = "printed", now()
        if ended:
            self._senders.pop(run_id, None)

    def _photograph(self, trial_id: int, camera_url: str) -> None:
        """A picture of what came off the bed. A camera that fails costs the picture, not the print."""
        try:
            with self._workshop.reading() as session:
                row = get_trial(session, trial_id)
                view = piece_of(row).view
                printed = kind_of(row).solid
            if not printed:
                return
            with urllib.request.urlopen(f"{camera_url.rstrip('/')}/{view}.png", timeout=60) as answer:
                frame = json.loads(answer.headers.get("X-Frame", "null"))
                add_picture(self._workshop, trial_id, answer.read(), "camera", frame)
        except (OSError, ValueError) as error:
            log.warning("no picture of trial %s: %s", trial_id, error)


def _ask(camera_url: str, path: str, body: dict[str, Any]) -> dict[str, Any]:
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
    if not printer.camera_url or not any(run.state == "done" for run in row.prints):
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
        found = _ask(printer.camera_url, "/eye", {**asked, "boxes": boxes, "aspects": aspects})
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
        steps = _ask(printer.camera_url, "/first", {**asked, "boxes": boxes, "signs": signs})["steps"]
        first_all(workshop, trial_id, {key: int(step) for key, step in steps.items()})
        count += len(steps)
    if piece.jaws:
        jaws = [_placed(jaw.on_bed(printer.bed_middle)) for jaw in piece.jaws]
        found = _ask(printer.camera_url, "/measure", {**asked, "jaws": jaws})
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
    return float(_ask(printer.camera_url, "/calliper", asked)["number"])


def try_link(workshop: Workshop, printer_id: int) -> str:
    """Say hello to a printer; LinkError tells what is wrong."""
    with workshop.reading() as session:
        row = session.get(PrinterRow, printer_id)
        url = printer_of(row).link_url if row is not None else ""
    if not url:
        raise InvalidInput("link_url", "there is no link to test")
    say_hello(url)
    return "It answers."
