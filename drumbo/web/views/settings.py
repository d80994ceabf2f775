"""Settings: how this browser shows and writes, what is usual in the workshop, where it lies, and a copy of it."""

from __future__ import annotations

import tempfile
from collections.abc import Mapping
from datetime import UTC, datetime

from flask import Blueprint, Response, redirect, render_template, request, send_file, url_for
from flask.typing import ResponseReturnValue

from drumbo.core.errors import InvalidInput
from drumbo.services import usual
from drumbo.services.workshop import pack
from drumbo.web import written
from drumbo.web.views.common import typed, workshop

pages = Blueprint("settings", __name__, url_prefix="/settings")

THEMES = {"": "As the system has it", "light": "Light", "dark": "Dark"}
WRITES = {"decimal": "Decimal sign", "clock": "Clock", "degrees": "Temperatures"}
COOKIE, YEAR_S = "drumbo-theme", 365 * 24 * 3600


def theme() -> str:
    """The theme that was chosen in this browser; empty for the system's."""
    chosen = request.cookies.get(COOKIE, "")
    return chosen if chosen in THEMES else ""


@pages.get("/")
def show() -> str:
    """All of them."""
    return _page(usual.settings(workshop()), {})


def _page(said: Mapping[str, str], problems: Mapping[str, str]) -> str:
    return render_template(
        "settings/show.html", themes=THEMES, writes=written.CHOICES, names=WRITES, fields=usual.FIELDS, said=said,
        problems=problems, folder=workshop().folder.resolve(),
    )  # fmt: skip


@pages.post("/theme")
def choose_theme() -> ResponseReturnValue:
    """Light or dark, in this browser."""
    chosen = request.form.get("theme", "")
    if chosen not in THEMES:
        raise InvalidInput("theme", "the theme must be one of those that are offered")
    return _remember(COOKIE, chosen)


@pages.post("/writing")
def choose_writing() -> ResponseReturnValue:
    """Decimal sign, clock and degrees, in this browser."""
    return _remember(written.COOKIE, written.as_cookie(written.from_choices(request.form)))


def _remember(cookie: str, value: str) -> ResponseReturnValue:
    answer = redirect(url_for("settings.show"))
    answer.set_cookie(cookie, value, max_age=YEAR_S if value else 0, samesite="Lax", httponly=True)
    return answer


@pages.post("/usual")
def say_usual() -> ResponseReturnValue:
    """Who reads here, and what materials are paid in."""
    try:
        usual.keep(workshop(), typed())
    except InvalidInput as error:
        return _page(typed(), error.problems), 422
    return redirect(url_for("settings.show"))


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
