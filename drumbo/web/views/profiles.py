"""Profiles: the drum, the ledger, history, and what goes out."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from flask import Blueprint, Response, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from drumbo.core.catalogue import counter_of
from drumbo.core.errors import InvalidInput, NotFound
from drumbo.core.processes import FAMILY_NAMES
from drumbo.core.resin import Resin
from drumbo.services import by_hand, shelf
from drumbo.services import profiles as service
from drumbo.services import workshop as workshop_service
from drumbo.web.ledger import transfer_sheet
from drumbo.web.pace_page import PartAsked, pace_page
from drumbo.web.profile_page import profile_page, value_page
from drumbo.web.views.common import typed, whole, workshop

pages = Blueprint("profiles", __name__, url_prefix="/profiles")


@pages.get("/")
def index() -> str:
    """All profiles, by search, filters and order; pages of the same are asked for as one scrolls."""
    asked = {key: request.args.get(key, "")[:100] for key in ("q", "printer", "family", "state", "sort")}
    page = min(max(request.args.get("page", 0, int), 0), 1000)
    number = whole(asked["printer"])
    found = shelf.find(
        workshop(), asked["q"], printer=number, family=asked["family"], state=asked["state"] or "any",
        sort=asked["sort"] or "changed", page=page,
    )  # fmt: skip
    whole_page = "HX-Request" not in request.headers
    return render_template(
        "profiles/_spines.html" if "page" in request.args else f"profiles/{'index' if whole_page else '_list'}.html",
        found=found, asked=asked, states=shelf.STATES, sorts=shelf.SORTS, families=FAMILY_NAMES,
        printers=workshop_service.printers(workshop()),
    )  # fmt: skip


@pages.route("/new", methods=["GET", "POST"])
def new() -> ResponseReturnValue:
    values, problems = typed() if request.method == "POST" else request.args.to_dict(), {}
    if request.method == "POST":
        try:
            numbers = whole(values.get("material_id")), whole(values.get("printer_id"))
            saved = service.create(workshop(), *numbers, values.get("name", ""), values.get("layer_um"))
        except InvalidInput as error:
            problems = error.problems
        else:
            return redirect(url_for("profiles.show", number=saved))
    materials, printers = workshop_service.materials(workshop()), workshop_service.printers(workshop())
    if materials and printers:
        values = _proposed(values, materials, printers)
    page = render_template(
        "profiles/new.html", materials=materials, printers=printers, values=values, problems=problems,
        layer_um=values.get("layer_um"),
    )  # fmt: skip
    return page, 422 if problems else 200


def _proposed(values: dict[str, str], materials: list[Any], printers: list[Any]) -> dict[str, str]:
    """What is picked, with a printer for the material's process, a layer height where it has one, and a free name."""
    material = whole(values.get("material_id")) or materials[0][0]
    process = dict(materials)[material].process if material in dict(materials) else materials[0][1].process
    printer = whole(values.get("printer_id"))
    if not printer:
        printer = next((n for n, p in printers if p.process == process), printers[0][0])
    found = {**values, "material_id": str(material), "printer_id": str(printer)}
    layers = service.chosen_for(process, None).get("layer_um")
    if layers is None:
        found.pop("layer_um", None)
    else:
        found.setdefault("layer_um", f"{layers:g}")
    if "name" not in values:
        layer = f"{found['layer_um']} µm" if "layer_um" in found else ""
        found["name"] = service.suggest_name(workshop(), material, printer, layer)
    return found


@pages.get("/name")
def name() -> str:
    """Name and layer height, while material and printer are being picked."""
    materials, printers = workshop_service.materials(workshop()), workshop_service.printers(workshop())
    asked = {key: value for key, value in request.args.to_dict().items() if key != "name"}
    if whole(asked.get("material_id")) not in dict(materials):
        raise NotFound("pick a material and a printer")
    values = _proposed(asked, materials, printers)
    return render_template(
        "profiles/_name.html", name=values["name"], problem=None, layer_um=values.get("layer_um"), layer_problem=None
    )


@pages.get("/<int:number>")
def show(number: int) -> str:
    return profile_page(number).render("profiles/show.html")


@pages.get("/<int:number>/pace")
def pace(number: int) -> ResponseReturnValue:
    """What a part takes that is as high and as large as typed."""
    if request.headers.get("Sec-Fetch-Dest") == "document":
        return redirect(url_for("profiles.show", number=number))
    sheet = service.sheet(workshop(), number)
    material = sheet.card.material
    if not isinstance(material, Resin):
        raise NotFound("only resin is printed layer by layer")
    asked = PartAsked(**{key: request.args[key][:20] for key in ("height_mm", "ml") if key in request.args})
    page = pace_page(sheet.profile, material, asked)
    return render_template("profiles/_pace.html", number=number, **page.shown())


@pages.get("/<int:number>/values/<key>")
def value(number: int, key: str) -> ResponseReturnValue:
    if request.headers.get("Sec-Fetch-Dest") == "document":
        # Opened in a tab of its own: in its place among the others.
        return redirect(url_for("profiles.show", number=number, _anchor=f"value-{key}"))
    return value_page(number, key).render("profiles/_value.html")


@pages.post("/<int:number>/values/<key>")
def set_value(number: int, key: str) -> ResponseReturnValue:
    text = request.form.get("number", "")
    try:
        by_hand.set_value(workshop(), number, key, text, request.form.get("was"))
    except InvalidInput as error:
        page = replace(value_page(number, key), past=(), problem=next(iter(error.problems.values())), text=text)
        status = 409 if isinstance(error, by_hand.ChangedMeanwhile) else 422
        return page.render("profiles/_value.html"), status
    there = url_for("profiles.show", number=number, set=key, _anchor=f"value-{key}")
    return Response(headers={"HX-Redirect": there})


@pages.post("/<int:number>/plates")
def set_plates(number: int) -> ResponseReturnValue:
    """The same for every plate."""
    text = request.form.get("number", "")
    try:
        by_hand.set_plates(workshop(), number, text)
    except InvalidInput as error:
        problem = next(iter(error.problems.values()))
        again: dict[str, Any] = {"plates": text[:20], "plate_problem": problem, "_anchor": "group-heat"}
        return redirect(url_for("profiles.show", number=number, **again))
    return redirect(url_for("profiles.show", number=number, adopted=1))


@pages.post("/<int:number>/values/<key>/still-good")
def still_good(number: int, key: str) -> ResponseReturnValue:
    by_hand.still_good(workshop(), number, key, request.form.get("note", ""))
    return redirect(url_for("profiles.show", number=number, set=key, _anchor=f"value-{key}"))


@pages.post("/<int:number>/values/<key>/share")
def share(number: int, key: str) -> ResponseReturnValue:
    took = by_hand.share(workshop(), number, key)
    return redirect(url_for("profiles.show", number=number, shared=key, took=took, _anchor=f"value-{key}"))


@pages.post("/<int:number>/values/<key>/unshare")
def unshare(number: int, key: str) -> ResponseReturnValue:
    by_hand.unshare(workshop(), number, key)
    return redirect(url_for("profiles.show", number=number, _anchor=f"value-{key}"))


@pages.post("/<int:number>/batch")
def new_batch(number: int) -> ResponseReturnValue:
    service.new_batch(workshop(), number)
    return redirect(url_for("profiles.show", number=number, batch=1))


@pages.get("/<int:number>/next/<slug>")
def next_facts(number: int, slug: str) -> str:
    """Minutes, grams and money of the trial that comes next; asked for once the page is there."""
    try:
        facts = service.next_facts(workshop(), number, slug)
    except InvalidInput:
        return ""
    material = service.card(workshop(), number).material
    return render_template("trials/_facts.html", facts=facts, material=material)


@pages.post("/<int:number>/away")
def away(number: int) -> ResponseReturnValue:
    """Off the shelf, or back on it."""
    shelf.put_away(workshop(), number, away="back" not in request.form)
    return redirect(url_for("profiles.show", number=number, away=0 if "back" in request.form else 1))


@pages.post("/<int:number>/undo")
def undo(number: int) -> ResponseReturnValue:
    by_hand.undo(workshop(), number)
    return redirect(url_for("profiles.show", number=number))


@pages.get("/<int:number>/sheet")
def transfer(number: int) -> str:
    sheet = service.sheet(workshop(), number)
    transfer = transfer_sheet(sheet.profile, sheet.card.printer)
    counter = counter_of(sheet.profile.process)
    return render_template(
        "profiles/transfer.html", sheet=sheet, card=sheet.card, transfer=transfer, counter=counter
    )  # fmt: skip
