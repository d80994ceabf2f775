"""All that a trial's four leaves show: what they share, and what each has of its own."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from drumbo.core.catalogue import BY_KEY
from drumbo.core.piece import Drawing
from drumbo.core.processes import Process, process
from drumbo.core.run import RunState
from drumbo.services import adopting, pairs, prior
from drumbo.services import live as live_service
from drumbo.services import queue as files
from drumbo.services import trials as service
from drumbo.services.loaded import Loaded, another_is_loaded
from drumbo.services.trials import TrialSheet
from drumbo.trials.enough import left_to_score
from drumbo.trials.readings import ToRead
from drumbo.trials.trial import TrialState
from drumbo.web.chart import ChartPicture, chart_picture
from drumbo.web.figure import (
    FitPicture,
    PiecePicture,
    SpreadPicture,
    fit_picture,
    piece_picture,
    spread_picture,
    tower_room,
)
from drumbo.web.live import LivePicture, live_picture
from drumbo.web.looks import Looks, looks_of
from drumbo.web.page import Page
from drumbo.web.plate import PlatePicture, plate_picture
from drumbo.web.read_page import ReadPage, read_page
from drumbo.web.views.common import workshop

ADOPT_WIDTH = 420.0
LEAVES = (("plan", "Plan"), ("print", "Print"), ("read", "Read"), ("adopt", "Adopt"))


def closed(sheet: TrialSheet, leaf: str) -> str | None:
    """Why a leaf cannot be turned to yet, or None."""
    if leaf in {"read", "adopt"} and sheet.state is TrialState.PLANNED:
        return "print the piece first"
    if leaf != "adopt":
        return None
    result = sheet.result
    if result is None or (result.value is None and result.state == "few"):
        return "read the piece first"
    if result.value is None or not sheet.kind.keeps(result):
        return result.says.rstrip(".")
    return None


@dataclass(frozen=True, slots=True, kw_only=True)
class TrialPage(Page):
    """All that a leaf shows. What only one of them has is empty on the others; from `refused` on stands what is
    said of what was just asked for.
    """

    sheet: TrialSheet
    leaf: str
    leaves: tuple[tuple[str, str, str | None], ...]
    picture: PiecePicture
    fit: FitPicture
    best_says: str
    spreads: tuple[SpreadPicture, ...]
    charts: tuple[ChartPicture, ...]
    maps: tuple[PlatePicture, ...]
    drawing: Drawing
    to_read: ToRead
    process: Process
    asked_eye: bool
    # Print
    live: LivePicture | None = None
    next_spool: int | None = None
    queue: files.Queue | None = None
    other: Loaded | None = None
    # Read
    looks: tuple[Looks, ...] = ()
    read: ReadPage | None = None
    unscored: bool = False
    # Read and Adopt
    touched: tuple[live_service.Touched, ...] = ()
    # Adopt
    preview: adopting.Preview | None = None
    departs: prior.FoundBefore | None = None
    # What was just asked for
    refused: str = ""
    pause_layer: str = ""
    asked_pace: Mapping[str, str] = field(default_factory=dict)
    photo_problem: str = ""
    told: str = ""
    swap: bool = False


def trial_page(sheet: TrialSheet, leaf: str) -> TrialPage:
    """What a leaf shows."""
    picture, result = _piece(sheet, leaf), sheet.result
    page = TrialPage(
        sheet=sheet,
        leaf=leaf,
        leaves=tuple((key, name, closed(sheet, key)) for key, name in LEAVES),
        picture=picture,
        fit=fit_picture(result, sheet.steps, picture),
        best_says=_best_says(sheet),
        spreads=tuple(spread_picture(s) for s in result.spreads) if result else (),
        charts=tuple(chart_picture(c) for c in result.charts) if result else (),
        maps=tuple(plate_picture(m) for m in result.maps) if result else (),
        drawing=sheet.drawing,
        to_read=sheet.to_read,
        process=process(sheet.kind.process),
        asked_eye=bool(sheet.context.printer.camera_url and RunState.DONE in sheet.runs),
    )
    own = {"print": _printing, "read": _reading, "adopt": _adopting}.get(leaf)
    return page if own is None else own(page)


def _piece(sheet: TrialSheet, leaf: str) -> PiecePicture:
    seen = [p for p in sheet.pictures if p.source == "camera" and p.frame and p.frame["view"] == sheet.drawing.view]
    wide = tower_room(sheet.to_read) if leaf == "read" else {"most_px": ADOPT_WIDTH, "least_px": 0.0}
    return piece_picture(sheet.drawing, seen[-1] if seen else None, sheet.stands.middle, **wide)


def _printing(page: TrialPage) -> TrialPage:
    """How its print goes on, what waits for the printer, and whether another spool is in it."""
    sheet, number = page.sheet, page.sheet.card.printer_id
    if sheet.run is not None and sheet.run.running:
        live = live_picture(workshop(), sheet, page.picture)
        if live is None:
            # It has ended between two looks, so that what was seen first is no longer so.
            return trial_page(service.sheet(workshop(), sheet.id), page.leaf)
        page = replace(page, live=live, next_spool=pairs.next_spool(workshop(), sheet.id))
    other = another_is_loaded(workshop(), number, sheet.card.material_id)
    return replace(page, queue=files.queue(workshop(), number), other=other)


def _touched(sheet: TrialSheet) -> tuple[live_service.Touched, ...]:
    """Steps that were printed at another pace than was planned."""
    changed = sheet.run is not None and bool(sheet.run.factors)
    return live_service.touched(workshop(), sheet.id) if changed else ()


def _reading(page: TrialPage) -> TrialPage:
    """The scores, and what is left to score."""
    sheet = page.sheet
    return replace(
        page,
        touched=_touched(sheet),
        looks=looks_of(sheet.to_read.aspects),
        read=read_page(sheet, page.picture),
        unscored=bool(left_to_score(sheet.kind, sheet.plan, sheet.readings)),
    )


def _adopting(page: TrialPage) -> TrialPage:
    """What adopting would set, before and after."""
    sheet, page = page.sheet, replace(page, touched=_touched(page.sheet))
    if sheet.result is None or sheet.adopted_revision is not None:
        return page
    return replace(page, preview=adopting.preview(workshop(), sheet.id), departs=_departing(sheet))


def _departing(sheet: TrialSheet) -> prior.FoundBefore | None:
    """What was found before, where this result lies far outside of it."""
    assert sheet.result is not None
    found = prior.found_before(workshop(), sheet.card.id, sheet.kind.sets[0])
    result = sheet.result
    if found is None or result.value is None or result.beyond or not found.before.departs(result.value, result.error):
        return None
    return found


def _best_says(sheet: TrialSheet) -> str:
    """The value that was found, with its unit; nothing where none was."""
    if sheet.result is None or sheet.result.value is None:
        return ""
    return f"{BY_KEY[sheet.kind.sets[0]].show(sheet.result.value)} {sheet.kind.unit}".strip()
