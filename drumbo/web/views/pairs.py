"""Two materials in one print."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, redirect, render_template, request, url_for

from drumbo.core.errors import InvalidInput
from drumbo.core.part_of_two import MOST_CHANGES, USUAL_HAND_MIN
from drumbo.services import pairs as service
from drumbo.services import planner, profiles
from drumbo.web.pair_page import pair_page, part_picture
from drumbo.web.views.common import plain_words, whole, workshop

SHOWN_CHANGES = 12

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
    """The pair, and where one is asked for, a part of the two."""
    if "hand" not in request.args:
        return _page(number)
    try:
        planned = service.plan_part(workshop(), number, whole(request.args.get("part")), request.args)
    except InvalidInput as error:
        return _page(number, wrong=error.problems)
    return _page(number, planned=planned)


def _page(number: int, problem: str = "", notes: str | None = None, **more: Any) -> Any:
    sheet = service.sheet(workshop(), number)
    planned = more.get("planned")
    page = render_template(
        "pairs/show.html", pair=sheet, page=pair_page(sheet), problem=problem, parts=planner.parts(workshop()),
        notes=sheet.notes if notes is None else notes, asked=request.args, usual_hand=USUAL_HAND_MIN,
        most_by_hand=MOST_CHANGES, shown_changes=SHOWN_CHANGES,
        part=_chosen_part(), picture=part_picture(planned, sheet) if planned else None, **more,
    )  # fmt: skip
    return page, 422 if problem or more.get("wrong") else 200


def _chosen_part() -> planner.PlannedPart:
    """The one that is asked about, or the first of the list."""
    every, number = planner.parts(workshop()), whole(request.args.get("part"))
    return next((part for part in every if part.id == number), every[0])


@pages.get("/<int:number>/part")
def part_fields(number: int) -> str:
    """What is asked of the part that was chosen."""
    sheet = service.sheet(workshop(), number)
    return render_template("pairs/_part_fields.html", pair=sheet, part=_chosen_part(), asked=request.args)


@pages.post("/<int:number>/notes")
def set_notes(number: int) -> Any:
    notes = request.form.get("notes", "")
    try:
        service.set_notes(workshop(), number, notes)
    except InvalidInput as error:
        return _page(number, plain_words(error), notes)
    return redirect(url_for("pairs.show", number=number))
