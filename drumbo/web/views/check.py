"""File check."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, render_template, request

from drumbo.core.catalogue import FILAMENT
from drumbo.core.errors import GcodeError, InvalidInput
from drumbo.services import check as service
from drumbo.services import shelf
from drumbo.web.views.common import workshop

pages = Blueprint("check", __name__, url_prefix="/check")


@pages.route("/", methods=["GET", "POST"])
def show() -> Any:
    cards = shelf.names(workshop(), FILAMENT)
    page: dict[str, Any] = {"cards": cards, "found": None, "problem": None, "chosen": None, "name": "", "lit": None}
    if request.method == "POST":
        file = request.files.get("file")
        page["chosen"] = request.form.get("profile", type=int)
        try:
            if file is None or not file.filename:
                raise InvalidInput("file", "choose a G-code file first")
            page["name"] = file.filename
            data = file.read()
            if service.is_package(data):
                page["lit"] = service.check_package(data)
            else:
                page["found"] = service.check(workshop(), data, page["chosen"])
        except InvalidInput as error:
            page["problem"] = next(iter(error.problems.values()))
        except GcodeError as error:
            page["problem"] = str(error)
    return render_template("check/show.html", **page), 422 if page["problem"] else 200
