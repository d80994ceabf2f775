"""Resin through the services: from a bottle's label to an exposure, on the real stand-in over its real link."""

from __future__ import annotations

import io
import math
import re
import time
from collections.abc import Iterator
from dataclasses import asdict, dataclass, replace
from typing import Any

import numpy as np
import pytest
from flask.testing import FlaskClient

from drumbo.core.catalogue import RESIN
from drumbo.core.copying import CopyOutcome
from drumbo.core.errors import InvalidInput, LinkError, NotNow
from drumbo.core.light.job import NO_LIFT, Layer, LayerJob, Screen
from drumbo.core.profile import OriginKind, Status
from drumbo.core.resin import ResinPrinter as Machine
from drumbo.exchange.layer_package import package_bytes
from drumbo.exchange.meshes import read_part
from drumbo.services import adopting, by_hand, copying, lamp_test, profiles, reading, shelf, trials, workshop
from drumbo.services.printer_line import try_link
from drumbo.services.prints import PrintManager
from drumbo.services.simulated import simulated_readings
from drumbo.standins.resin import device
from drumbo.standins.resin.bottle import draw_bottle, true_exposure_s
from drumbo.standins.resin.device import ResinDevice
from drumbo.standins.resin.lamp import draw_lamp
from drumbo.standins.resin.server import PackageServer
from drumbo.standins.worlds import VARIED
from drumbo.store.database import Workshop
from drumbo.trials import kinds_of
from tests.conftest import PATIENCE_S

SCREEN: dict[str, Any] = {"pixels_x": 1900, "pixels_y": 800, "pixel_um": 50.0}
BOTTLE = {
    "process": "resin", "family": "resin-standard", "maker": "Saltmarsh Resins", "product": "Eider Standard",
    "colour": "fog grey", "colour_hex": "#8b8f96", "exposure_s": "2,4", "exposure_layer_um": "50",
    "density_g_cm3": "1.12", "price_per_bottle": "32", "bottle_ml": "1000", "currency": "€", "left_ml": "500",
}  # fmt: skip


@dataclass
class Lit:
    device: ResinDevice
    printer: int
    bottle: int
    profile: int


@pytest.fixture
def lit(house: Workshop) -> Iterator[Lit]:
    device = ResinDevice((1900, 800), pace=1e6)
    server = PackageServer(device)
    server.start()
    url = f"http://127.0.0.1:{server.port}"
    machine = Machine("Gannet Light", **SCREEN, intensity_mw_cm2=4.0, lights_apart="yes")
    printer = workshop.save_printer(house, {**asdict(machine), "link_url": url, "camera_url": url})
    bottle = workshop.save_material(house, BOTTLE, spool_seed=1)
    yield Lit(device, printer, bottle, profiles.create(house, bottle, printer, "grey, 50 µm", "50"))
    server.close()


def _printed(house: Workshop, room: PrintManager, profile: int, slug: str) -> int:
    trial = trials.create(house, profile, slug, trials.draft(house, profile, slug).plan)
    room.join(room.start(trial), PATIENCE_S)
    run = trials.sheet(house, trial).run
    assert run is not None
    assert run.state == "done", run.message
    simulated_readings(house, trial)
    return trial


def test_from_a_label_to_an_exposure_and_another_layer_height(house: Workshop, room: PrintManager, lit: Lit) -> None:
    assert try_link(house, lit.printer) == "It answers."
    assert profiles.card(house, lit.profile).next.kind.title == "Working curve"
    adopting.adopt(house, _printed(house, room, lit.profile, "cure-on-glass"))
    coupons = _printed(house, room, lit.profile, "exposure-coupon")
    with pytest.raises(InvalidInput, match="no such place"):
        reading.measure(house, coupons, "stack", 0, "first", "9.6")
    sheet = trials.sheet(house, coupons)
    assert sheet.plan["reach_um"] == pytest.approx(draw_bottle("resin-standard", 1).reach_um, rel=0.06)
    assert sheet.pictures[0].frame["view"] == "top"
    adopting.adopt(house, coupons)
    found = profiles.sheet(house, lit.profile)
    truth = true_exposure_s(draw_bottle("resin-standard", 1), 50, 4.0)
    assert found.profile.number("exposure_s") == pytest.approx(truth, rel=0.08)
    assert found.profile.values["exposure_s"].origin.trial == coupons
    known = {s.group.key: s.known for s in found.card.sectors}
    assert known == {
        "light": Status.MEASURED, "exposure": Status.MEASURED, "fit": Status.MEASURED, "bottom": Status.START,
        "lift": Status.START, "proof-resin": Status.START,
    }  # fmt: skip
    spine = next(s for s in shelf.find(house).spines if s.id == lit.profile)
    assert {s.group.key: s.known for s in spine.sectors} == known
    assert shelf.find(house, state="open").total == 1
    left = found.card.material.left_ml
    assert left == pytest.approx(500 - sum(trials.sheet(house, n).facts["grams"] for n in (1, 2)) / 1.12, abs=0.2)

    copy = copying.preview_copy(house, lit.profile, lit.bottle, lit.printer, "grey, 25 µm", layer="25")
    fates = {c.key: c.outcome for c in copy.carried}
    assert fates["penetration_um"] == CopyOutcome.CARRIES
    assert fates["exposure_s"] == CopyOutcome.RECHECK
    half = copying.copy(house, lit.profile, lit.bottle, lit.printer, "grey, 25 µm", layer="25")
    told = profiles.sheet(house, half).profile.values["exposure_s"]
    assert told.number == pytest.approx(true_exposure_s(draw_bottle("resin-standard", 1), 25, 4.0), rel=0.1)
    assert told.origin.kind == OriginKind.COPY
    assert "not tried yet" in told.recheck
    assert profiles.card(house, half).next.kind.title == "Exposure"


def test_a_package_is_checked_like_any_file(house: Workshop, lit: Lit, client: FlaskClient) -> None:
    trial = trials.create(
        house, lit.profile, "exposure-coupon", trials.draft(house, lit.profile, "exposure-coupon").plan
    )
    data = client.get(f"/trials/{trial}/file.zip").data
    assert client.get(f"/trials/{trial}/file.gcode").status_code == 404
    assert read_part(client.get(f"/trials/{trial}/piece.3mf").data).volume() > 1000
    page = client.post("/check/", data={"file": (io.BytesIO(data), "coupons.zip")}, follow_redirects=True).text
    assert "1900 × 800 pixels of 50 µm" in page
    assert "layer 1 to 5" in page
    assert "28 s" in page
    broken = client.post("/check/", data={"file": (io.BytesIO(data[:-400]), "half.zip")})
    assert broken.status_code == 422
    assert "ends in the middle; fetch it again" in broken.text


def test_another_lamp_puts_exposures_in_doubt_until_the_old_one_is_back(house: Workshop, lit: Lit) -> None:
    by_hand.set_value(house, lit.profile, "exposure_s", "2.7")
    before = asdict(workshop.printer(house, lit.printer))
    brighter = {**before, "intensity_mw_cm2": "5"}
    assert workshop.consequences(house, brighter, lit.printer)[0].doubted == ("Exposure",)
    workshop.save_printer(house, brighter, lit.printer)
    doubt = profiles.sheet(house, lit.profile).profile.values["exposure_s"].recheck
    assert doubt == "the printer has a light of 5 mW/cm² instead of 4 now"
    workshop.save_printer(house, before, lit.printer)
    assert profiles.sheet(house, lit.profile).profile.values["exposure_s"].recheck is None


def test_what_a_print_can_come_to(house: Workshop, room: PrintManager, lit: Lit) -> None:
    trial = trials.create(house, lit.profile, "bottom-feet", trials.draft(house, lit.profile, "bottom-feet").plan)
    lit.device.fault_at = 7
    room.join(room.start(trial), PATIENCE_S)
    run = trials.sheet(house, trial).run
    assert (run.state, run.message) == ("failed", "the vat ran dry at layer 7")
    assert trials.sheet(house, trial).state == "planned"

    lit.device.pace = 40.0
    number = room.start(trial)
    deadline = time.monotonic() + PATIENCE_S
    while trials.sheet(house, trial).run.heat is None and time.monotonic() < deadline:
        time.sleep(0.05)
    with pytest.raises(NotNow, match="is printing"):
        room.start(trial)
    room.stop(number, wait_s=20)
    assert trials.sheet(house, trial).run.state == "stopped"

    other = trials.create(house, lit.profile, "cure-on-glass", trials.draft(house, lit.profile, "cure-on-glass").plan)
    lit.device.pixels = (1000, 800)
    room.join(room.start(other), PATIENCE_S)
    assert "for another screen; this one has 1000 × 800" in trials.sheet(house, other).run.message


def _right(house: Workshop, lit: Lit, family: str = "resin-standard", seed: int = 1) -> None:
    """What trials of the exposure, the bottom and the lift would have come to."""
    bottle = draw_bottle(family, seed)
    for key, number in (
        ("exposure_s", true_exposure_s(bottle, 50, 4.0)),
        ("bottom_exposure_s", 1.15 * bottle.sticks * bottle.critical_mj_cm2 / 4.0),
        ("lift_speed_mm_min", 0.7 * bottle.tears),
        ("rest_before_s", 2 * bottle.settles_s),
    ):
        by_hand.set_value(house, lit.profile, key, f"{number:.2f}")


def test_from_a_proof_to_the_next_bottle(house: Workshop, room: PrintManager, lit: Lit) -> None:
    _right(house, lit)
    proof = _printed(house, room, lit.profile, "resin-proof")
    result = trials.sheet(house, proof).result
    assert (result.state, result.says) == ("good", "It came out as it should: this profile is proven.")
    adopting.adopt(house, proof)
    card = profiles.card(house, lit.profile)
    assert card.proven
    assert card.next is not None, "other values are not measured: it goes on"
    before = profiles.sheet(house, lit.profile).profile
    exposure, leaves = before.number("exposure_s"), before.number("leaves_mm")

    # Another bottle of the same: a fifth more light is wanted.
    truth = draw_bottle("resin-standard", 1)
    monster = replace(truth, critical_mj_cm2=1.2 * truth.critical_mj_cm2)
    profiles.new_batch(house, lit.profile)
    held = profiles.sheet(house, lit.profile)
    assert held.profile.number("bottle") == 2
    assert not held.card.proven
    assert held.profile.values["exposure_s"].recheck
    assert (held.card.next.kind.title, held.card.next.why[:16]) == ("Bottle check", "Bottle 2 is new:")
    draft = trials.draft(house, lit.profile, "bottle-check")
    assert draft.plan["before_mm"] == leaves, "held against the leaves of the proof"
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(device, "draw_bottle", lambda *_: monster)
        check = _printed(house, room, lit.profile, "bottle-check")
    told = trials.sheet(house, check).result
    assert told.headline == "moved"
    assert told.also["wants"] == pytest.approx(math.log(1.2), abs=0.1)
    adopting.adopt(house, check)
    moved = profiles.sheet(house, lit.profile).profile
    assert moved.number("exposure_s") == pytest.approx(1.2 * exposure, rel=0.1)
    assert moved.values["bottle"].origin.trial == check
    assert not moved.values["exposure_s"].recheck
    assert moved.values["bottom_exposure_s"].recheck, "what rests on it waits for its own trials"
    assert not moved.values["leaves_mm"].recheck, "what leaves came to while the light was right holds for the new one"
    by_hand.undo(house, lit.profile)

    # The same bottle again, which is the same.
    same = _printed(house, room, lit.profile, "bottle-check")
    assert trials.sheet(house, same).result.headline == "the same"
    adopting.adopt(house, same)
    kept = profiles.sheet(house, lit.profile)
    assert kept.card.proven
    assert kept.profile.number("exposure_s") == exposure
    assert f"trial {same}" in kept.profile.values["exposure_s"].still_good


def test_a_colder_room_wants_more_light_and_the_exposure_follows_it(
    house: Workshop, room: PrintManager, lit: Lit, client: FlaskClient
) -> None:
    _right(house, lit)
    adopting.adopt(house, _printed(house, room, lit.profile, "resin-proof"))
    exposure, truth = profiles.sheet(house, lit.profile).profile.number("exposure_s"), draw_bottle("resin-standard", 1)
    by_hand.set_value(house, lit.profile, "resin_c", "15")
    assert "15 °C now" in profiles.card(house, lit.profile).next.why
    by_hand.undo(house, lit.profile)
    lit.device.resin_c = 15.0
    plan = trials.draft(house, lit.profile, "bottle-check").plan
    cold = trials.create(house, lit.profile, "bottle-check", {**plan, "resin_c": 15.0, "by_percent": 22})
    room.join(room.start(cold), PATIENCE_S)
    simulated_readings(house, cold)
    assert trials.sheet(house, cold).run.heat["resin_c"] == 15.0, "how warm it was is kept with the print"
    assert 'with the resin at <b class="num">15.0 °C</b>; the profile is for\n    25' in (
        client.get(f"/trials/{cold}/read").get_data(as_text=True)
    )
    adopting.adopt(house, cold)
    chilled = profiles.sheet(house, lit.profile).profile
    wanted = exposure * (1 + truth.per_c * 10)
    assert chilled.number("resin_c") == 15.0
    assert chilled.number("exposure_s") == pytest.approx(wanted, rel=0.06)
    by_hand.set_value(house, lit.profile, "resin_c", "22")
    warmer = profiles.sheet(house, lit.profile).profile
    assert warmer.number("exposure_s") == pytest.approx(exposure * (1 + truth.per_c * 3), rel=0.06), "it follows"


def test_a_lamp_is_mapped_for_the_printer_and_the_map_is_used(house: Workshop, room: PrintManager, lit: Lit) -> None:
    lamp = lit.device.lamp = draw_lamp(4, 4.0, VARIED)
    trial = _printed(house, room, lit.profile, "lamp-map")
    assert trials.sheet(house, trial).card.next.kind.title != "Lamp map", "nobody is told to"
    (change,) = adopting.preview(house, trial).changes
    assert change.before is None
    assert adopting.adopt(house, trial) == 0, "into no profile"
    machine = workshop.printer(house, lit.printer)
    x, y = np.array([-0.8, 0.0, 0.8]), np.array([0.7, 0.0, -0.6])
    wide, deep = machine.size_mm
    true = lamp.at(x * wide / 2, y * deep / 2, (wide, deep)) / 4.0
    assert machine.lamp.at(x, y) == pytest.approx(true, abs=0.04)
    workshop.save_printer(house, {**asdict(machine), "notes": "wiped"}, lit.printer)
    assert workshop.printer(house, lit.printer).lamp == machine.lamp, "what was found stays when a page is edited"
    typed = workshop.as_typed(house, lit.printer)
    again = workshop.save_printer(house, {**typed, "machine": machine.name, "name": "The same, other film"})
    other = workshop.save_printer(house, {**typed, "machine": "Another", "name": "Another"})
    assert workshop.printer(house, again).lamp == machine.lamp, "of one machine"
    assert workshop.printer(house, other).lamp is None
    adopting.take_back(house, trial)
    assert workshop.printer(house, lit.printer).lamp is None


def test_a_print_rests_with_the_plate_up_and_goes_on(house: Workshop, room: PrintManager, lit: Lit) -> None:
    lit.device.pace = 60.0
    trial = trials.create(house, lit.profile, "bottom-feet", trials.draft(house, lit.profile, "bottom-feet").plan)
    run = room.start(trial)

    def until(state: str, says: str = "") -> None:
        last = time.monotonic() + PATIENCE_S
        while time.monotonic() < last:
            told = trials.sheet(house, trial).run
            if told.state == state and says in told.message:
                return
            time.sleep(0.05)
        pytest.fail(f"it never said {state} {says}: {trials.sheet(house, trial).run}")

    until("sending")
    room.pause(run)
    until("paused", "plate up")
    assert lit.device.progress()["state"] == "paused", "told as paused because the printer says so"
    layer = lit.device.progress()["layer"]
    time.sleep(0.6)
    assert lit.device.progress()["layer"] == layer
    room.go_on(run)
    until("sending")
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(lit.device, "pause", lambda: (_ for _ in ()).throw(NotNow("this one knows no pause")))
        room.pause(run)
        until("sending", "knows no pause")
    lit.device.pace = 1e6
    room.join(run, PATIENCE_S)
    assert trials.sheet(house, trial).run.state == "done"
    # A pause may be stopped, too.
    lit.device.pace = 60.0
    run = room.start(trial)
    until("sending")
    room.pause(run)
    until("paused")
    room.stop(run, 30)
    assert trials.sheet(house, trial).run.state == "stopped"


def test_nothing_answers_and_nothing_mixes(house: Workshop, room: PrintManager, lit: Lit) -> None:
    dead = {**asdict(workshop.printer(house, lit.printer)), "name": "dark", "link_url": "http://127.0.0.1:9"}
    with pytest.raises(LinkError, match="nothing that takes layer packages answers"):
        try_link(house, workshop.save_printer(house, dead))
    on_a_line = {**dead, "name": "on a line", "link_url": "socket://127.0.0.1:9"}
    trial = trials.create(house, lit.profile, "cure-on-glass", trials.draft(house, lit.profile, "cure-on-glass").plan)
    with pytest.raises(InvalidInput, match="is reached over http"):
        workshop.save_printer(house, on_a_line, lit.printer)
    workshop.save_printer(house, {**dead, "name": "darker", "camera_url": ""}, lit.printer)
    room.join(room.start(trial), PATIENCE_S)
    run = trials.sheet(house, trial).run
    assert (run.state, run.heaters) == ("failed", "untouched")
    assert "nothing that takes layer packages answers" in run.message
    spool = workshop.save_material(house, {
        "family": "pla", "maker": "m", "product": "p", "colour": "c", "colour_hex": "#000000", "nozzle_low_c": 200,
        "nozzle_high_c": 220, "diameter_mm": 1.75, "density_g_cm3": 1.24, "currency": "€",
    })  # fmt: skip
    with pytest.raises(InvalidInput, match="is not for filament"):
        profiles.create(house, spool, lit.printer, "nonsense")
    with pytest.raises(InvalidInput, match="lowest that can be used"):
        profiles.create(house, lit.bottle, lit.printer, "thin", "2")


def test_a_printer_that_takes_one_light_a_layer_prints_coupons_one_by_one(
    house: Workshop, room: PrintManager, lit: Lit
) -> None:
    plain = {**asdict(workshop.printer(house, lit.printer)), "lights_apart": "no", "link_url": "", "camera_url": ""}
    workshop.save_printer(house, plain, lit.printer)
    draft = trials.draft(house, lit.profile, "exposure-coupon")
    assert draft.plan["way"] == "several"
    with pytest.raises(InvalidInput, match="takes one light a layer"):
        trials.create(house, lit.profile, "exposure-coupon", {**draft.plan, "way": "one"})
    trial = trials.create(house, lit.profile, "exposure-coupon", {**draft.plan, "read_by": "faces"})
    sheet = trials.sheet(house, trial)
    assert "once for each exposure" in sheet.kind.instructions(sheet.plan, sheet.context)
    trials.printed_by_hand(house, trial)
    with pytest.raises(NotNow, match="can only be asked about a print of the stand-in"):
        simulated_readings(house, trial)
    for step, width in enumerate((1.33, 1.36, 1.38, 1.40, 1.41, 1.42, 1.43)):
        reading.measure(house, trial, "blade", step, "narrow", str(width))
        reading.measure(house, trial, "slit", step, "narrow", f"{2.8 - width:.2f}".replace(".", ","))
    result = trials.sheet(house, trial).result
    assert result.state == "good"
    assert abs(result.value - sheet.steps[3].value) < 2 * (result.error or 0.0), "as near as jaws tell"


def _dark(rest_s: float) -> bytes:
    """A package of one layer that rests and is not lit."""
    layer = Layer(50.0, (), NO_LIFT, rest_s, 0.0)
    return package_bytes(LayerJob(("test",), Screen((1900, 800), 50.0), (layer,), (), ()))


def test_the_lamp_is_lit_to_be_looked_at_and_told_as_the_printer_tells_it(house: Workshop, lit: Lit) -> None:
    asked = {"seconds": "20"}
    with pytest.raises(InvalidInput) as refused:
        lamp_test.begin(house, lit.printer, asked, clear=False)
    assert refused.value.problems.keys() == {"clear"}
    assert not lit.device.lit_s, "nothing is lit before somebody said that nothing is in its way"
    with pytest.raises(InvalidInput, match="seconds"):
        lamp_test.begin(house, lit.printer, {"seconds": "60"}, clear=True)
    found = lamp_test.begin(house, lit.printer, asked, clear=True)
    assert found.lit
    assert 0 < (found.left_s or 0) <= 20
    with pytest.raises(NotNow, match="to be looked at"):
        lit.device.start(_dark(0.0))
    assert lamp_test.out(house, lit.printer).left_s == 0
    assert lamp_test.now(house, lit.printer) == lamp_test.LampNow(0.0)


def test_a_lamp_of_which_nothing_is_heard_is_never_told_as_dark(house: Workshop, lit: Lit) -> None:
    lamp_test.begin(house, lit.printer, {"seconds": "20"}, clear=True)
    machine = workshop.printer(house, lit.printer)
    workshop.save_printer(house, {**asdict(machine), "link_url": "http://127.0.0.1:9"}, lit.printer)
    for asked in (lamp_test.now, lamp_test.out):
        found = asked(house, lit.printer)
        assert found.left_s is None
        assert found.trouble
    with pytest.raises(LinkError, match="was not lit"):
        lamp_test.begin(house, lit.printer, {"seconds": "2"}, clear=True)


def test_no_lamp_is_lit_while_it_prints(house: Workshop, lit: Lit, client: FlaskClient) -> None:
    lit.device.pace = 1.0
    lit.device.start(_dark(900.0))
    page = client.post(f"/printers/{lit.printer}/lamp", data={"seconds": "3", "clear": "yes"}).text
    assert "the printer is at work" in page
    lit.device.stop()


@pytest.mark.parametrize("slug", [slug for slug, kind in kinds_of(RESIN).items() if kind.scope == "profile"])
def test_every_resin_trial_can_be_planned_on_a_new_profile_and_its_leaf_opened(
    house: Workshop, lit: Lit, client: FlaskClient, slug: str
) -> None:
    plan = trials.draft(house, lit.profile, slug).plan
    number = trials.create(house, lit.profile, slug, {k: "" if v is None else str(v) for k, v in plan.items()})
    for leaf in ("plan", "print"):
        page = client.get(f"/trials/{number}/{leaf}")
        assert page.status_code == 200, leaf
    assert kinds_of(RESIN)[slug].title in page.text


def test_a_small_difference_is_told_of_the_value_that_the_result_is_in(
    house: Workshop, lit: Lit, client: FlaskClient
) -> None:
    """Of several values that change, the first by the catalogue is not the one whose error is known."""
    draft = trials.draft(house, lit.profile, "bottom-feet")
    plan = {key: str(value) for key, value in {**draft.plan, "widths": "yes"}.items()}
    trial = trials.create(house, lit.profile, "bottom-feet", plan)
    trials.printed_by_hand(house, trial)
    scores = ((0, 4), (1, 4), (3, 4), (4, 3), (4, 2), (4, 1), (4, 0))
    for step, (sticks, clean) in enumerate(scores):
        reading.score(house, trial, "sticks", step, sticks)
        reading.score(house, trial, "clean", step, clean)
        for site, wide in (("plate", 11.1), ("above", 9.8)):
            reading.measure(house, trial, "foot", step, site, wide)
    page = client.get(f"/trials/{trial}/adopt").text
    assert "XY compensation, bottom" in page
    said = re.search(r"The difference from ([\d.−]+)\s+is smaller", page)
    before = profiles.sheet(house, lit.profile).profile.number("bottom_exposure_s")
    assert said is not None
    assert float(said[1]) == round(before)
