"""Settings: how this browser shows the pages, and the workshop as a whole: where it lies, and a copy of it."""

from __future__ import annotations

import tempfile
from datetime import UTC, datetime

from flask import Blueprint, Response, redirect, render_template, request, send_file, url_for
from flask.typing import ResponseReturnValue

from drumbo.core.errors import InvalidInput
from drumbo.services.workshop import pack
from drumbo.web.views.common import workshop

pages = Blueprint("settings", __name__, url_prefix="/settings")

THEMES = {"": "As the system has it", "light": "Light", "dark": "Dark"}
COOKIE, YEAR_S = "drumbo-theme", 365 * 24 * 3600


def theme() -> str:
    """The theme that was chosen in this browser; empty for the system's."""
    chosen = request.cookies.get(COOKIE, "")
    return chosen if chosen in THEMES else ""


@pages.get("/")
def show() -> str:
    """All of them."""
    return render_template("settings/show.html", themes=THEMES, folder=workshop().folder.resolve())


@pages.post("/theme")
def choose_theme() -> ResponseReturnValue:
    """Light or dark, in this browser."""
    chosen = request.form.get("theme", "")
    if chosen not in THEMES:
        raise InvalidInput("theme", "the theme must be one of those that are offered")
    answer = redirect(url_for("settings.show"))
    answer.set_cookie(COOKIE, chosen, max_age=YEAR_S if chosen else 0, samesite="Lax", httponly=True)
    return answer


@pages.get("/backup.zip")
def backup() -> Response:
    """The whole workshop in one file."""
    out = tempfile.TemporaryFile()  # noqa: SIM115 - it is closed with the answer
    pack(workshop(), out)
    out.seek(0)
    name = f"workshop-{datetime.now(UTC).astimezone():%Y-%m-%d}.drumbo.zip"
    answer = send_file(out, "application/zip", as_attachment=True, download_name=name)
    answer.call_on_close(out.close)
    return answer
