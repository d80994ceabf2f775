"""What a profile was, and the way back."""

from __future__ import annotations

from flask import Blueprint, Response, redirect, render_template, url_for
from flask.typing import ResponseReturnValue

from drumbo.core.errors import InvalidInput
from drumbo.services import history as service
from drumbo.web.views.common import typed, workshop

pages = Blueprint("history", __name__, url_prefix="/profiles")


@pages.get("/<int:number>/history")
def history(number: int) -> str:
    card, past = service.history(workshop(), number)
    return render_template("profiles/history.html", card=card, history=past, problems={}, wrong=None)


@pages.post("/<int:number>/history/<int:revision>/restore")
def restore(number: int, revision: int) -> Response:
    service.restore(workshop(), number, revision)
    return redirect(url_for("profiles.show", number=number, adopted=1))  # type: ignore[return-value]


@pages.post("/<int:number>/history/<int:revision>")
def remark(number: int, revision: int) -> ResponseReturnValue:
    values = typed()
    try:
        service.remark(workshop(), number, revision, values.get("label", ""), values.get("note", ""))
    except InvalidInput as error:
        card, past = service.history(workshop(), number)
        page = render_template(
            "profiles/history.html", card=card, history=past, problems=error.problems, wrong=revision, typed=values
        )
        return page, 422
    return redirect(url_for("history.history", number=number, _anchor=f"r{revision}"))
