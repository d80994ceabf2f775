"""Pictures of scores: of aspects that are scored, small, and shown where a piece is read."""

from __future__ import annotations

import re

from flask.testing import FlaskClient
from PIL import Image

from drumbo.trials import kinds_of
from drumbo.web.looks import FOLDER, looks_of
from tests.conftest import plain_context

FEWEST, LARGEST = 3, 20_000


def test_each_picture_is_of_an_aspect_that_some_trial_scores_and_small() -> None:
    context = plain_context()
    aspects = {a.key for kind in kinds_of("filament").values() for a in kind.readings(kind.suggest(context)).aspects}
    shown: dict[str, set[int]] = {}
    for path in FOLDER.glob("*.webp"):
        key, _, score = path.stem.rpartition("-")
        shown.setdefault(key, set()).add(int(score))
        assert path.stat().st_size < LARGEST, path.name
        with Image.open(path) as image:
            assert max(image.size) <= 340
    assert set(shown) <= aspects
    assert {"bridge", "overhang", "strings", "surface", "gaps", "ridges"} <= set(shown)
    assert all(scores <= set(range(5)) and len(scores) >= FEWEST for scores in shown.values()), shown


def test_what_is_scored_is_shown_with_its_words_worst_first(client: FlaskClient, printed: int) -> None:
    page = client.get(f"/trials/{printed}/read").text
    part = page.partition('class="score-looks"')[2].partition("</details>")[0]
    assert re.findall(r'look-name">(.*?)</h2>', part) == ["Bridge", "Overhang", "Strings", "Surface"]
    assert re.findall(r"<b>(\d)</b>", part) == list("01234") * 4
    files = re.findall(r'<img src="(.*?)"', part)
    assert len(files) >= 4 * FEWEST
    for file in files:
        with client.get(file) as answer:
            assert answer.mimetype == "image/webp"
    assert looks_of([]) == ()


def test_the_guide_shows_them_where_it_tells_of_a_trial(client: FlaskClient) -> None:
    side = client.get("/guide/temperature-tower", headers={"HX-Request": "true"}).text
    assert re.findall(r'look-name">(.*?)</h2>', side) == ["Bridge", "Overhang", "Strings", "Surface"]
    assert re.findall(r'look-name">(.*?)</h2>', client.get("/guide/flow-by-surface").text) == ["Gaps", "Ridges"]
    assert "score-looks" not in client.get("/guide/file-check").text
