"""A print that goes on, in words and in the few numbers from which a page draws it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from drumbo.core.run import Heaters, RunState
from drumbo.services import plates
from drumbo.services.live import Heat, Live, live, temperatures
from drumbo.services.trials import Run, TrialSheet
from drumbo.store.database import Workshop
from drumbo.web.bed_page import BedPicture, bed_picture
from drumbo.web.figure import PiecePicture
from drumbo.web.filters import duration

NAMES = {RunState.PAUSED: "Waiting", RunState.STOPPING: "Finishing"}
ENDED = {RunState.DONE: "Printed", RunState.STOPPED: "Stopped", RunState.FAILED: "The print failed",
         RunState.LOST: "The print was lost"}  # fmt: skip
MOST_POINTS, ROOM_MM = 120, 4.0


@dataclass(frozen=True, slots=True)
class LivePicture:
    """What the Print leaf is drawn from when it opens; from then on `told` comes anew every second.

    `box` is the view box of a layer seen from above, mm; it is empty where the piece itself is seen so. `heats` are
    temperatures of the last minutes, rows of (s, nozzle, target, bed, target). Of several pieces in one job `bed` shows
    all, and layers lie on it `at` so many mm.
    """

    told: dict[str, Any]
    box: str
    heats: Sequence[tuple[float | None, ...]]
    bed: BedPicture | None = None
    at: tuple[float, float] = (0.0, 0.0)


def live_picture(workshop: Workshop, sheet: TrialSheet, picture: PiecePicture) -> LivePicture | None:
    """How the trial's print stands; None once it is over."""
    found = live(workshop, sheet.id)
    if found is None:
        return None
    heats: Sequence[Heat] = temperatures(workshop, found.run.name) if found.run.name else ()
    thinned = heats[:: max(1, len(heats) // MOST_POINTS)]
    rows = [(round(h.at_s, 1), h.nozzle, h.nozzle_target, h.bed, h.bed_target) for h in thinned]
    if sheet.plate_id is not None:
        plate = plates.sheet(workshop, sheet.plate_id)
        x, y = sheet.stands.middle
        bed = bed_picture(plate.spots, plate.printer)
        return LivePicture(live_words(found), "", rows, bed, (round(x, 2), round(-y, 2)))
    return LivePicture(live_words(found), "" if picture.lies or found.spot is None else _box(found), rows)


def _box(found: Live) -> str:
    """All layers from above, with some room for the skirt."""
    x0, y0, x1, y1 = found.box
    return f"{x0 - ROOM_MM:.1f} {-y1 - ROOM_MM:.1f} {x1 - x0 + 2 * ROOM_MM:.1f} {y1 - y0 + 2 * ROOM_MM:.1f}"


def live_words(found: Live) -> dict[str, Any]:
    """What is sent every second: what cannot be told is left out."""
    run, spot = found.run, found.spot
    told: dict[str, Any] = {
        "state": str(run.state), "name": NAMES.get(run.state, "Printing"), "percent": round(found.share * 100, 1),
        "at": round(run.elapsed_s, 1),
    }  # fmt: skip
    if run.message:
        told["message"] = run.message
    if run.state is not RunState.STOPPING:
        told["left"] = f"{duration(found.left_s)} left"
    if run.heat and "layers" in run.heat:
        told |= {"layer": run.heat["layer"], "layers": run.heat["layers"]}
        if run.heat.get("resin_c") is not None:
            told["resin"] = round(run.heat["resin_c"], 1)
    elif run.heat:
        told["nozzle"] = [run.heat.get("nozzle_c"), run.heat.get("nozzle_target_c")]
        if run.heat.get("bed_c") is not None:
            told["bed"] = [run.heat["bed_c"], run.heat.get("bed_target_c")]
    if spot is not None and found.layers:
        told |= {"line": found.line, "layers": found.layers, "layer": spot.layer + 1 if spot.begun else 0,
                 "height": round(spot.height_mm, 2), "fan": round(spot.fan * 100), "flow": round(spot.flow_mm3_s, 1),
                 "step": -1 if spot.step is None else spot.step}  # fmt: skip
        told["says"] = _says(found)
        if found.pieces is not None:
            told |= {"printed": found.pieces.printed, "to_come": found.pieces.to_come}
    return told


def _says(found: Live) -> str:
    """Which step is made, and when the next one begins."""
    spot = found.spot
    if spot is None or found.run.state is RunState.STOPPING:
        return ""
    if not spot.begun:
        return "Heating and getting ready."
    now = f"Step {found.step}" if found.step else ""
    if found.next_step is None or found.run.state is RunState.PAUSED:
        return f"{now}." if now else ""
    after = f"step {found.next_step} begins in {duration(found.next_in_s)}"
    return f"{now}; {after}." if now else f"{after[:1].upper()}{after[1:]}."


def over_words(run: Run | None) -> dict[str, Any]:
    """What is sent once nothing goes on: how it ended, or that the printer is still being asked."""
    if run is not None and run.heaters is Heaters.ASKING:
        return {"state": "asking"}
    return {"state": "over", "ended": "" if run is None else ENDED.get(run.state, "")}
