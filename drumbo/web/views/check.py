"""File check: bring a file, read what it will do, look at a stretch or a layer of it."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, redirect, render_template, request, url_for

from drumbo.core.catalogue import FILAMENT
from drumbo.core.errors import GcodeError, InvalidInput
from drumbo.core.fields import number
from drumbo.core.gcode.dialects import DIALECTS
from drumbo.core.gcode.roles import NAMES as NAMES_OF
from drumbo.core.gcode.roles import ROADS
from drumbo.exchange.incoming import is_package
from drumbo.exchange.package_check import check_package
from drumbo.services import check as service
from drumbo.services import shelf
from drumbo.web.file_page import file_page, package_page, pair_rows
from drumbo.web.tracks import bars, strips
from drumbo.web.views.common import typed, whole, workshop

pages = Blueprint("check", __name__, url_prefix="/check")

NAMES = {"name": "The file", "other_name": "The other file"}


@pages.route("/", methods=["GET", "POST"])
def show() -> Any:
    page: dict[str, Any] = {"problem": None, "package": None, "name": ""}
    page["chosen"] = whole(request.values.get("profile")) or None
    if request.method == "POST":
        file = request.files.get("file")
        try:
            if file is None or not file.filename:
                raise InvalidInput("file", "choose a G-code file first")
            page["name"], data = file.filename, file.read()
            if is_package(data):
                page["package"] = package_page(check_package(data, service.resin_numbers(workshop(), page["chosen"])))
            else:
                service.against(workshop(), page["chosen"])
                digest = service.bring(workshop(), data)
                asked = {"profile": page["chosen"], "name": file.filename[:80]}
                return redirect(url_for("check.file", digest=digest, **{k: v for k, v in asked.items() if v}))
        except InvalidInput as error:
            key, says = next(iter(error.problems.items()))
            page["problem"] = f"The {'profile' if key == 'profile' else 'file'} {says}"
        except GcodeError as error:
            page["problem"] = f"The file {error}"
    teaches = not page["package"] and not page["problem"]
    return _page("check/show.html", teaches=teaches, **page), 422 if page["problem"] else 200


def _page(template: str, **page: Any) -> str:
    of_filament, every = shelf.names(workshop(), FILAMENT), shelf.names(workshop())
    return render_template(template, cards=of_filament, every=every, **page)


def _looked(digest: str) -> tuple[service.AnalysedFile, int | None]:
    chosen = whole(request.values.get("profile")) or None
    return service.look(workshop(), digest, chosen, request.values.get("dialect", "")[:40]), chosen


@pages.get("/<digest>")
def file(digest: str) -> str:
    """What the file will do."""
    return _file_page(digest)


def _file_page(digest: str, beside_problem: str = "") -> str:
    looked, chosen = _looked(digest)
    edges, minutes = service.flow_shares(looked)
    return _page(
        "check/file.html", page=file_page(looked), chosen=chosen, digest=digest,
        name=request.values.get("name", "")[:80] or "The file", bars=bars(edges, minutes, looked.limit_mm3_s),
        beside_problem=beside_problem, roads=[(role, NAMES_OF[role]) for role in ROADS],
        dialect=request.values.get("dialect", "")[:40], dialects=DIALECTS, **_strips(looked),
    )  # fmt: skip


@pages.get("/<digest>/tracks")
def tracks(digest: str) -> str:
    """A stretch of it."""
    looked, chosen = _looked(digest)
    dialect = request.values.get("dialect", "")[:40]
    return render_template("check/_tracks.html", digest=digest, chosen=chosen, dialect=dialect, **_strips(looked))


def _strips(looked: service.AnalysedFile) -> dict[str, Any]:
    """The strips of the stretch asked for; of the whole, with what is wrong, where it cannot be read or is empty."""
    along = "height" if request.args.get("along") == "height" else "time"
    typed_ends = [request.args.get(key, "").strip()[:20] for key in ("from", "to")]
    page = {"along": along, "ends": typed_ends, "stretch_problem": ""}
    try:
        low, high = (number(key, text) if text else None for key, text in zip(("from", "to"), typed_ends, strict=True))
        found = service.tracks(looked, along, low, high)
        if not any(len(track.x) for track in found):
            raise InvalidInput("to", "nothing lies in this stretch; empty both fields to see the whole")
    except InvalidInput as error:
        key, says = next(iter(error.problems.items()))
        page["stretch_problem"], found = f"“{key}”: {says}", service.tracks(looked, along)
    return {**page, "strips": strips(found, along)}


@pages.get("/<digest>/layers/<int:which>")
def layer(digest: str, which: int) -> Any:
    """One layer as columns, for the drawing."""
    looked, _ = _looked(digest)
    return service.layer_columns(looked, which)


@pages.get("/<digest>/elevation/<side>/<by>")
def elevation(digest: str, side: str, by: str) -> Any:
    """The whole print from one side, for the drawing."""
    looked, _ = _looked(digest)
    return service.elevation_of(looked, side, by)


@pages.post("/<digest>/again")
def again(digest: str) -> Any:
    """The same file against another profile, or its words understood by another dialect."""
    kept = {"profile", "name", "dialect"}
    asked: dict[str, Any] = {key: value for key, value in typed().items() if key in kept and value}
    return redirect(url_for("check.file", digest=digest, **asked))


@pages.post("/<digest>/beside")
def bring_beside(digest: str) -> Any:
    """Another file to lay beside this one."""
    file = request.files.get("other")
    asked: dict[str, Any] = {k: v for k, v in typed().items() if k in {"profile", "name"} and v}
    try:
        if file is None or not file.filename:
            raise InvalidInput("file", "is not chosen yet")
        data = file.read()
        if is_package(data):
            raise InvalidInput("file", "is a layer package for a resin printer; only G-code lies beside G-code")
        other = service.bring(workshop(), data)
    except InvalidInput as error:
        return _file_page(digest, f"The other file {next(iter(error.problems.values()))}"), 422
    except GcodeError as error:
        return _file_page(digest, f"The other file: {error}"), 422
    return redirect(url_for("check.beside", digest=digest, other=other, other_name=file.filename[:80], **asked))


@pages.get("/<digest>/beside/<other>")
def beside(digest: str, other: str) -> str:
    """Two files beside each other."""
    chosen = whole(request.args.get("profile")) or None
    names = [request.args.get(key, "")[:80] or text for key, text in NAMES.items()]
    found = service.beside(workshop(), digest, other, chosen)
    return render_template("check/beside.html", beside=found, rows=pair_rows(found.pairs), names=names, chosen=chosen)
