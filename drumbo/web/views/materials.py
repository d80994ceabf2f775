"""Materials: the spools, as their labels tell them."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from flask import Blueprint, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from drumbo.core.catalogue import FILAMENT, RESIN
from drumbo.core.colours import NAMED
from drumbo.core.errors import InvalidInput
from drumbo.core.families import FAMILIES
from drumbo.core.processes import PROCESSES, Process, process
from drumbo.core.resin import RESIN_CLASSES
from drumbo.services import first, shelf, usual
from drumbo.services import workshop as service
from drumbo.web.meeting import SAVING, meet, shown_as
from drumbo.web.views.common import typed, workshop

pages = Blueprint("materials", __name__, url_prefix="/materials")

EMPTY: dict[str, dict[str, Any]] = {
    FILAMENT: {"colour_hex": "#b9b1a2", "diameter_mm": 1.75, "currency": "€"},
    RESIN: {"colour_hex": "#8d8f94", "density_g_cm3": 1.12, "bottle_ml": 1000.0, "currency": "€"},
}


@pages.get("/")
def index() -> str:
    return render_template(
        "materials/index.html", materials=service.materials(workshop()), processes=list(PROCESSES.values())
    )


@pages.route("/new", methods=["GET", "POST"])
def new() -> ResponseReturnValue:
    chosen = process(request.values.get("process", FILAMENT))
    empty = EMPTY[chosen.key]
    return _form(None, {**empty, "currency": usual.currency(workshop()) or empty["currency"]}, chosen)


@pages.get("/<int:number>")
def show(number: int) -> str:
    material = service.material(workshop(), number)
    cards = shelf.find(workshop(), material=number, size=200).spines
    return render_template("materials/show.html", material=material, number=number, cards=cards)


@pages.route("/<int:number>/edit", methods=["GET", "POST"])
def edit(number: int) -> ResponseReturnValue:
    with SAVING:
        material = service.material(workshop(), number)
        return _form(number, asdict(material), process(material.process))


def _form(number: int | None, values: dict[str, Any], chosen: Process) -> ResponseReturnValue:
    problems: dict[str, str] = {}
    now, meeting, fields = values, None, chosen.material_fields
    if request.method == "POST":
        values = typed()
        meeting = meet(fields, values, now)
    if meeting is not None:
        values = meeting.values
    elif request.method == "POST":
        try:
            saved = service.save_material(workshop(), values, number)
        except InvalidInput as error:
            problems = error.problems
        else:
            # On the way to a first trial the bench tells what comes next.
            on_the_way = number is None and not first.first_steps(workshop()).trial
            return redirect(url_for("bench.show") if on_the_way else url_for("materials.show", number=saved))
    page = render_template(
        "materials/form.html", fields={f.key: f for f in fields}, values=values, problems=problems,
        was=shown_as(fields, now), meeting=meeting,
        number=number, starts=STARTS[chosen.key], colours=NAMED, process=chosen,
        others=[p for p in PROCESSES.values() if p.key != chosen.key],
    )  # fmt: skip
    return page, 409 if meeting else 422 if problems else 200


STARTS: dict[str, dict[str, dict[str, float]]] = {
    FILAMENT: {f.key: {"nozzle_low_c": f.nozzle_low_c, "nozzle_high_c": f.nozzle_high_c,
                       "density_g_cm3": f.density_g_cm3} for f in FAMILIES},
    RESIN: {f.key: {"density_g_cm3": f.density_g_cm3} for f in RESIN_CLASSES},
}  # fmt: skip
"""What a family fills in while nobody has typed it."""
