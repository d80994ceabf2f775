"""Materials: the spools, as their labels tell them."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from flask import Blueprint, redirect, render_template, request, url_for

from drumbo.core.errors import InvalidInput
from drumbo.core.families import FAMILIES
from drumbo.core.workshop import MATERIAL_FIELDS
from drumbo.services import shelf
from drumbo.services import workshop as service
from drumbo.web.views.common import typed, workshop

pages = Blueprint("materials", __name__, url_prefix="/materials")

EMPTY = {"colour_hex": "#b9b1a2", "diameter_mm": 1.75, "currency": "€"}


@pages.get("/")
def index() -> str:
    return render_template("materials/index.html", materials=service.materials(workshop()))


@pages.route("/new", methods=["GET", "POST"])
def new() -> Any:
    return _form(None, EMPTY)


@pages.get("/<int:number>")
def show(number: int) -> str:
    material = service.material(workshop(), number)
    cards = shelf.find(workshop(), material=number, size=200).spines
    return render_template("materials/show.html", material=material, number=number, cards=cards)


@pages.route("/<int:number>/edit", methods=["GET", "POST"])
def edit(number: int) -> Any:
    return _form(number, asdict(service.material(workshop(), number)))


def _form(number: int | None, values: dict[str, Any]) -> Any:
    problems: dict[str, str] = {}
    if request.method == "POST":
        values = typed()
        try:
            saved = service.save_material(workshop(), values, number)
        except InvalidInput as error:
            problems = error.problems
        else:
            return redirect(url_for("materials.show", number=saved))
    starts = {f.key: {"nozzle_low_c": f.nozzle_low_c, "nozzle_high_c": f.nozzle_high_c,
                      "density_g_cm3": f.density_g_cm3} for f in FAMILIES}  # fmt: skip
    page = render_template(
        "materials/form.html", fields=MATERIAL_FIELDS, values=values, problems=problems, number=number, starts=starts
    )
    return page, 422 if problems else 200
