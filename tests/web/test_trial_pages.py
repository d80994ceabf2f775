"""A trial's pages as they answer: what is wrong is told where it was typed, and leaves say why they are shut."""

from __future__ import annotations

import io
import re

import pytest
from flask.testing import FlaskClient
from PIL import Image

from drumbo.services import adopting, profiles, reading, trials
from drumbo.store.database import Workshop
from tests.conftest import Begun
from tests.web.conftest import SMALL


@pytest.mark.parametrize(
    ("typed", "says"),
    [
        ({"hot_c": "190", "cold_c": "230"}, "swap the two"),
        ({"step_c": "0"}, "is below 1 °C"),
        ({"hot_c": "400"}, "is above 280 °C"),
        ({"step_c": "1"}, "steps of 8 mm fit"),
    ],
)
def test_a_wrong_plan_is_told_at_its_field(client: FlaskClient, begun: Begun, typed: dict[str, str], says: str) -> None:
    page = f"/profiles/{begun.profile}/trials/new/temperature"
    answer = client.post(page, data={**SMALL, **typed})
    assert answer.status_code == 422
    assert says in answer.text
    for value in typed.values():
        assert f'value="{value}"' in answer.text
    looked = client.post(f"{page}/look", data={**SMALL, **typed})
    assert says in looked.text, "the same is told while typing"
    assert "<input" not in looked.text, "and the fields are left alone"


def test_a_plan_shows_its_piece_warnings_and_cost(client: FlaskClient, begun: Begun) -> None:
    page = client.get(f"/profiles/{begun.profile}/trials/new/temperature").text
    assert 'value="220"' in page
    assert 'value="200"' in page
    assert page.count('class="digits"') == 1, "one path a class"
    hot = client.post(f"/profiles/{begun.profile}/trials/new/temperature/look", data={**SMALL, "hot_c": "230"}).text
    assert "the label says no more than 220 °C" in hot
    facts = client.post(f"/profiles/{begun.profile}/trials/new/temperature/estimate", data=SMALL).text
    assert re.search(r"\d+ min", facts)
    assert re.search(r"€ 0\.\d\d", facts)


def test_leaves_open_in_order_and_say_why_not(client: FlaskClient, house: Workshop, begun: Begun) -> None:
    trial = trials.create(house, begun.profile, "temperature", SMALL)
    page = client.get(f"/trials/{trial}/print").text
    assert page.count("print the piece first") >= 2
    for leaf in ("read", "adopt"):
        answer = client.get(f"/trials/{trial}/{leaf}")
        assert answer.status_code == 409
        assert "Print the piece first" in answer.text
    assert client.get("/trials/999/read").status_code == 404
    assert client.get(f"/trials/{trial}/eat").status_code == 404


def test_a_range_that_ends_too_early_claims_one_end_and_what_is_adopted_stays_in_doubt(
    client: FlaskClient, house: Workshop, begun: Begun
) -> None:
    trial = trials.create(house, begun.profile, "temperature", {**SMALL, "hot_c": "230", "cold_c": "200"})
    trials.printed_by_hand(house, trial)
    sheet = trials.sheet(house, trial)
    better = (3, 1, 0, 0)
    reading.score_all(
        house,
        trial,
        {(a.key, s.index): n for a in sheet.to_read.aspects for s, n in zip(sheet.steps, better, strict=True)},
    )
    result = trials.sheet(house, trial).result
    assert result is not None
    assert (result.state, result.beyond) == ("edge", "more")
    for leaf in ("read", "adopt"):
        page = client.get(f"/trials/{trial}/{leaf}").text
        told = re.search(r'class="big">(\d+)</span>\s*<span class="pm">°C or more', page)
        assert told, leaf
        assert float(told[1]) == round(result.bound or 0.0)
        assert "± " not in page.split('class="verdict"')[1], "no interval that nobody knows"
    adopting.adopt(house, trial)
    assert (
        "ended too early, and more may be better"
        in profiles.sheet(house, begun.profile).profile.values["nozzle_c"].recheck
    )


def test_scoring_answers_with_verdict_and_fit(client: FlaskClient, printed: int) -> None:
    for step in range(3):
        for aspect in ("bridge", "overhang", "strings", "surface", "bond"):
            answer = client.post(
                f"/trials/{printed}/score", data={"aspect": aspect, "step": step, "score": 3 - abs(step - 1)}
            )
            assert answer.status_code == 200
    assert 'id="verdict"' in answer.text
    assert 'id="fit"' in answer.text
    assert re.search(r'class="big">2\d\d<', answer.text)
    page = client.get(f"/trials/{printed}/read").text
    assert page.count("data-cell") == 15, "closed and opened again, every score is there"
    assert page.count('data-score="3"') == 5
    assert "Adopt as revision 2" in client.get(f"/trials/{printed}/adopt").text


def test_who_reads_is_named_and_their_severity_told(client: FlaskClient, house: Workshop, printed: int) -> None:
    page = client.post(f"/trials/{printed}/reader", data={"reader": "Ansa"}, follow_redirects=True).text
    assert 'value="Ansa"' in page
    assert "than most" not in page, "nothing is known of her yet"
    for aspect in trials.sheet(house, printed).to_read.aspects:
        for step in range(len(trials.sheet(house, printed).steps)):
            client.post(f"/trials/{printed}/score", data={"aspect": aspect.key, "step": step, "score": "2"})
    result = trials.sheet(house, printed).result
    assert result is not None
    assert result.reader is not None
    told = client.get(f"/trials/{printed}/read").text
    assert "in 9 of 10 cases" in told
    refused = client.post(f"/trials/{printed}/reader", data={"reader": "x" * 41})
    assert (refused.status_code, "longer than 40" in refused.text) == (422, True)
    assert trials.sheet(house, printed).readings.reader == "Ansa"


def test_a_photo_that_is_none_is_refused_where_it_was_chosen(client: FlaskClient, printed: int) -> None:
    data = {"photo": (io.BytesIO(b"not a picture"), "tower.jpg")}
    answer = client.post(f"/trials/{printed}/photos", data=data)
    assert answer.status_code == 422
    assert "The picture is no picture that can be read" in answer.text


@pytest.mark.parametrize("points", [{}, {"ax": "nan", "bx": "inf"}, {"ax": "left", "ay": "up"}])
def test_points_that_are_none_set_no_scale(client: FlaskClient, printed: int, points: dict[str, str]) -> None:
    out = io.BytesIO()
    Image.new("RGB", (300, 200)).save(out, "PNG")
    out.seek(0)
    client.post(f"/trials/{printed}/photos", data={"photo": (out, "a.png")})
    answer = client.post("/pictures/1/scale", data={**points, "length": "20"})
    assert answer.status_code == 422
    assert "further apart" in answer.text
    assert "scale first" in client.post("/pictures/1/calliper", data=points).text


def test_a_poor_proof_is_not_to_be_adopted(house: Workshop, client: FlaskClient, begun: Begun) -> None:
    number = trials.create(house, begun.profile, "proof-part", {})
    trials.printed_by_hand(house, number)
    aspects = [a.key for a in trials.sheet(house, number).to_read.aspects]
    for key in aspects:
        said = client.post(
            f"/trials/{number}/score", data={"aspect": key, "step": 0, "score": 1 if key == "tip" else 4}
        )
    assert "Look again: tips." in said.text
    assert "Adopt…" not in said.text
    assert client.post(f"/trials/{number}/choice", data={"looked": "never"}).status_code == 422
    assert client.post(f"/trials/{number}/choice", data={"looked": "twice"}).status_code == 302
    assert "Not yet: tips." in client.get(f"/trials/{number}/read").text
    assert "Poor points" not in client.get(f"/trials/{number}/plan").text, "it is no part of the plan"
    assert client.get(f"/trials/{number}/adopt").status_code == 409
    assert client.post(f"/trials/{number}/adopt").status_code == 409
    assert "proof_percent" not in client.get(f"/profiles/{begun.profile}/as/profile").json["values"]
    good = client.post(f"/trials/{number}/score", data={"aspect": "tip", "step": 0, "score": 3})
    assert "this profile is proven" in good.text
    client.post(f"/trials/{number}/adopt")
    assert 'class="closing"' in client.get(f"/profiles/{begun.profile}").text
    assert "<b>proven</b>" in client.get("/").text


def test_what_cannot_be_is_told_where_it_is_read_and_is_not_to_be_adopted(
    client: FlaskClient, house: Workshop, begun: Begun
) -> None:
    draft = trials.draft(house, begun.profile, "dimensions", None)
    typed = {key: "" if value is None else str(value) for key, value in draft.plan.items()}
    trial = trials.create(house, begun.profile, "dimensions", typed)
    trials.printed_by_hand(house, trial)
    sheet = trials.sheet(house, trial)
    reading.measure_all(house, trial, {
        (measure.key, step.index, site.key): measure.low
        for measure in sheet.to_read.measures for step in sheet.steps for site in measure.sites
    })  # fmt: skip
    page = client.get(f"/trials/{trial}/read").text
    assert "for “Shrinkage”, which is not possible" in page
    refused = client.get(f"/trials/{trial}/adopt")
    assert refused.status_code == 409
    assert "which is not possible" in refused.text
    assert client.post(f"/trials/{trial}/adopt").status_code == 409
