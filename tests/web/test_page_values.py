"""Pages as values: a template asks for nothing that its page does not hold, and a page holds nothing in vain."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import FrozenInstanceError, asdict, dataclass, fields
from pathlib import Path
from typing import Any

import pytest
from flask import Flask
from flask.testing import FlaskClient
from jinja2 import meta, nodes

import drumbo
from drumbo.services import profiles, trials, workshop
from drumbo.store.database import Workshop
from drumbo.web.pace_page import PacePage
from drumbo.web.page import Page
from drumbo.web.profile_page import ProfilePage, ValuePage, profile_page, value_page
from drumbo.web.trial_page import TrialPage, trial_page
from drumbo.web.views.planner import AnswerPage, PlannerPage
from drumbo.web.views.plates import DraftPage
from tests.conftest import Begun, resin_context
from tests.services.test_resin_line import BOTTLE

TEMPLATES = Path(drumbo.__file__).parent / "web" / "templates"
EVERYWHERE = frozenset({"request", "session", "g", "config", "csrf_token", "get_flashed_messages", "self", "super"})
"""What the framework itself gives to every template."""
MORE = {
    "profiles/_pace.html": {"number"}, "planner/show.html": {"sheet"}, "plates/new.html": {"sheet", "layer_at"},
    "plates/_look.html": {"layer_at"},
}  # fmt: skip
"""What a part takes if it is there: a card by itself knows whose it is, a page may have a trial's or profile's sheet, a
bed may be that of a print which goes on.
"""


def _names(*kinds: type[Page]) -> set[str]:
    """What pages of these kinds hold; of one within another, what that holds."""
    return {each.name for kind in kinds for each in fields(kind)}


def _drawn_in(app: Flask, template: str, seen: dict[str, nodes.Template] | None = None) -> dict[str, nodes.Template]:
    """A template and all that it draws in, as they are understood. What is drawn in by a computed name is drawn in by
    others too.
    """
    seen = {} if seen is None else seen
    if template not in seen:
        seen[template] = app.jinja_env.parse((TEMPLATES / template).read_text())
        for other in meta.find_referenced_templates(seen[template]):
            if other is not None:
                _drawn_in(app, other, seen)
    return seen


def _own(parsed: nodes.Template) -> set[str]:
    """Names that a template gives itself: what it sets, goes through, draws in or makes a macro of."""
    given = {node.name for node in parsed.find_all(nodes.Name) if node.ctx in {"store", "param"}}
    for drawn in parsed.find_all(nodes.FromImport):
        given |= {name if isinstance(name, str) else name[1] for name in drawn.names}
    return given | {macro.name for macro in parsed.find_all(nodes.Macro)}


def _asked(app: Flask, template: str) -> Iterator[tuple[str, str]]:
    """(name, template) for every name that a template, and all that it draws in, asks its page for."""
    found = _drawn_in(app, template)
    own = set().union(*map(_own, found.values()))
    for place, parsed in found.items():
        yield from ((name, place) for name in meta.find_undeclared_variables(parsed) - own)


TRIAL = {*_names(TrialPage)}
PROFILE = {*_names(ProfilePage, PacePage)} - {"pace"}
PAGES = [
    *((f"trials/{leaf}.html", TRIAL) for leaf in ("plan", "print", "read", "adopt")),
    ("trials/_verdict.html", TRIAL),
    ("profiles/show.html", PROFILE),
    ("profiles/_value.html", PROFILE | _names(ValuePage) - {"profile"}),
    ("profiles/_pace.html", _names(PacePage)),
    ("planner/show.html", _names(PlannerPage, AnswerPage) - {"answer"}),
    ("plates/new.html", _names(DraftPage)),
    ("plates/_look.html", _names(DraftPage)),
]


@pytest.mark.parametrize(("template", "held"), PAGES, ids=[name for name, _ in PAGES])
def test_a_template_asks_for_nothing_that_its_page_does_not_hold(
    client: FlaskClient, template: str, held: set[str]
) -> None:
    app = client.application
    known = held | EVERYWHERE | set(app.jinja_env.globals) | MORE.get(template, set())
    parts = {"body", "caller", "varargs", "kwargs"}
    missing = {(name, where) for name, where in _asked(app, template) if name not in known | parts}
    assert not missing, missing


def test_what_a_trials_page_holds_is_asked_for_by_some_leaf() -> None:
    written = " ".join(path.read_text() for path in (TEMPLATES / "trials").glob("*.html"))
    asked = set(re.findall(r"\w+", " ".join(re.findall(r"\{[{%](.*?)[}%]\}", written, re.DOTALL))))
    assert TRIAL - asked == set()


def test_a_page_within_a_page_is_shown_with_it_and_neither_can_be_changed() -> None:
    @dataclass(frozen=True, slots=True, kw_only=True)
    class Inner(Page):
        below: int

    @dataclass(frozen=True, slots=True, kw_only=True)
    class Outer(Page):
        above: str
        inner: Inner | None

    page = Outer(above="a", inner=Inner(below=3))
    assert page.shown() == {"above": "a", "below": 3}
    assert Outer(above="a", inner=None).shown() == {"above": "a", "inner": None}
    with pytest.raises(FrozenInstanceError):
        page.above = "b"  # type: ignore[misc]


def test_leaves_hold_what_is_theirs(client: FlaskClient, house: Workshop, begun: Begun, printed: int) -> None:
    with client.application.test_request_context():
        leaves: dict[str, Any] = {
            leaf: trial_page(trials.sheet(house, printed), leaf) for leaf in ("plan", "print", "read", "adopt")
        }
    assert leaves["read"].read is not None
    assert leaves["read"].unscored
    assert leaves["print"].queue is not None
    assert leaves["print"].read is None
    assert leaves["adopt"].preview is None, "there is nothing to adopt yet"
    assert [why for _, _, why in leaves["plan"].leaves] == [None, None, None, "read the piece first"]
    assert {page.sheet.id for page in leaves.values()} == {printed}


def test_a_resins_page_holds_its_light_and_pace_and_a_filaments_its_heats(
    client: FlaskClient, house: Workshop, begun: Begun
) -> None:
    machine = workshop.save_printer(house, asdict(resin_context().printer))
    resin = profiles.create(house, workshop.save_material(house, BOTTLE), machine, "Auk Grey", "50")
    with client.application.test_request_context():
        bottle, spool = profile_page(resin), profile_page(begun.profile)
        value = value_page(begun.profile, "flow_ratio")
    assert bottle.pace is not None
    assert bottle.pace.found is not None
    assert bottle.steps is not None
    assert (bottle.heat, bottle.lit) == (None, True)
    assert (spool.pace, spool.steps, spool.lit) == (None, None, False)
    assert spool.heat is not None
    assert sum(share.seconds for *_, share in bottle.pace.bars) == pytest.approx(bottle.pace.found.layer_s, rel=0.01)
    assert [say.wins for say in value.says].count(True) == 1
    assert value.shown()["parameter"].key == "flow_ratio"
