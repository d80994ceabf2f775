"""Fills the demo workshop through the services, as its makers would have done it by hand."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import asdict
from typing import Any

from drumbo.core.errors import LinkError
from drumbo.core.printer import Printer
from drumbo.core.resin import ResinPrinter
from drumbo.core.run import RunState
from drumbo.links.practice import SimulatedPrinter
from drumbo.services import adopting, by_hand, filament, pairs, profiles, reading, sighting, trials, workshop
from drumbo.services.prints import PrintManager
from drumbo.services.simulated import simulated_readings
from drumbo.store.database import Workshop

PATIENCE_S = 120.0
WARDEN = "Signe"
"""Who looks at all that is printed there."""
STANDIN_PRINTER = Printer(
    name="Petrel One",
    drive="direct",
    bed_x_mm=220,
    bed_y_mm=220,
    height_mm=240,
    nozzle_max_c=285,
    bed_max_c=110,
    accel_mm_s2=2500,
    junction_mm_s=9,
    extruder_steps_mm=400,
    notes="In the dry lab, by the window. This one is a stand-in: it prints what a file says, much faster.",
)
OLD_PRINTER = Printer(
    name="Old Skua",
    drive="bowden",
    bed_x_mm=200,
    bed_y_mm=180,
    height_mm=180,
    nozzle_max_c=260,
    bed_max_c=90,
    accel_mm_s2=1000,
    junction_mm_s=7,
    dialect="plain",
    notes="In the boat shed. Files go over on a card.",
)


def _label(
    maker: str, product: str, family: str, colour: str, shown: str, nozzle: tuple[int, int], bed: tuple[int, int],
    price: float, left: float, density: float, notes: str = "",
) -> dict[str, str | float]:  # fmt: skip
    return {
        "maker": maker, "product": product, "family": family, "colour": colour, "colour_hex": shown,
        "nozzle_low_c": nozzle[0], "nozzle_high_c": nozzle[1], "bed_low_c": bed[0], "bed_high_c": bed[1],
        "diameter_mm": 1.75, "density_g_cm3": density, "price_per_kg": price, "currency": "€", "spool_g": left,
        "notes": notes,
    }  # fmt: skip


SPOOLS: tuple[tuple[dict[str, str | float], int], ...] = (
    (_label("Skerry Filament", "Razorbill PLA", "pla", "chalk", "#cfc6b4", (190, 230), (50, 65), 19.9, 740, 1.24,
            "Nest-box number plates."), 3),
    (_label("Tangle & Wrack", "Guillemot PETG", "petg", "slate blue", "#4f7396", (225, 255), (70, 85), 21.4, 520, 1.27,
            "Egg-scale trays; must stand the dishwasher."), 12),
    (_label("Skerry Filament", "Puffin TPU 95A", "tpu", "signal red", "#b2342b", (215, 240), (40, 55), 34.0, 140, 1.21,
            "Straps for the leg-ring pliers."), 5),
    (_label("Lighthouse Polymers", "Fulmar ASA", "asa", "storm grey", "#6b6d75", (240, 270), (95, 110), 29.5, 880, 1.07,
            "Everything that stays outside over winter."), 21),
    (_label("Tangle & Wrack", "Kittiwake PA", "pa", "natural", "#d9d2c0", (250, 280), (80, 100), 46.0, 450, 1.12,
            "Dry it well: the island air is wet."), 8),
    (_label("Skerry Filament", "Turnstone PLA wood", "pla-filled", "driftwood", "#9b7a52", (190, 220), (50, 65), 24.9,
            600, 1.15, "Signs for the visitors' path."), 14),
)  # fmt: skip


RESIN_PRINTER = ResinPrinter(
    name="Gannet Light",
    pixels_x=3840,
    pixels_y=2400,
    pixel_um=35,
    height_mm=160,
    intensity_mw_cm2=4.0,
    lights_apart="yes",
    ignores="power_percent",
    notes="In the fume cupboard. This one is a stand-in too: it lights what a package says.",
)
BOTTLES: tuple[tuple[dict[str, str | float], int], ...] = (
    ({"process": "resin", "maker": "Saltmarsh Resins", "product": "Eider Standard", "family": "resin-standard",
      "colour": "fog grey", "colour_hex": "#8b8f96", "exposure_s": 2.2, "exposure_layer_um": 50,
      "bottom_exposure_s": 28, "density_g_cm3": 1.12, "price_per_bottle": 32.0, "bottle_ml": 1000, "currency": "€",
      "left_ml": 640, "wash_min": 3, "cure_min": 5, "notes": "Egg models for the visitors' table."}, 1),
    ({"process": "resin", "maker": "Saltmarsh Resins", "product": "Shearwater Clear", "family": "resin-clear",
      "colour": "clear", "colour_hex": "#b9c7c9", "exposure_s": 2.6, "exposure_layer_um": 50,
      "bottom_exposure_s": 28, "density_g_cm3": 1.11, "price_per_bottle": 44.0, "bottle_ml": 1000, "currency": "€",
      "left_ml": 910, "wash_min": 3, "cure_min": 4, "notes": "Covers for the data loggers."}, 6),
)  # fmt: skip


def fill(
    house: Workshop,
    room: PrintManager,
    petrel_one: SimulatedPrinter,
    gannet: SimulatedPrinter,
    say: Callable[[str], object],
) -> None:
    """Fill an empty workshop; the stand-ins must be running and fast. One tower is left to be printed."""
    petrel = workshop.save_printer(house, _linked(STANDIN_PRINTER, petrel_one))
    skua = workshop.save_printer(house, asdict(OLD_PRINTER))
    spools = [workshop.save_material(house, label, spool_seed=seed) for label, seed in SPOOLS]
    pla, petg, tpu, asa, pa, wood = (
        profiles.create(house, spool, printer, profiles.suggest_name(house, spool, printer))
        for spool, printer in zip(spools, (petrel, petrel, petrel, petrel, skua, skua), strict=True)
    )
    say("  printing a finished tower on the stand-in …")
    _tower(house, room, pla, {"hot_c": 230, "cold_c": 200, "step_mm": 8})
    say("  … a coarse strip and two rings for its flow …")
    _strip(house, room, pla)
    rings = _plan(house, pla, {}, "flow-wall")
    _print(house, room, rings)
    adopting.adopt(house, rings)
    say("  … posts for its retraction, a sheet for its pressure advance …")
    posts = _plan(house, pla, {}, "retraction-length")
    _print(house, room, posts)
    adopting.adopt(house, posts)
    sheet = _plan(house, pla, {}, "pressure-advance")
    _print(house, room, sheet)
    adopting.adopt(house, sheet)
    say("  … and a tower that waits to be read …")
    _tower(house, room, tpu, {"step_mm": 8}, adopt=False, scored=4)
    for key, typed in (("flow_ratio", "0.97"), ("retraction_mm", "0.9"), ("pressure_advance_s", "0.045")):
        by_hand.set_value(house, asa, key, typed)
    by_hand.set_value(house, asa, "nozzle_c", "262")
    say("  … blobs and a wall for what can be melted …")
    blobs = _plan(house, pla, {}, "weighed-blobs")
    _print(house, room, blobs)
    adopting.adopt(house, blobs)
    _print(house, room, _plan(house, asa, {}, "rising-wall"))
    say("  … a gantry for its cooling, and the proof …")
    gantry = _plan(house, pla, {}, "fan-bands")
    _print(house, room, gantry)
    adopting.adopt(house, gantry)
    proof = _plan(house, pla, {}, "proof-part")
    _print(house, room, proof)
    reading.set_note(house, proof, "Looked twice at bridge and strings; good enough for number plates.")
    reading.set_choice(house, proof, "looked", "twice")
    adopting.adopt(house, proof)
    say("  … and combs over the plate, which came askew from the ferry …")
    _print(house, room, _plan(house, pla, {}, "first-layer"))
    by_hand.set_value(house, wood, "retraction_mm", "5")
    del pa
    _plan(house, petg, {})
    say("  … and both of the hammer's damper, changed on the way …")
    _damper(house, room, petg, tpu)
    say("  … and, on the resin printer, skins on glass and coupons …")
    _resins(house, room, gannet)


def _damper(house: Workshop, room: PrintManager, stiff: int, soft: int) -> None:
    """A soft layer between two plates, for the hammer that rings: what a change takes is read, and one is planned."""
    pair = pairs.create(house, stiff, soft)
    pairs.set_notes(house, pair, "Damper for the ringing hammer: PETG plates, TPU between them.")
    for slug in ("changeover", "bond-of-two"):
        draft = trials.draft(house, stiff, slug, None, pair)
        trial = trials.create(house, stiff, slug, draft.plan, pair)
        if slug == "changeover":
            run = room.start(trial)
            for _ in range(2):
                _change_at_a_pause(house, room, trial, run)
            room.join(run, 600)
            reading.set_reader(house, trial, WARDEN)
            simulated_readings(house, trial)
            sighting.read_photo(house, trials.sheet(house, trial).pictures[-1].id, [])
            adopting.adopt(house, trial)


def _change_at_a_pause(house: Workshop, room: PrintManager, trial: int, run: int) -> None:
    """To the other of the two, by every step, as the maker would."""
    _until(lambda: _state(house, trial) is RunState.PAUSED)
    spool, printer = pairs.next_spool(house, trial), trials.sheet(house, trial).card.printer_id
    assert spool is not None
    change = filament.begin(house, room, printer, spool)
    while not filament.change(house, change).step.over:
        _until(lambda: filament.change(house, change).ready)
        filament.press(house, room, change, "next")
    room.go_on(run)
    _until(lambda: _state(house, trial) is not RunState.PAUSED)


def _state(house: Workshop, trial: int) -> RunState | None:
    run = trials.sheet(house, trial).run
    return None if run is None else run.state


def _until(so: Callable[[], bool]) -> None:
    last = time.monotonic() + PATIENCE_S
    while not so():
        if time.monotonic() > last:
            raise LinkError("the demo's printer did not come to its pause, or not go on")
        time.sleep(0.05)


def _linked(printer: Any, device: SimulatedPrinter) -> dict[str, Any]:
    return {**asdict(printer), "link_url": device.link_url, "camera_url": device.camera_url}


def _resins(house: Workshop, room: PrintManager, device: SimulatedPrinter) -> None:
    """One bottle from its working curve to its proof, the printer's lamp mapped on the way, and one that is begun."""
    gannet = workshop.save_printer(house, _linked(RESIN_PRINTER, device))
    bottles = [workshop.save_material(house, label, spool_seed=seed) for label, seed in BOTTLES]
    grey, clear = (
        profiles.create(house, bottle, gannet, profiles.suggest_name(house, bottle, gannet, "50 µm"), 50)
        for bottle in bottles
    )
    for slug in ("cure-on-glass", "exposure-coupon", "bottom-feet", "lamp-map", "resin-proof"):
        trial = _plan(house, grey, {}, slug)
        _print(house, room, trial)
        adopting.adopt(house, trial)
    _plan(house, clear, {}, "cure-on-glass")


def _plan(house: Workshop, profile: int, asked: dict[str, float], slug: str = "temperature") -> int:
    draft = trials.draft(house, profile, slug)
    return trials.create(house, profile, slug, {**draft.plan, **asked})


def _print(house: Workshop, room: PrintManager, trial: int) -> trials.TrialSheet:
    """Print a trial on the stand-in and have the practised eye read it."""
    run = room.start(trial)
    room.join(run, 600)
    sheet = trials.sheet(house, trial)
    if sheet.run is None or sheet.run.state is not RunState.DONE:
        raise LinkError(f"the demo's piece did not print: {sheet.run.message if sheet.run else 'it never started'}")
    reading.set_reader(house, trial, WARDEN)
    simulated_readings(house, trial)
    return sheet


def _strip(house: Workshop, room: PrintManager, profile: int) -> None:
    trial = _plan(house, profile, {}, "flow-surface")
    _print(house, room, trial)
    adopting.adopt(house, trial)


def _tower(
    house: Workshop, room: PrintManager, profile: int, asked: dict[str, float], *, adopt: bool = True, scored: int = 99
) -> None:
    trial = _plan(house, profile, asked)
    sheet = _print(house, room, trial)
    taken_back = {(a.key, s.index): None for a in sheet.to_read.aspects for s in sheet.steps if s.index >= scored}
    reading.score_all(house, trial, taken_back)
    if adopt:
        reading.set_note(house, trial, "Bridges from 220 up hang visibly; a few wisps are left everywhere.")
        adopting.adopt(house, trial)
