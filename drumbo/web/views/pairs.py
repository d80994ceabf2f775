"""Two materials in one print."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, redirect, render_template, request, url_for

from drumbo.core.errors import InvalidInput
from drumbo.services import pairs as service
from drumbo.services import profiles
from drumbo.web.pair_page import pair_page
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
    return _page(number)


def _page(number: int, problem: str = "", notes: str | None = None) -> Any:
    sheet = service.sheet(workshop(), number)
    page = render_template(
        "pairs/show.html", pair=sheet, page=pair_page(sheet), problem=problem,
        notes=sheet.notes if notes is None else notes,
    )  # fmt: skip
    return page, 422 if problem else 200


@pages.post("/<int:number>/notes")
def set_notes(number: int) -> Any:
    notes = request.form.get("notes", "")
    try:
        service.set_notes(workshop(), number, notes)
    except InvalidInput as error:
        return _page(number, plain_words(error), notes)
    return redirect(url_for("pairs.show", number=number))
