"""The user guide: whole, or the section that helps where one is."""

from __future__ import annotations

from flask import Blueprint, render_template, request

from drumbo.core.errors import NotFound
from drumbo.web.guide import sections
from drumbo.web.looks import looks_in

pages = Blueprint("guide", __name__, url_prefix="/guide")


@pages.get("/")
def whole() -> str:
    """All of it, to read or to print."""
    return render_template("guide/show.html", sections=list(sections().values()), one=None)


@pages.get("/<slug>")
def show(slug: str) -> str:
    """One section: in the side sheet of another page, or by itself."""
    try:
        section = sections()[slug]
    except KeyError:
        raise NotFound("the guide has no such section") from None
    if request.headers.get("HX-Request"):
        return render_template("guide/_side.html", section=section, looks=looks_in(slug))
    return render_template("guide/show.html", sections=list(sections().values()), one=section, looks=looks_in(slug))
