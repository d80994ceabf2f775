"""The speed planner's page."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from flask import Blueprint, make_response, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from drumbo.core.catalogue import FILAMENT
from drumbo.core.errors import InvalidInput, NotNow
from drumbo.core.fields import Field
from drumbo.core.planner import PLANNED
from drumbo.services import planner as service
from drumbo.services import shelf
from drumbo.web.page import Page
from drumbo.web.planner_page import PlannerAnswer, SetsBeside, idle_temperature, planner_answer, sets_beside
from drumbo.web.views.common import plain_words, typed, whole, workshop
from drumbo.web.waterfall import FlowPicture, flow_picture, waterfall_picture

pages = Blueprint("planner", __name__, url_prefix="/planner")

SPEEDS = tuple(f"speed_{key}" for _, key, _ in PLANNED)


def _asked(values: Mapping[str, str]) -> service.Question:
    return service.question(workshop(), _number(values, "profile"), _number(values, "part"), dict(values))


def _number(values: Mapping[str, str], key: str) -> int:
    return whole(values.get(key))


@pages.get("/")
def show() -> ResponseReturnValue:
    cards = shelf.names(workshop(), FILAMENT)
    if not cards:
        return render_template("planner/empty.html")
    values: dict[str, Any] = {"profile": str(cards[0].id), **request.args}
    if "set" in values:
        kept = service.kept_set(workshop(), _number({"set": values.pop("set")}, "set"))
        values |= {key: f"{number:g}" for key, number in kept.wish.items()}
    return _page(values, cards).render("planner/show.html")


@dataclass(frozen=True, slots=True, kw_only=True)
class AnswerPage(Page):
    """What stands beside the fields: the answer, or what of them cannot be. With `swap` the page is there already."""

    query: Mapping[str, Any]
    problems: Mapping[str, str] = field(default_factory=dict)
    told: PlannerAnswer | None = None
    flows: FlowPicture | None = None
    swap: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class PlannerPage(Page):
    """The form as it was filled in, and the answer to it; at last what was wrong with a part or a name."""

    cards: Sequence[shelf.Name]
    parts: tuple[service.PlannedPart, ...]
    sets: tuple[service.KeptSet, ...]
    values: Mapping[str, Any]
    now: Mapping[str, float]
    fields: Mapping[str, Field]
    answer: AnswerPage
    speeds: tuple[str, ...] = SPEEDS
    part_problem: str = ""
    keep_problem: str = ""


def _page(values: dict[str, Any], cards: Sequence[shelf.Name]) -> PlannerPage:
    if not cards:
        raise NotNow("there is no filament profile to plan with; make one first")
    values.setdefault("profile", str(cards[0].id))
    bare: dict[str, str] = {key: values[key] for key in ("profile", "part") if key in values}
    try:
        plain = _asked(bare)
    except InvalidInput:
        plain = _asked({**bare, "part": "0"})
    return PlannerPage(
        cards=cards,
        parts=service.parts(workshop()),
        sets=service.kept_sets(workshop()),
        values=values,
        now=plain.now,
        fields={f.key: f for f in plain.fields},
        answer=_answer(values),
    )


def _answer(values: Mapping[str, str]) -> AnswerPage:
    query = _query(values)
    try:
        asked = _asked(values)
    except InvalidInput as error:
        return AnswerPage(query=query, problems=error.problems)
    found = service.answer(workshop(), asked)
    return AnswerPage(query=query, told=planner_answer(found), flows=flow_picture(found.after))


def _query(values: Mapping[str, str]) -> dict[str, Any]:
    return {
        key: value for key, value in values.items() if value not in ("", None) and key not in ("csrf_token", "name")
    }


@pages.get("/answer")
def answer() -> ResponseReturnValue:
    """What stands beside the fields while they are filled in; the fields themselves are left alone."""
    values = dict(request.args)
    found = replace(_answer(values), swap=True)
    fields = {f.key: f for f in _asked({k: values[k] for k in ("profile",) if k in values}).fields}
    response = make_response(render_template("planner/_answer.html", fields=fields, **found.shown()))
    response.headers["HX-Replace-Url"] = url_for("planner.show", **found.query)
    return response


@pages.get("/waterfall")
def waterfall() -> ResponseReturnValue:
    try:
        asked = _asked(request.args)
    except InvalidInput:
        return ""
    steps = service.stages(workshop(), asked)
    beside = whole(request.args.get("beside"))
    page: dict[str, Any] = {"picture": waterfall_picture(steps), "idle": idle_temperature(asked, steps), "beside": None}
    if beside:
        try:
            page["beside"] = _beside(asked, beside)
        except InvalidInput as error:
            page |= {"beside_problems": error.problems, "fields": {f.key: f for f in asked.fields}}
    return render_template("planner/_waterfall.html", **page)


def _beside(asked: service.Question, number: int) -> SetsBeside:
    """Another set's settings and what they come to, for the same profile and part."""
    kept = service.kept_set(workshop(), number)
    other = service.question(
        workshop(), _number(request.args, "profile"), asked.part.id, {key: f"{v:g}" for key, v in kept.wish.items()}
    )
    return sets_beside(kept, service.answer(workshop(), asked), service.answer(workshop(), other))


@pages.post("/parts")
def add_part() -> ResponseReturnValue:
    values = dict(request.args)
    try:
        file = request.files.get("part_file")
        if file is None or not file.filename:
            raise InvalidInput("part", "choose an STL or 3MF file first")
        number = service.add_part(workshop(), file.filename, file.read())
    except InvalidInput as error:
        cards = shelf.names(workshop(), FILAMENT)
        page = replace(_page(values, cards), part_problem=plain_words(error))
        return page.render("planner/show.html"), 422
    return redirect(url_for("planner.show", **{**_query(values), "part": str(number)}))


@pages.post("/sets")
def keep() -> ResponseReturnValue:
    values = typed()
    try:
        service.keep(workshop(), values.get("name", ""), _asked(values))
    except InvalidInput as error:
        cards = shelf.names(workshop(), FILAMENT)
        page = replace(_page(values, cards), keep_problem=plain_words(error))
        return page.render("planner/show.html"), 422
    return redirect(url_for("planner.show", **_query(values), kept=values["name"].strip()))


@pages.post("/sets/<int:number>/forget")
def forget(number: int) -> ResponseReturnValue:
    gone = service.forget(workshop(), number)
    return redirect(url_for("planner.show", gone=gone.name, **_query({key: f"{v:g}" for key, v in gone.wish.items()})))
