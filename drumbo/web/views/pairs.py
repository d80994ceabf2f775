"""Two materials in one print."""

from __future__ import annotations

import re
from typing import Any

from flask import Blueprint, Response, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from drumbo.core.catalogue import FILAMENT
from drumbo.core.errors import InvalidInput
from drumbo.core.part_of_two import MOST_CHANGES, USUAL_HAND_MIN
from drumbo.exchange.spool_label import as_pdf
from drumbo.services import pair_files as files
from drumbo.services import pairs as service
from drumbo.services import planner, profiles
from drumbo.services import workshop as houses
from drumbo.web.pair_page import both_sheets, pair_page, part_picture
from drumbo.web.views.common import plain_words, whole, workshop

SHOWN_CHANGES = 12

pages = Blueprint("pairs", __name__, url_prefix="/pairs")


@pages.get("/")
def index() -> str:
    return render_template("pairs/index.html", pairs=service.pairs(workshop()))


@pages.route("/new/<int:profile>", methods=["GET", "POST"])
def new(profile: int) -> ResponseReturnValue:
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
def show(number: int) -> ResponseReturnValue:
    """The pair, and where one is asked for, a part of the two."""
    if "hand" not in request.args:
        return _page(number)
    try:
        planned = service.plan_part(workshop(), number, whole(request.args.get("part")), request.args)
    except InvalidInput as error:
        return _page(number, wrong=error.problems)
    return _page(number, planned=planned)


def _page(number: int, problem: str = "", notes: str | None = None, **more: Any) -> ResponseReturnValue:
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


@pages.get("/<int:number>/sheet")
def sheet(number: int) -> str:
    """Both materials' values side by side, and what they share: one page of paper."""
    found = service.sheet(workshop(), number)
    return render_template("pairs/sheet.html", pair=found, page=pair_page(found), both=both_sheets(found))


@pages.get("/<int:number>/label.pdf")
def label(number: int) -> Response:
    address = url_for("pairs.show", number=number, _external=True)
    return _file(as_pdf([files.label_of(workshop(), number, address)]), number, "-label.pdf", "application/pdf")


@pages.get("/<int:number>/pair.json")
def as_file(number: int) -> Response:
    return _file(files.export(workshop(), number), number, ".json", "application/json")


@pages.get("/<int:number>/dovetail.3mf")
def dovetail(number: int) -> Response:
    return _file(files.dovetail_of(workshop(), number), number, "-dovetail.3mf", "model/3mf")


def _file(data: str | bytes, number: int, ending: str, kind: str) -> Response:
    name = re.sub(r"[^a-z0-9]+", "-", service.sheet(workshop(), number).name.lower()).strip("-")
    return Response(data, mimetype=kind, headers={"Content-Disposition": f'attachment; filename="{name}{ending}"'})


@pages.route("/import/<digest>", methods=["GET", "POST"])
def take(digest: str) -> ResponseReturnValue:
    """Two profiles and their pair, of a file that was brought."""
    problems: dict[str, str] = {}
    if request.method == "POST":
        try:
            return redirect(url_for("pairs.show", number=files.take(workshop(), digest, request.form)))
        except InvalidInput as error:
            problems = error.problems
    brought = files.look(workshop(), digest)
    page = render_template(
        "pairs/take.html", brought=brought, asked=request.form, problems=problems,
        printers=[(n, p) for n, p in houses.printers(workshop()) if p.process == FILAMENT],
        materials=[(n, m) for n, m in houses.materials(workshop()) if m.process == FILAMENT],
    )  # fmt: skip
    return page, 422 if problems else 200


@pages.post("/<int:number>/notes")
def set_notes(number: int) -> ResponseReturnValue:
    notes = request.form.get("notes", "")
    try:
        service.set_notes(workshop(), number, notes)
    except InvalidInput as error:
        return _page(number, plain_words(error), notes)
    return redirect(url_for("pairs.show", number=number))
