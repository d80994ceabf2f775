"""Profiles: the drum, the ledger, history, and what goes out."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from drumbo.core.catalogue import BY_KEY, counter_of
from drumbo.core.copying import unfit
from drumbo.core.errors import InvalidInput, NotFound
from drumbo.core.heats import heats
from drumbo.core.material import Material
from drumbo.core.printer import Printer
from drumbo.core.processes import FAMILY_NAMES, AnyMaterial, AnyPrinter
from drumbo.core.profile import Profile, effective
from drumbo.core.resin import Resin
from drumbo.services import by_hand, shelf, ways
from drumbo.services import profiles as service
from drumbo.services import workshop as workshop_service
from drumbo.trials import kinds_of
from drumbo.web.heats import HeatPicture, heat_picture
from drumbo.web.ledger import ledger, transfer_sheet
from drumbo.web.lights import light_steps
from drumbo.web.pace_page import PartAsked, pace_page
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
    return render_template("profiles/show.html", **_page(number))


def _page(number: int) -> dict[str, Any]:
    sheet = service.sheet(workshop(), number)
    profile, printer, material = sheet.profile, sheet.card.printer, sheet.card.material
    return {
        "sheet": sheet,
        "card": sheet.card,
        "counter": counter_of(profile.process),
        "ledger": ledger(profile, printer),
        "titles": {slug: kind.title for slug, kind in kinds_of(profile.process).items()},
        "kinds": {slug: kind for slug, kind in kinds_of(profile.process).items() if kind.scope != "pair"},
        "way": ways.standing(workshop(), number),
        "way_plan": _way_plan,
        "lit": isinstance(material, Resin),
        "archived": sheet.archived,
        "unfit": unfit(sheet.profile, sheet.card.printer),
        "heat": _heats(profile, material, printer),
        "steps": light_steps(profile.numbers()) if isinstance(material, Resin) else None,
        "number": number,
        **(pace_page(profile, material, PartAsked()) if isinstance(material, Resin) else {}),
    }


def _heats(profile: Profile, material: AnyMaterial, printer: AnyPrinter) -> HeatPicture | None:
    if not (isinstance(material, Material) and isinstance(printer, Printer)):
        return None
    return heat_picture(heats(profile, material, printer))


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
    return render_template(
        "profiles/_pace.html", number=number, **pace_page(sheet.profile, material, asked)
    )  # fmt: skip


def _way_plan(way: ways.WayStanding, job: ways.Job, profile: int) -> str:
    """Where the next job of a way is planned: a plate, or a trial alone with the plan that the way proposes."""
    if len(job.slugs) > 1:
        size = "quick" if way.way.quick else "usual"
        return url_for("plates.new", profile=profile, piece=list(job.slugs), size=size)
    plan = ways.proposed(workshop(), profile, job.slugs[0], quick=way.way.quick)
    return url_for("trials.new", profile=profile, slug=job.slugs[0], **plan)


@pages.get("/<int:number>/values/<key>")
def value(number: int, key: str) -> ResponseReturnValue:
    if request.headers.get("Sec-Fetch-Dest") == "document":
        # Opened in a tab of its own: in its place among the others.
        return redirect(url_for("profiles.show", number=number, _anchor=f"value-{key}"))
    page = _page(number)
    sheet = page["sheet"]
    if key not in BY_KEY or key not in sheet.profile.values:
        raise NotFound(f"this profile has no {BY_KEY[key].name.lower() if key in BY_KEY else key[:40]!r}")
    says = effective(key, sheet.profile, sheet.card.material, sheet.card.printer)
    past = [(p, c) for p in sheet.history for c in p.changes if c.key == key]
    return render_template(
        "profiles/_value.html", **page, parameter=BY_KEY[key], says=says, past=past, problem=None, text=None
    )


@pages.post("/<int:number>/values/<key>")
def set_value(number: int, key: str) -> ResponseReturnValue:
    text = request.form.get("number", "")
    try:
        by_hand.set_value(workshop(), number, key, text, request.form.get("was"))
    except InvalidInput as error:
        page = _page(number)
        sheet = page["sheet"]
        if key not in sheet.profile.values:
            raise
        says = effective(key, sheet.profile, sheet.card.material, sheet.card.printer)
        problem = next(iter(error.problems.values()))
        return render_template(
            "profiles/_value.html", **page, parameter=BY_KEY[key], says=says, past=[], problem=problem, text=text
        ), 409 if isinstance(error, by_hand.ChangedMeanwhile) else 422
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
