"""Printers."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from flask import Blueprint, redirect, render_template, request, url_for

from drumbo.core.errors import InvalidInput
from drumbo.core.workshop import PRINTER_FIELDS, Printer
from drumbo.services import prints, shelf
from drumbo.services import workshop as service
from drumbo.trials import kinds
from drumbo.web.views.common import typed, workshop

pages = Blueprint("printers", __name__, url_prefix="/printers")


@pages.get("/")
def index() -> str:
    return render_template("printers/index.html", printers=service.printers(workshop()))


@pages.route("/new", methods=["GET", "POST"])
def new() -> Any:
    return _form(None, asdict(Printer("")))


@pages.get("/<int:number>")
def show(number: int) -> str:
    printer = service.printer(workshop(), number)
    cards = shelf.find(workshop(), printer=number, size=200).spines
    return render_template(
        "printers/show.html",
        printer=printer,
        number=number,
        cards=cards,
        fields=PRINTER_FIELDS,
        kinds=[k for k in kinds().values() if k.scope == "printer"],
    )


@pages.route("/<int:number>/edit", methods=["GET", "POST"])
def edit(number: int) -> Any:
    return _form(number, asdict(service.printer(workshop(), number)))


@pages.post("/<int:number>/try")
def try_link(number: int) -> Any:
    return render_template("_toast.html", text=prints.try_link(workshop(), number), good=True)


def _form(number: int | None, values: dict[str, Any]) -> Any:
    problems: dict[str, str] = {}
    if request.method == "POST":
        values = typed()
        try:
            saved = service.save_printer(workshop(), values, number)
        except InvalidInput as error:
            problems = error.problems
        else:
            return redirect(url_for("printers.show", number=saved))
    page = render_template("printers/form.html", fields=PRINTER_FIELDS, values=values, problems=problems, number=number)
    return page, 422 if problems else 200
