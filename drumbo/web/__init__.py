"""The web application: thin views over the services, server-rendered pages, htmx where a page changes in place."""

from __future__ import annotations

import hashlib
import hmac
from pathlib import Path
from typing import Any

from flask import Flask, Response, redirect, render_template, request, send_from_directory, session, url_for
from flask_wtf.csrf import CSRFError, CSRFProtect
from sqlalchemy.exc import OperationalError
from werkzeug.exceptions import HTTPException, RequestEntityTooLarge

from drumbo import __version__
from drumbo.core.errors import DrumboError, InvalidInput, NotFound
from drumbo.services.check import LARGEST_FILE
from drumbo.services.prints import PrintManager
from drumbo.services.shelf import fill_in
from drumbo.store.database import Workshop
from drumbo.web import drum, filters
from drumbo.web.carry_over import outcomes
from drumbo.web.changes import change_lines
from drumbo.web.views import (
    bench,
    check,
    copying,
    exchange,
    history,
    learn,
    materials,
    planner,
    printers,
    profiles,
    trials,
)
from drumbo.web.views.common import plain_words

STATIC = Path(__file__).parent / "static"
POLICY = "default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; frame-ancestors 'none'"

STYLE_SHEETS = (
    "base", "size", "page", "drum", "bench", "form", "profile", "leaves", "piece", "read", "measure", "charts", "zoom",
    "planner", "change", "phone",    "sheet", "check",
)  # fmt: skip
"""By component, in order: what comes later has the last word. Each is `static/css/NAME.css`."""
NAVIGATION = (
    ("Bench", "bench.show", ("bench",)),
    ("Profiles", "profiles.index", ("profiles", "copying", "history", "exchange", "trials")),
    ("Materials", "materials.index", ("materials",)),
    ("Printers", "printers.index", ("printers",)),
    ("File check", "check.show", ("check", "learn")),
    ("Planner", "planner.show", ("planner",)),
)
"""The top bar: name, where it leads, and the blueprints whose pages belong to it."""
FOR_GOOD = "private, max-age=31536000, immutable"


def create_app(workshop: Workshop, room: PrintManager, *, secret: str, code: str | None = None) -> Flask:
    """The application on a workshop. `code` is asked for before anything is shown, where one is set."""
    fill_in(workshop)
    app = Flask(__name__)
    app.config.update(
        SECRET_KEY=secret,
        MAX_CONTENT_LENGTH=LARGEST_FILE + 1_000_000,
        MAX_FORM_MEMORY_SIZE=5_000_000,
        SESSION_COOKIE_SAMESITE="Lax",
        WTF_CSRF_TIME_LIMIT=None,
    )
    app.jinja_env.trim_blocks = app.jinja_env.lstrip_blocks = True
    app.extensions["workshop"], app.extensions["room"] = workshop, room
    CSRFProtect(app)
    filters.register(app)
    app.add_template_filter(outcomes)
    app.add_template_filter(change_lines)
    app.jinja_env.globals.update(drum=drum.draw, version=__version__, navigation=NAVIGATION)
    for blueprint in (bench, materials, printers, profiles, copying, history, exchange, trials, check, learn, planner):
        app.register_blueprint(blueprint.pages)
    _keep_static(app)
    _style(app)
    _scripts(app)
    _guard(app, code)
    _errors(app)

    @app.get("/ping")
    def ping() -> str:
        return "ok"

    @app.after_request
    def headers(response: Response) -> Response:
        response.headers["Content-Security-Policy"] = POLICY
        response.headers["X-Content-Type-Options"] = "nosniff"
        return response

    return app


def _keep_static(app: Flask) -> None:
    """Scripts and styles carry their own state in their address, so that a browser asks for each of them only once."""

    @app.url_defaults
    def mark(endpoint: str, values: dict[str, Any]) -> None:
        if endpoint == "static":
            values["v"] = f"{(STATIC / values['filename']).stat().st_mtime_ns:x}"

    @app.after_request
    def keep(response: Response) -> Response:
        if request.endpoint == "static" and "v" in request.args and response.status_code == 200:
            response.headers["Cache-Control"] = FOR_GOOD
        return response


def _style(app: Flask) -> None:
    """All style sheets as one: a page waits for a single answer, and its scripts with it."""
    text = "\n".join((STATIC / "css" / f"{part}.css").read_text() for part in STYLE_SHEETS)
    version = hashlib.sha256(text.encode()).hexdigest()[:12]

    @app.get("/static/css/drumbo.css")
    def style() -> Response:
        kept = FOR_GOOD if request.args.get("v") == version else "no-cache"
        return Response(text, mimetype="text/css", headers={"Cache-Control": kept})

    @app.url_defaults
    def mark(endpoint: str, values: dict[str, Any]) -> None:
        if endpoint == "style":
            values["v"] = version


def _scripts(app: Flask) -> None:
    """Scripts import each other by their places in a folder, so the state of all of them is a folder in the address."""
    home = STATIC / "js"
    state = hashlib.sha256()
    for path in sorted(home.rglob("*.js")):
        state.update(path.relative_to(home).as_posix().encode() + b"\n" + path.read_bytes())
    version = state.hexdigest()[:12]

    @app.get("/static/js/<state>/<path:filename>")
    def script(state: str, filename: str) -> Response:
        answer = send_from_directory(home, filename)
        answer.headers["Cache-Control"] = FOR_GOOD if state == version else "no-cache"
        return answer

    @app.url_defaults
    def mark(endpoint: str, values: dict[str, Any]) -> None:
        if endpoint == "script":
            values["state"] = version


def _guard(app: Flask, code: str | None) -> None:
    """Ask for the access code on every page until it was given."""
    if code is None:
        return

    @app.before_request
    def ask() -> Any:
        open_pages = {"static", "style", "script", "enter", "ping"}
        if request.endpoint not in open_pages and not session.get("entered"):
            return redirect(url_for("enter", next=request.path))
        return None

    @app.route("/enter", methods=["GET", "POST"])
    def enter() -> Any:
        wrong = False
        if request.method == "POST":
            if hmac.compare_digest(request.form.get("code", "").strip().encode(), code.encode()):
                session["entered"] = True
                target = request.args.get("next", "/")
                return redirect(target if target.startswith("/") and not target.startswith("//") else "/")
            wrong = True
        return render_template("enter.html", wrong=wrong), 403 if wrong else 200


def _errors(app: Flask) -> None:
    def page(title: str, text: str, status: int) -> tuple[str, int]:
        if request.headers.get("HX-Request"):
            return render_template("_toast.html", text=text), status
        return render_template("error.html", title=title, text=text), status

    @app.errorhandler(NotFound)
    def not_found(error: NotFound) -> Any:
        return page("Not here", str(error), 404)

    @app.errorhandler(DrumboError)
    def refused(error: DrumboError) -> Any:
        return page("That does not go", plain_words(error), 422 if isinstance(error, InvalidInput) else 409)

    @app.errorhandler(OperationalError)
    def busy(error: OperationalError) -> Any:
        app.logger.warning("the database: %s", error.orig)
        text = f"The workshop's database cannot be used just now ({error.orig}). Nothing was changed; try again. " \
               "Prints that run go on."  # fmt: skip
        return page("Not now", text, 503)

    @app.errorhandler(CSRFError)
    def stale(_error: CSRFError) -> Any:
        return page("This page was open too long", "Load it again and repeat; nothing was changed.", 400)

    @app.errorhandler(RequestEntityTooLarge)
    def too_large(_error: RequestEntityTooLarge) -> Any:
        text = f"The file is larger than {LARGEST_FILE // 1_000_000} MB, the most that is read. Nothing was kept."
        return page("Too large", text, 413)

    @app.errorhandler(HTTPException)
    def other(error: HTTPException) -> Any:
        if error.code == 404:
            return page("Not here", "There is no such page.", 404)
        return page(error.name, error.description or "", error.code or 500)
