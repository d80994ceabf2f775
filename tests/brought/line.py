"""Run with this folder on the path: what another package brings is served like our own, from plan to file."""

from __future__ import annotations

from dataclasses import replace

import pytest
from flask.testing import FlaskClient

from drumbo.core.gcode.reader import read
from drumbo.services import adopting, reading, shelf, trials
from drumbo.services import profiles as profiles_service
from drumbo.store.database import Workshop
from drumbo.store.models import RevisionRow
from drumbo.trials import kind
from tests.conftest import Begun, plain_context


def test_from_the_page_of_a_kind_to_its_value_in_every_file(client: FlaskClient, house: Workshop, begun: Begun) -> None:
    page = client.get(f"/profiles/{begun.profile}/trials/new/bridge-speed").text
    assert "Slowest, at the bottom" in page
    assert "7 steps, 10 mm/s at the bottom to 70 at the top." in page
    assert "Bridge speed" in client.get(f"/profiles/{begun.profile}").text
    trial = trials.create(house, begun.profile, "bridge-speed", trials.draft(house, begun.profile, "bridge-speed").plan)
    trials.printed_by_hand(house, trial)
    reading.score_all(house, trial, {("bridge", step): s for step, s in enumerate((1, 2, 3, 4, 3, 2, 1))})
    adopting.adopt(house, trial)
    profile = profiles_service.sheet(house, begun.profile).profile
    found = profile.number("bridge_speed_mm_s")
    assert found == pytest.approx(40, abs=4)
    context = replace(plain_context(), profile=profile)
    tower = kind("temperature")
    path = tower.print_file(tower.suggest(context), context).path
    assert found in {round(float(speed), 6) for speed in path.speed[path.e_mm > 0]}, "laid at what was found"


def test_an_older_profile_gets_a_parameter_that_came_since(house: Workshop, begun: Begun) -> None:
    with house.writing() as session:
        row = session.query(RevisionRow).filter_by(profile_id=begun.profile).one()
        row.data = {**row.data, "values": {k: v for k, v in row.data["values"].items() if k != "bridge_speed_mm_s"}}
    shelf.fill_in(house)
    assert profiles_service.sheet(house, begun.profile).profile.number("bridge_speed_mm_s") == 30


def test_a_dialect_writes_and_reads(client: FlaskClient) -> None:
    context = plain_context(dialect="shore")
    trial = kind("pressure-advance")
    plan = trial.suggest(context)
    text = trial.print_file(plan, context).gcode
    assert f"M9601 H{trial.steps(plan)[3].value:.4f}" in text
    program = read(text.encode())
    assert program.unknown == {}
    assert {step.value for step in trial.steps(plan)} <= set(program.pressure_advance.round(6))
    assert "pressure advance by M9601 H" in client.get("/printers/new").text


def test_a_format_is_offered_and_written(client: FlaskClient, begun: Begun) -> None:
    assert "for reading aloud" in client.get(f"/profiles/{begun.profile}/out").text
    answer = client.get(f"/profiles/{begun.profile}/as/lines")
    assert answer.mimetype == "text/plain"
    assert "bridge_speed_mm_s = 30\n" in answer.text
