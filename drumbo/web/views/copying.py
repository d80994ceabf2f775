"""Copies of profiles, and profiles beside each other."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from drumbo.core.errors import InvalidInput
from drumbo.services import copying as service
from drumbo.services import profiles, shelf
from drumbo.services import workshop as workshop_service
from drumbo.web.views.common import whole, workshop

pages = Blueprint("copying", __name__, url_prefix="/profiles")


@pages.route("/<int:number>/copy", methods=["GET", "POST"])
def copy(number: int) -> ResponseReturnValue:
    values, problems = _asked(number), {}
    if request.method == "POST":
        try:
            made = service.copy(workshop(), number, **_copy_of(values))
        except InvalidInput as error:
            problems = error.problems
        else:
            return redirect(url_for("profiles.show", number=made))
    page = render_template("profiles/copy.html", **_copy_page(number, values), problems=problems)
    return page, 422 if problems else 200


@pages.get("/<int:number>/copy/look")
def copy_look(number: int) -> str:
    """Name and outcomes, while the spool and the printer are being picked."""
    return render_template("profiles/_copy_look.html", **_copy_page(number, _asked(number)), problems={}, swap=True)


def _asked(number: int) -> dict[str, str]:
    """What was picked, or the profile's own spool and printer; the name is proposed unless it was typed."""
    card = profiles.card(workshop(), number)
    values = {"material_id": str(card.material_id), "printer_id": str(card.printer_id), **dict(request.values)}
    own = profiles.layer_of(workshop(), number)
    if own is not None:
        values.setdefault("layer_um", f"{own:g}")
    layer = f"{values['layer_um']} µm" if own is not None else ""
    proposed = profiles.suggest_name(workshop(), whole(values["material_id"]), whole(values["printer_id"]), layer)
    if "name" not in values or values["name"] == values.get("proposed"):
        values["name"] = proposed
    return {**values, "proposed": proposed}


def _copy_of(values: dict[str, str]) -> dict[str, Any]:
    return {
        "material_id": whole(values["material_id"]),
        "printer_id": whole(values["printer_id"]),
        "name": values["name"],
        "layer": values["layer_um"] if "layer_um" in values else bool(values.get("layer")),
    }


def _copy_page(number: int, values: dict[str, str]) -> dict[str, Any]:
    card = profiles.card(workshop(), number)
    materials, printers = workshop_service.materials(workshop()), workshop_service.printers(workshop())
    page: dict[str, Any] = {
        "card": card,
        "values": values,
        "materials": [(n, m) for n, m in materials if m.process == card.printer.process],
        "printers": [(n, p) for n, p in printers if p.process == card.printer.process],
        "layer_field": "layer_um" in values,
    }
    try:
        page["copy"] = service.preview_copy(workshop(), number, **_copy_of(values))
    except InvalidInput as error:
        page["copy_problem"] = next(iter(error.problems.values()))
    return page


@pages.get("/compare")
def compare() -> str:
    numbers = [whole(text) for text in request.args.getlist("p")]
    if len(set(numbers)) < 2:
        return render_template("profiles/pick.html", spines=shelf.find(workshop(), size=500).spines, chosen=numbers)
    found = service.beside(workshop(), numbers)
    return _compared(found, everything="all" in request.args)


def _compared(found: service.ProfileComparison, *, everything: bool, problem: str = "") -> str:
    shown = found.lines(everything=everything)
    return render_template(
        "profiles/compare.html", beside=found, shown=shown, everything=everything, problem=problem
    )  # fmt: skip


@pages.post("/<int:number>/borrow")
def borrow(number: int) -> ResponseReturnValue:
    """One preview of all that was ticked; then, confirmed, one revision."""
    takes: dict[int, list[str]] = {}
    for ticked in request.form.getlist("take"):
        other, _, key = ticked.partition(":")
        if whole(other) != number:
            takes.setdefault(whole(other), []).append(key)
    try:
        if "confirmed" in request.form:
            service.borrow(workshop(), number, takes)
            return redirect(url_for("profiles.show", number=number, adopted=1))
        changes = service.preview_borrow(workshop(), number, takes)
    except InvalidInput as error:
        beside = service.beside(workshop(), [whole(text) for text in request.form.getlist("p")])
        problem = next(iter(error.problems.values()))
        return _compared(beside, everything=False, problem=problem), 422
    card = profiles.card(workshop(), number)
    return render_template(
        "profiles/borrow.html", card=card, changes=changes, taken=request.form.getlist("take"),
        beside=request.form.getlist("p"),
    )  # fmt: skip
