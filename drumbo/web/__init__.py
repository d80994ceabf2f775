"""The web application: thin views over the services, server-rendered pages, htmx where a page changes in place."""

from __future__ import annotations

import contextlib
import errno
import functools
import hashlib
import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

from flask import Flask, Response, redirect, render_template, request, send_from_directory, url_for
from flask_wtf.csrf import CSRFError, CSRFProtect
from markupsafe import Markup
from sqlalchemy.exc import OperationalError
from werkzeug.exceptions import HTTPException, MethodNotAllowed, RequestEntityTooLarge
from werkzeug.exceptions import NotFound as NoSuchPage
from werkzeug.routing import IntegerConverter, RequestRedirect

from drumbo import __version__
from drumbo.core.errors import DrumboError, InvalidInput, NotFound
from drumbo.exchange.incoming import LARGEST_FILE
from drumbo.services.prints import PrintManager
from drumbo.services.shelf import fill_in
from drumbo.store.database import Workshop
from drumbo.trials import kinds
from drumbo.web import drum, filters
from drumbo.web.carry_over import outcomes
from drumbo.web.changes import change_lines
from drumbo.web.compiled import keep_templates
from drumbo.web.gate import AccessCode, HostNames, answer_only_to, ask_for_code
from drumbo.web.guide import section_for
from drumbo.web.packing import pack_answers
from drumbo.web.views import (
    bench,
    check,
    copying,
    exchange,
    guide,
    hand,
    history,
    learn,
    materials,
    pairs,
    pictures,
    planner,
    plates,
    printers,
    profiles,
    settings,
    trials,
)
from drumbo.web.views.common import FOR_GOOD, plain_words
from drumbo.web.written import write_answers

STATIC = Path(__file__).parent / "static"
HEADERS = {
    "Content-Security-Policy": "default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; "
    "object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
    "Permissions-Policy": "geolocation=(), microphone=(), payment=(), usb=(), serial=()",
    "Referrer-Policy": "same-origin",
    "X-Content-Type-Options": "nosniff",
    "X-Frame-Options": "DENY",
}
"""No script but our own files; a style may carry a size that was computed."""

STYLE_SHEETS = (
    "base", "size", "page", "drum", "bench", "form", "profile", "leaves", "piece", "read", "measure", "charts", "zoom",
    "planner", "change", "live", "hand", "pair", "job", "phone", "sheet", "check",
    "guide",
)  # fmt: skip
"""By component, in order: what comes later has the last word. Each is `static/css/NAME.css`."""
NAVIGATION = (
    ("Bench", "bench.show", ("bench",)),
    ("Profiles", "profiles.index", ("profiles", "copying", "history", "exchange", "trials", "pairs", "plates")),
    ("Materials", "materials.index", ("materials",)),
    ("Printers", "printers.index", ("printers",)),
    ("File check", "check.show", ("check", "learn")),
    ("Planner", "planner.show", ("planner",)),
)
"""The top bar: name, where it leads, and the blueprints whose pages belong to it."""


class RowNumber(IntegerConverter):
    """A number in an address that a row can have; there is no page for others."""

    regex = r"\d{1,15}"


LOOKS = frozenset({"GET", "HEAD"})
FULL = frozenset({errno.ENOSPC, errno.EDQUOT, errno.EFBIG, errno.EROFS})


def create_app(
    workshop: Workshop,
    room: PrintManager,
    *,
    secret: str,
    access: AccessCode | None = None,
    names: HostNames | None = None,
) -> Flask:
    """The application on a workshop. A code, where there is one, is asked for before anything is shown; only what is
    asked under one of `names` is answered, by default those of the loopback.
    """
    fill_in(workshop)
    app = Flask(__name__)
    app.config.update(
        SECRET_KEY=secret,
        MAX_CONTENT_LENGTH=LARGEST_FILE + 1_000_000,
        MAX_FORM_MEMORY_SIZE=5_000_000,
        # A browser keeps one jar for all ports of a machine; two workshops must not take each other's sessions.
        SESSION_COOKIE_NAME=f"drumbo-{_whose(secret)}",
        SESSION_COOKIE_HTTPONLY=True,
        SESSION_COOKIE_SAMESITE="Lax",
        WTF_CSRF_TIME_LIMIT=None,
    )
    app.url_map.converters["int"] = RowNumber
    app.extensions["workshop"], app.extensions["room"] = workshop, room
    # Before anything else looks at a request, let alone at what it carries.
    answer_only_to(app, names or HostNames())
    if access is not None:
        ask_for_code(app, access)
    CSRFProtect(app)
    _for_templates(app)
    for blueprint in (
        bench,
        materials,
        printers,
        hand,
        profiles,
        copying,
        history,
        exchange,
        trials,
        pictures,
        check,
        learn,
        pairs,
        plates,
        planner,
        guide,
        settings,
    ):
        app.register_blueprint(blueprint.pages)
    _keep_static(app)
    _style(app)
    _scripts(app)
    _keep_pictures(app, secret)
    _errors(app)
    # What is done to answers last stands first here.
    pack_answers(app)
    write_answers(app)
    _every_answer(app)
    return app


def _help_slug(sheet: Any) -> str:
    """The section of the guide that helps on this page; on a trial's, or where one is planned, that of its kind."""
    kind, slug = getattr(sheet, "kind", None), (request.view_args or {}).get("slug")
    if kind is None and slug is not None:
        # Asked only here: all kinds with their fits take a while to come.
        kind = kinds().get(slug)
    return section_for(request.blueprint, None if kind is None else kind.title)


def _for_templates(app: Flask) -> None:
    """What all templates know."""
    app.jinja_env.globals["help_slug"] = _help_slug
    app.jinja_env.trim_blocks = app.jinja_env.lstrip_blocks = True
    keep_templates(app)
    filters.register(app)
    app.add_template_filter(outcomes)
    app.add_template_filter(change_lines)
    app.jinja_env.globals.update(drum=drum.draw, version=__version__, navigation=NAVIGATION)
    app.jinja_env.globals["theme"] = settings.theme
    app.jinja_env.globals["once"] = _once
    # The same for every request: where pages, scripts and styles are.
    app.jinja_env.globals["fixed_url"] = functools.cache(url_for)


@functools.lru_cache(maxsize=2000)
def _once(macro: Callable[..., Markup], *given: Any) -> Markup:
    """What a macro makes of the same again."""
    return macro(*given)


def _every_answer(app: Flask) -> None:
    @app.get("/ping")
    def ping() -> str:
        return "ok"

    @app.after_request
    def headers(response: Response) -> Response:
        response.headers.update(HEADERS)
        return response

    @app.after_request
    def stand_alone(response: Response) -> Response:
        """A part of a page that is opened by itself, in a tab of its own say, is put into a whole page."""
        opened = request.headers.get("Sec-Fetch-Dest") == "document" and request.method == "GET"
        if opened and response.status_code == 200 and response.mimetype == "text/html" and response.is_sequence:
            inner = response.get_data(as_text=True)
            if inner.lstrip()[:9].lower() != "<!doctype":
                response.set_data(render_template("alone.html", inner=Markup(inner)))
        return response


def _keep_static(app: Flask) -> None:
    """Scripts and styles carry their own state in their address, so that a browser asks for each of them only once."""

    @app.url_defaults
    def mark(endpoint: str, values: dict[str, Any]) -> None:
        if endpoint == "static":
            values["v"] = _state_of(values["filename"])

    @app.after_request
    def keep(response: Response) -> Response:
        if request.endpoint == "static" and "v" in request.args and response.status_code == 200:
            response.headers["Cache-Control"] = FOR_GOOD
        return response


def _state_of(filename: str) -> str:
    """Another one whenever a static file changes."""
    return f"{(STATIC / filename).stat().st_mtime_ns:x}"


def _keep_pictures(app: Flask, secret: str) -> None:
    """A picture's number stands for the same picture for good, in one workshop: whose it is stands in its address."""
    whose = _whose(secret)

    @app.url_defaults
    def mark(endpoint: str, values: dict[str, Any]) -> None:
        if endpoint == "pictures.image":
            values["of"] = whose


def _whose(secret: str) -> str:
    """A mark of one workshop that tells nothing of its secret."""
    return hashlib.sha256(secret.encode()).hexdigest()[:12]


def _style(app: Flask) -> None:
    """All style sheets as one: a page waits for a single answer, and its scripts with it."""
    text = "\n".join((STATIC / "css" / f"{part}.css").read_text() for part in STYLE_SHEETS)
    # Under the address by which pages ask for fonts before they have read this.
    text = re.sub(r"url\(\.\./([^)]+)\)", lambda found: f"url(../{found[1]}?v={_state_of(found[1])})", text)
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


def page_above(app: Flask, path: str) -> str:
    """The nearest page above an address that is only sent to: that of what it is about."""
    known = app.url_map.bind("")
    parts = path.strip("/").split("/")
    for count in range(len(parts) - 1, 0, -1):
        above = "/" + "/".join(parts[:count])
        with contextlib.suppress(NoSuchPage, MethodNotAllowed):
            try:
                known.match(above, method="GET")
            except RequestRedirect:
                return above + "/"
            return above
    return "/"


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
        return page("That is not possible", plain_words(error), 422 if isinstance(error, InvalidInput) else 409)

    @app.errorhandler(OperationalError)
    def busy(error: OperationalError) -> Any:
        app.logger.warning("the database: %s", error.orig)
        text = f"The workshop's database cannot be used just now ({error.orig}). Nothing was changed; try again. " \
               "Prints that run go on."  # fmt: skip
        return page("Not now", text, 503)

    @app.errorhandler(OSError)
    def disk(error: OSError) -> Any:
        if error.errno not in FULL:
            raise error
        app.logger.warning("the disk: %s", error)
        return page("No room", f"The disk refuses ({error.strerror}). Nothing was kept; make room and try again.", 507)

    @app.errorhandler(CSRFError)
    def stale(_error: CSRFError) -> Any:
        return page("This page was open too long", "Load it again and repeat; nothing was changed.", 400)

    @app.errorhandler(RequestEntityTooLarge)
    def too_large(_error: RequestEntityTooLarge) -> Any:
        text = f"The file is larger than {LARGEST_FILE // 1_000_000} MB, the most that is read. Nothing was kept."
        if request.endpoint == "enter":
            text = "An access code is shorter than that."
        return page("Too large", text, 413)

    @app.errorhandler(MethodNotAllowed)
    def only_sent(_error: MethodNotAllowed) -> Any:
        # What is left in the address line after something was refused, loaded again or opened by somebody else.
        if request.method in LOOKS:
            return redirect(page_above(app, request.path), 303)
        return page("Not that way", "This address takes nothing of the kind. Nothing was changed.", 405)

    @app.errorhandler(HTTPException)
    def other(error: HTTPException) -> Any:
        if error.code == 404:
            return page("Not here", "There is no such page.", 404)
        return page(error.name, error.description or "", error.code or 500)
