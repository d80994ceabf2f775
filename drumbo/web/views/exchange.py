"""Profiles out and back: files, tables, labels; and taking in what others wrote."""

from __future__ import annotations

import re
from typing import Any

from flask import Blueprint, Response, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from drumbo.core.catalogue import BY_KEY
from drumbo.core.errors import InvalidInput
from drumbo.core.units import units_of
from drumbo.exchange.exporters import exporter, exporters
from drumbo.exchange.pair_file import is_pair_file
from drumbo.exchange.spool_label import ACROSS, DOWN, Label, as_a4, as_pdf, as_svg
from drumbo.services import import_export as service
from drumbo.services import profiles
from drumbo.services import workshop as workshop_service
from drumbo.web.views.common import typed, workshop

pages = Blueprint("exchange", __name__, url_prefix="/profiles")

LOCAL = {"127.0.0.1", "localhost", "::1"}


def _file(data: str | bytes, number: int, ending: str, kind: str, *, shown: bool = False) -> Response:
    card = profiles.card(workshop(), number)
    plain = re.sub(r"[^a-z0-9]+", "-", card.name.lower()).strip("-") or "profile"
    how = "inline" if shown else "attachment"
    name = f"{plain}-r{card.revision}{ending}"
    return Response(data, mimetype=kind, headers={"Content-Disposition": f'{how}; filename="{name}"'})


@pages.get("/<int:number>/out")
def out(number: int) -> str:
    return render_template(
        "profiles/out.html", card=profiles.card(workshop(), number), places=ACROSS * DOWN,
        exporters=exporters().values(),
        local=request.host.rpartition(":")[0].strip("[]") in LOCAL,
    )  # fmt: skip


@pages.get("/<int:number>/as/<key>")
def export(number: int, key: str) -> Response:
    chosen = exporter(key)
    return _file(service.export(workshop(), number, key), number, f".{chosen.ending}", chosen.mime)


def _label(number: int) -> Label:
    opens = request.args.get("code") == "opens"
    address = url_for("profiles.show", number=number, _external=True) if opens else ""
    return service.label_of(workshop(), number, address)


@pages.get("/<int:number>/label.svg")
def label_svg(number: int) -> Response:
    return _file(as_svg(_label(number)), number, "-label.svg", "image/svg+xml", shown=True)


@pages.get("/<int:number>/label.pdf")
def label_pdf(number: int) -> Response:
    return _file(as_pdf([_label(number)]), number, "-label.pdf", "application/pdf")


@pages.get("/<int:number>/labels.pdf")
def labels_pdf(number: int) -> Response:
    """A4 with so many of the same label, from a place of the sheet on."""
    start = min(max(request.args.get("start", 1, int), 1), ACROSS * DOWN)
    count = min(max(request.args.get("count", 1, int), 1), service.MOST_LABELS)
    return _file(as_a4([_label(number)] * count, start - 1), number, "-labels.pdf", "application/pdf")


@pages.route("/import", methods=["GET", "POST"])
def bring() -> ResponseReturnValue:
    problem = None
    if request.method == "POST":
        sent = request.files.get("file")
        data = sent.read() if sent else b""
        try:
            digest = service.bring(workshop(), data)
        except InvalidInput as error:
            problem = next(iter(error.problems.values()))
        else:
            if is_pair_file(data):
                return redirect(url_for("pairs.take", digest=digest))
            title = re.sub(r"[^\w .,()-]", "", sent.filename or "")[:60] if sent else ""
            return redirect(url_for("exchange.take", digest=digest, title=title))
    return render_template("profiles/bring.html", problem=problem), 422 if problem else 200


@pages.route("/import/<digest>", methods=["GET", "POST"])
def take(digest: str) -> ResponseReturnValue:
    asked, problems = {**request.args.to_dict(), **typed()}, {}
    if request.method == "POST":
        try:
            made = service.take(workshop(), digest, asked)
        except InvalidInput as error:
            problems = error.problems
        else:
            return redirect(url_for("profiles.show", number=made))
    page = render_template("profiles/take.html", **_take_page(digest, asked), problems=problems)
    return page, 422 if problems else 200


@pages.post("/import/<digest>/look")
def take_look(digest: str) -> str:
    """What of it is taken, while lines are told what they are."""
    return render_template("profiles/_take_look.html", **_take_page(digest, typed()), problems={}, swap=True)


def _take_page(digest: str, asked: dict[str, str]) -> dict[str, Any]:
    materials, printers = workshop_service.materials(workshop()), workshop_service.printers(workshop())
    asked = dict(asked)
    found = service.look(workshop(), digest, asked)
    if found.brought:
        materials = [(n, m) for n, m in materials if m.process == found.process]
        printers = [(n, p) for n, p in printers if p.process == found.process]
    if "printer_id" not in asked and printers:
        mine = found.brought.printer.name if found.brought else ""
        asked["printer_id"] = str(next((n for n, p in printers if p.name == mine), printers[0][0]))
    if "material_id" not in asked:
        same = found.brought and next((n for n, m in materials if m.name == found.brought.material.name), None)
        first = str(materials[0][0]) if materials else ""
        asked["material_id"] = str(same) if same else service.NEW if found.brought else first
    asked.setdefault("name", f"{found.brought.profile.name if found.brought else asked.get('title', 'Imported')}"[:120])
    if found.brought:
        found = service.look(workshop(), digest, asked)
    return {
        "digest": digest,
        "asked": asked,
        "look": found,
        "materials": materials,
        "printers": printers,
        "parameters": service.parameters_to_pick(found.process),
        "units": {key: [u.key for u in units_of(parameter)] for key, parameter in BY_KEY.items()},
    }
