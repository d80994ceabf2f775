"""Two materials in one print."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, redirect, render_template, request, url_for

from drumbo.core.errors import InvalidInput
from drumbo.core.part_of_two import USUAL_HAND_MIN
from drumbo.services import pairs as service
from drumbo.services import planner, profiles
from drumbo.web.pair_page import pair_page, stack_picture
from drumbo.web.views.common import plain_words, whole, workshop

pages = Blueprint("pairs", __name__, url_prefix="/pairs")


@pages.get("/")
def index() -> str:
    return render_template("pairs/index.html", pairs=service.pairs(workshop()))


@pages.route("/new/<int:profile>", methods=["GET", "POST"])
def new(profile: int) -> Any:
    """With which other profile of the same printer?"""
    chosen = whole(request.form.get("other")) or None
    problem = ""
    if request.method == "POST":
        try:
            return redirect(url_for("pairs.show", number=service.create(workshop(), profile, chosen)))
        except InvalidInput as error:
            problem = plain_words(error)
    page = render_template(
        "pairs/new.html", card=profiles.card(workshop(), profile), others=service.possible(workshop(), profile),
        known=service.pairs(workshop(), profile), chosen=chosen, problem=problem,
    )  # fmt: skip
    return page, 422 if problem else 200


@pages.get("/<int:number>")
def show(number: int) -> Any:
    """The pair, and where heights are asked for, a part of the two."""
    if "heights" not in request.args:
        return _page(number)
    try:
        planned = service.plan_part(
            workshop(), number, whole(request.args.get("part")), request.args["heights"], request.args.get("hand", "")
        )
    except InvalidInput as error:
        return _page(number, wrong=error.problems)
    return _page(number, planned=planned)


def _page(number: int, problem: str = "", notes: str | None = None, **more: Any) -> Any:
    sheet = service.sheet(workshop(), number)
    planned = more.get("planned")
    page = render_template(
        "pairs/show.html", pair=sheet, page=pair_page(sheet), problem=problem, parts=planner.parts(workshop()),
        notes=sheet.notes if notes is None else notes, asked=request.args, usual_hand=USUAL_HAND_MIN,
        stack=stack_picture(planned.plan, sheet) if planned else None, **more,
    )  # fmt: skip
    return page, 422 if problem or more.get("wrong") else 200


@pages.post("/<int:number>/notes")
def set_notes(number: int) -> Any:
    notes = request.form.get("notes", "")
    try:
        service.set_notes(workshop(), number, notes)
    except InvalidInput as error:
        return _page(number, plain_words(error), notes)
    return redirect(url_for("pairs.show", number=number))
