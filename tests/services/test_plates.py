"""Several trials in one job: planned, printed, read and adopted one by one; and the way that leads through them."""

from __future__ import annotations

import re
import time
from dataclasses import asdict

import pytest
from flask.testing import FlaskClient

from drumbo.core.errors import InvalidInput, NotFound, NotNow
from drumbo.core.printer import Printer
from drumbo.core.profile import Origin, OriginKind, Value, changed
from drumbo.links.runs import Runs
from drumbo.services import adopting, live, plates, profiles, queue, reading, simulated, trials, ways, workshop
from drumbo.services.convert import latest, profile_of
from drumbo.services.prints import PrintManager
from drumbo.store.database import Workshop
from drumbo.trials.trial import TrialState
from tests.conftest import LABEL, PATIENCE_S, Begun, Standin

THREE = ("flow-surface", "retraction-length", "fan-bands")
SHORT = ("flow-surface", "retraction-restart", "dimensions")
"""Three that take few lines, for what is really printed."""


def _plate(house: Workshop, begun: Begun, *slugs: str, quick: bool = False, **typed: str) -> plates.PlateSheet:
    return plates.sheet(house, plates.create(house, begun.profile, slugs or THREE, typed, quick=quick))


def _left(house: Workshop, begun: Begun) -> float:
    left = profiles.card(house, begun.profile).material.left_g
    assert left is not None
    return float(left)


def test_one_print_makes_three_trials_that_are_read_and_adopted_one_by_one(
    house: Workshop, begun: Begun, room: PrintManager, client: FlaskClient
) -> None:
    plate = _plate(house, begun, *SHORT, quick=True)
    assert [trial.turn for trial in plate.trials] == [1, 2, 3]
    assert {spot.title for spot in plate.spots} == {trial.title for trial in plate.trials}
    flow, *others = (trial.id for trial in plate.trials)
    before = _left(house, begun)
    assert "One of several pieces" in client.get(f"/trials/{others[0]}/print").text
    run = room.start(others[0])
    with pytest.raises(NotNow, match="is printing"):
        room.start(flow)
    room.join(run, PATIENCE_S)
    after = plates.sheet(house, plate.id)
    assert after.printed
    assert before - _left(house, begun) == pytest.approx(plate.facts["grams"], rel=0.01), "the spool gave it once"
    spent = profiles.sheet(house, begun.profile).spent
    assert (spent.prints, spent.grams) == (1, pytest.approx(plate.facts["grams"]))

    for trial in after.trials:
        mine = trials.sheet(house, trial.id)
        assert [picture.source for picture in mine.pictures] == ["camera"]
        frame = mine.pictures[0].frame
        assert frame is not None
        # The picture shows this piece, and no other.
        assert frame["width"] / frame["px_per_mm"] < mine.drawing.width + 16
        assert simulated.simulated_readings(house, trial.id) > 3
        assert trials.sheet(house, trial.id).result is not None
    revision = adopting.adopt(house, flow)
    assert trials.sheet(house, flow).adopted_revision == revision
    states = {trial.id: trial.state for trial in plates.sheet(house, plate.id).trials}
    assert states == {flow: TrialState.ADOPTED, **dict.fromkeys(others, TrialState.PRINTED)}
    assert "Adopt restart and coasting" in client.get(f"/plates/{plate.id}").text


def test_layer_by_layer_a_print_makes_the_same_trials(
    house: Workshop, begun: Begun, room: PrintManager, client: FlaskClient
) -> None:
    form = {"piece": list(SHORT), "size": "quick", "order": "layer"}
    look = client.post(f"/profiles/{begun.profile}/plates/look", data=form).text
    assert "Printed layer by layer" in look
    answer = client.post(f"/profiles/{begun.profile}/plates/new", data=form)
    plate = plates.sheet(house, int(answer.location.rsplit("/", 1)[1]))
    assert plate.by_layer
    flow, *others = (trial.id for trial in plate.trials)
    assert _last_line(house, flow) < min(_last_line(house, other) for other in others), "the lowest is done first"
    room.join(room.start(flow), PATIENCE_S)
    assert "Printed layer by layer" in client.get(f"/plates/{plate.id}").text
    for trial in plate.trials:
        assert simulated.simulated_readings(house, trial.id) > 3
        result = trials.sheet(house, trial.id).result
        assert result is not None
        assert result.usable, f"{trial.title}: {result.says}"


def test_a_trial_at_two_temperatures_is_adopted_where_it_fits(
    house: Workshop, begun: Begun, room: PrintManager, client: FlaskClient
) -> None:
    now = profiles.sheet(house, begun.profile).profile.number("nozzle_c")
    again = {"flow-surface.again_c": f"{now + 10:g}"}
    form = {"piece": ["flow-surface"], "size": "quick", **again}
    assert "2. Flow by surface at" in client.post(f"/profiles/{begun.profile}/plates/look", data=form).text
    answer = client.post(f"/profiles/{begun.profile}/plates/new", data={**form, "flow-surface.again_c": "400"})
    assert answer.status_code == 422
    assert 'value="400"' in answer.text
    with pytest.raises(InvalidInput, match="is none of fits, turn, layer"):
        plates.create(house, begun.profile, list(SHORT), {}, quick=True, order="upwards")
    plate = _plate(house, begun, "flow-surface", quick=True, **again)
    cool, hot = plate.trials
    assert (cool.title, hot.title) == ("Flow by surface", f"Flow by surface at {now + 10:g} °C")
    room.join(room.start(cool.id), PATIENCE_S)
    assert f"<h1>Flow by surface at {now + 10:g} °C</h1>" in client.get(f"/trials/{hot.id}/read").text
    assert "Two pieces look alike." in client.get(f"/plates/{plate.id}").text
    for trial in (cool, hot):
        assert simulated.simulated_readings(house, trial.id) > 3
    adopting.adopt(house, hot.id)
    value = profiles.sheet(house, begun.profile).profile.values["flow_ratio"]
    assert value.basis["nozzle_c"] == now + 10
    assert value.recheck, "it was found at another temperature than the profile has"
    adopting.adopt(house, cool.id)
    value = profiles.sheet(house, begun.profile).profile.values["flow_ratio"]
    assert (value.basis["nozzle_c"], value.recheck) == (now, None)


def test_a_plate_that_breaks_off_keeps_what_came_out_whole(
    house: Workshop, begun: Begun, room: PrintManager, standin: Standin, client: FlaskClient
) -> None:
    plate = _plate(house, begun, *SHORT, quick=True)
    first, second, third = plate.trials
    standin.device.clock.change(1000.0)
    run = room.start(first.id)
    name = trials.sheet(house, first.id).run
    assert name is not None
    _wait_for_line(house, name.name, _last_line(house, first.id))
    # However quick or busy this machine is, the third one is not done before the stop.
    standin.device.clock.change(150.0)
    _wait_for_line(house, name.name, _last_line(house, second.id))
    standin.device.clock.change(30.0)
    going = live.live(house, first.id)
    assert going is not None
    assert going.pieces is not None
    assert going.pieces.turn >= 2, "the second piece at least"
    assert 1 in going.pieces.printed
    page = client.get(f"/trials/{first.id}/print").text
    assert re.findall(r'data-turn="(\d)"', page) == ["1", "2", "3"], "all that is on the bed is drawn"
    room.stop(run, PATIENCE_S)
    states = [trial.state for trial in plates.sheet(house, plate.id).trials]
    assert states[:2] == [TrialState.PRINTED, TrialState.PRINTED]
    assert states[2] is TrialState.PLANNED, "it was not begun, or not done"
    assert simulated.simulated_readings(house, second.id) > 3
    with pytest.raises(NotNow):
        simulated.simulated_readings(house, third.id)


def _wait_for_line(house: Workshop, run: str, line: int) -> None:
    until = time.monotonic() + PATIENCE_S
    while (entry := Runs(house.folder).look(run)[0]) is None or entry.line < line:
        assert time.monotonic() < until
        time.sleep(0.02)


def _last_line(house: Workshop, trial_id: int) -> int:
    with house.reading() as session:
        return int((trials.find_trial(session, trial_id).stands or {})["last_line"])


def test_a_plate_waits_for_its_printer_once(house: Workshop, begun: Begun) -> None:
    plate = _plate(house, begun)
    queue.add(house, plate.trials[0].id)
    with pytest.raises(NotNow, match="waits for its printer already"):
        queue.add(house, plate.trials[1].id)
    (waiting,) = queue.queue(house, begun.printer).files
    assert waiting.seconds == pytest.approx(plate.facts["seconds"])
    assert waiting.title.startswith(f"Plate {plate.id}: ")


def test_what_is_wrong_with_a_plan_is_said_at_its_field_and_nothing_is_kept(
    house: Workshop, begun: Begun, client: FlaskClient
) -> None:
    form = {"piece": list(THREE), "size": "usual", "flow-surface.step": "9", "retraction-length.step_mm": "nothing"}
    answer = client.post(f"/profiles/{begun.profile}/plates/new", data=form)
    assert answer.status_code == 422
    assert 'value="nothing"' in answer.text, "what was typed is still there"
    assert "“nothing” is not a number" in answer.text
    with pytest.raises(NotFound):
        plates.sheet(house, 1)
    with pytest.raises(InvalidInput, match="a plate has 2 to 6"):
        plates.create(house, begun.profile, ["flow-surface"], {}, quick=True)
    page = client.get(f"/profiles/{begun.profile}/plates/new?piece=flow-surface&piece=pressure-advance").text
    assert "Pressure advance rests on flow ratio" in page


def test_a_way_leads_from_answer_to_answer(house: Workshop, begun: Begun, client: FlaskClient) -> None:
    quick = ways.offers(house, begun.profile)[0]
    assert len(quick.jobs) <= 6
    assert quick.jobs[0].slugs == ("temperature",), "all else rests on it"
    client.post(f"/profiles/{begun.profile}/ways", data={"way": "quick", "piece": ["temperature", "flow-surface"]})
    standing = ways.standing(house, begun.profile)
    assert standing is not None
    assert [job.slugs for job in standing.left] == [("temperature",), ("flow-surface",)]
    assert "Temperature tower" in client.get(f"/profiles/{begun.profile}").text
    tower = trials.create(
        house, begun.profile, "temperature", ways.proposed(house, begun.profile, "temperature", quick=True)
    )
    standing = ways.standing(house, begun.profile)
    assert standing is not None
    assert [(each.id, each.leaf) for each in standing.begun] == [(tower, "print")]
    trials.printed_by_hand(house, tower)
    sheet = trials.sheet(house, tower)
    middle = len(sheet.steps) // 2
    looks = {(a.key, s.index): 4 - abs(s.index - middle) for a in sheet.to_read.aspects for s in sheet.steps}
    reading.score_all(house, tower, dict(looks))
    standing = ways.standing(house, begun.profile)
    assert standing is not None
    assert standing.begun[0].leaf == "adopt"
    adopting.adopt(house, tower)
    standing = ways.standing(house, begun.profile)
    assert standing is not None
    assert (standing.done, standing.begun) == (1, ())
    assert [job.slugs for job in standing.left] == [("flow-surface",)]
    client.post(f"/profiles/{begun.profile}/ways/leave")
    assert ways.standing(house, begun.profile) is None
    refused = client.post(f"/profiles/{begun.profile}/ways", data={"way": "quick"})
    assert refused.status_code == 422
    assert "pick at least one" in refused.text


def test_a_familiar_spool_takes_what_hardly_differs_until_it_turns_out_to_be_another(
    house: Workshop, begun: Begun, client: FlaskClient
) -> None:
    earlier = {
        "nozzle_c": (212, 209, 214), "flow_ratio": (0.962, 0.968, 0.957), "retraction_mm": (0.8, 0.7, 0.8),
        "pressure_advance_s": (0.042, 0.045, 0.04), "max_flow_mm3_s": (11.2, 11.9, 10.8), "fan_percent": (85, 90, 80),
        "shrinkage_percent": (0.21, 0.19, 0.22),
    }  # fmt: skip
    assert [offer.way.key for offer in ways.offers(house, begun.profile) if offer.jobs] == ["quick", "thorough"]
    for k in range(3):
        spool = workshop.save_material(house, {**LABEL, "product": f"spool {k}"})
        _found(house, profiles.create(house, spool, begun.printer, f"spool {k}"), {n: v[k] for n, v in earlier.items()})
    (familiar,) = (offer for offer in ways.offers(house, begun.profile) if offer.way.key == "familiar")
    assert len(familiar.jobs) == 3
    assert {"fan-bands", "dimensions", "rising-wall"}.isdisjoint(familiar.slugs)
    client.post(f"/profiles/{begun.profile}/ways", data={"way": "familiar", "piece": list(familiar.slugs)})
    fan = profiles.sheet(house, begun.profile).profile.values["fan_percent"]
    assert (fan.number, fan.origin.kind, fan.origin.note) == (85, "copy", "3 PLA on Petrel One")
    assert fan.error is not None
    assert fan.error > 5, "told as surely as spools are alike"
    standing = ways.standing(house, begun.profile)
    assert standing is not None
    assert not standing.differs

    _found(house, begun.profile, {"nozzle_c": 236, "flow_ratio": 1.06})
    standing = ways.standing(house, begun.profile)
    assert standing is not None
    assert standing.differs
    assert {slug for job in standing.left for slug in job.slugs} >= {"fan-bands", "dimensions", "rising-wall"}
    assert "not like the ones before" in client.get(f"/profiles/{begun.profile}").text


def _found(house: Workshop, profile: int, numbers: dict[str, float]) -> None:
    """Values as trials would have found them."""
    with house.writing() as session:
        row = profiles.get_row(session, profile)
        new = {key: Value(n, Origin(OriginKind.TRIAL, "a trial", 1), 0.02 * n) for key, n in numbers.items()}
        profiles.append(session, row, changed(profile_of(latest(row)), new, {}), "by trials")


def test_a_range_that_is_gone_on_with_counts_once(house: Workshop, begun: Begun) -> None:
    ways.begin(house, begun.profile, "quick", ["temperature", "flow-surface"])
    plan = ways.proposed(house, begun.profile, "temperature", quick=True)
    first, second = (trials.create(house, begun.profile, "temperature", plan) for _ in range(2))
    standing = ways.standing(house, begun.profile)
    assert standing is not None
    assert [each.id for each in standing.begun] == [second], "the newer one leads on"
    _found(house, begun.profile, {"nozzle_c": 212})
    standing = ways.standing(house, begun.profile)
    assert standing is not None
    assert standing.begun == ()
    assert first != second


def test_what_a_piece_needs_of_a_slow_printer_is_said_at_its_field(house: Workshop, client: FlaskClient) -> None:
    printer = workshop.save_printer(house, {**asdict(Printer("Slow")), "speed_max_mm_s": 12.0})
    slow = profiles.create(house, workshop.save_material(house, LABEL, spool_seed=3), printer, "slow")
    form = {"piece": ["flow-surface", "fan-bands"], "size": "usual"}
    answer = client.post(f"/profiles/{slow}/plates/new", data=form)
    assert answer.status_code == 422
    assert "Time of a layer is too short: Slow needs" in answer.text


def test_a_bed_without_room_for_all_says_so(house: Workshop, client: FlaskClient) -> None:
    printer = workshop.save_printer(house, {**asdict(Printer("Other")), "bed_x_mm": 60.0, "bed_y_mm": 60.0})
    spool = workshop.save_material(house, LABEL, spool_seed=3)
    small = profiles.create(house, spool, printer, "small")
    with pytest.raises(InvalidInput):
        plates.create(house, small, THREE, {}, quick=True)
    assert client.get(f"/profiles/{small}/ways").status_code == 200
