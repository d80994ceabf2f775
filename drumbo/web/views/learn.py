"""Learning from a checked file: its values for a new profile."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from drumbo.core.catalogue import FILAMENT
from drumbo.core.errors import InvalidInput, NotFound
from drumbo.services import learning as service
from drumbo.services import profiles
from drumbo.services import workshop as workshop_service
from drumbo.web.views.common import whole, workshop

pages = Blueprint("learn", __name__, url_prefix="/check")


@pages.route("/<digest>/learn", methods=["GET", "POST"])
def show(digest: str) -> ResponseReturnValue:
    """Its values for a new profile, once they have been seen."""
    values, problems = _asked(digest), {}
    if request.method == "POST":
        try:
            made = service.learn(
                workshop(), digest, values["title"], whole(values["material_id"]), whole(values["printer_id"]),
                values["name_it"], request.form.getlist("take"),
            )  # fmt: skip
        except InvalidInput as error:
            problems = error.problems
        else:
            return redirect(url_for("profiles.show", number=made))
    page = render_template("check/learn.html", **_page(digest, values, problems))
    return page, 422 if problems else 200


@pages.get("/<digest>/learn/look")
def look(digest: str) -> str:
    """Values beside starting values, while the spool and the printer are being picked."""
    return render_template("check/_learn_look.html", **_page(digest, _asked(digest), {}), swap=True)


def _asked(digest: str) -> dict[str, str]:
    """What was picked; else the spool and printer of the profile that the file was held against, or the first."""
    chosen = whole(request.values.get("profile"))
    values = {
        "title": request.values.get("name", "")[:80] or "The file",
        "profile": str(chosen or ""),
        "digest": digest,
    }
    if chosen:
        card = profiles.card(workshop(), chosen)
        values |= {"material_id": str(card.material_id), "printer_id": str(card.printer_id)}
    materials, printers = _of_filament()
    values.setdefault("material_id", str(materials[0][0]) if materials else "")
    values.setdefault("printer_id", str(printers[0][0]) if printers else "")
    values |= {
        k: v[:200] for k, v in request.values.items() if k in {"material_id", "printer_id", "name_it", "proposed"}
    }
    try:
        proposed = profiles.suggest_name(workshop(), whole(values["material_id"]), whole(values["printer_id"]))
    except NotFound:
        proposed = ""
    if "name_it" not in values or values["name_it"] == values.get("proposed"):
        values["name_it"] = proposed
    return {**values, "proposed": proposed}


def _of_filament() -> tuple[list[Any], list[Any]]:
    """Spools and printers of filament, with their numbers."""
    materials, printers = workshop_service.materials(workshop()), workshop_service.printers(workshop())
    return [m for m in materials if m[1].process == FILAMENT], [p for p in printers if p[1].process == FILAMENT]


def _page(digest: str, values: dict[str, str], problems: dict[str, str]) -> dict[str, Any]:
    materials, printers = _of_filament()
    page: dict[str, Any] = {
        "digest": digest, "values": values, "problems": problems, "materials": materials, "printers": printers,
        "ticked": request.form.getlist("take") if request.method == "POST" else None, "lines": (),
    }  # fmt: skip
    if materials and printers:
        try:
            page["lines"] = service.preview_lessons(
                workshop(), digest, whole(values["material_id"]), whole(values["printer_id"])
            )
        except InvalidInput as error:
            page["problems"] = {**error.problems, **problems}
    return page
