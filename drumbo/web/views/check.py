"""File check: bring a file, read what it will do, look at a stretch or a layer of it."""

from __future__ import annotations

import math
from typing import Any

from flask import Blueprint, Response, redirect, render_template, request, url_for

from drumbo.core.catalogue import FILAMENT
from drumbo.core.errors import GcodeError, InvalidInput
from drumbo.services import check as service
from drumbo.services import shelf
from drumbo.web.tracks import bars, strips
from drumbo.web.views.common import typed, whole, workshop

pages = Blueprint("check", __name__, url_prefix="/check")

NAMES = {"name": "The file", "other_name": "The other file"}


@pages.route("/", methods=["GET", "POST"])
def show() -> Any:
    page: dict[str, Any] = {"looked": None, "problem": None, "lit": None, "name": ""}
    page["chosen"] = whole(request.values.get("profile")) or None
    if request.method == "POST":
        file = request.files.get("file")
        try:
            if file is None or not file.filename:
                raise InvalidInput("file", "choose a G-code file first")
            page["name"], data = file.filename, file.read()
            if service.is_package(data):
                page["lit"] = service.check_package(data)
            else:
                digest = service.bring(workshop(), data)
                asked = {"profile": page["chosen"], "name": file.filename[:80]}
                return redirect(url_for("check.file", digest=digest, **{k: v for k, v in asked.items() if v}))
        except InvalidInput as error:
            page["problem"] = next(iter(error.problems.values()))
        except GcodeError as error:
            page["problem"] = str(error)
    return _page(**page), 422 if page["problem"] else 200


def _page(**page: Any) -> str:
    return render_template("check/show.html", cards=shelf.names(workshop(), FILAMENT), **page)


def _looked(digest: str) -> tuple[service.Looked, int | None]:
    chosen = whole(request.values.get("profile")) or None
    return service.look(workshop(), digest, chosen), chosen


@pages.get("/<digest>")
def file(digest: str) -> str:
    """What the file will do."""
    return _file_page(digest)


def _file_page(digest: str, beside_problem: str = "") -> str:
    looked, chosen = _looked(digest)
    edges, minutes = service.flow_shares(looked)
    return _page(
        looked=looked, found=looked.found, chosen=chosen, digest=digest, problem=None, lit=None,
        name=request.values.get("name", "")[:80] or "The file", bars=bars(edges, minutes, looked.limit_mm3_s),
        beside_problem=beside_problem, **_strips(looked),
    )  # fmt: skip


@pages.get("/<digest>/tracks")
def tracks(digest: str) -> str:
    """A stretch of it."""
    looked, chosen = _looked(digest)
    return render_template("check/_tracks.html", digest=digest, chosen=chosen, **_strips(looked))


def _strips(looked: service.Looked) -> dict[str, Any]:
    along = "height" if request.args.get("along") == "height" else "time"
    ends = [_number(request.args.get(key)) for key in ("from", "to")]
    return {"along": along, "ends": ends, "strips": strips(service.tracks(looked, along, *ends), along)}


def _number(text: str | None) -> float | None:
    try:
        number = float((text or "").replace(",", "."))
    except ValueError:
        return None
    return number if math.isfinite(number) else None


@pages.get("/<digest>/layers/<int:number>")
def layer(digest: str, number: int) -> Any:
    """One layer as columns, for the drawing."""
    looked, _ = _looked(digest)
    return service.layer_columns(looked, number)


@pages.post("/<digest>/again")
def again(digest: str) -> Response:
    """The same file against another profile."""
    asked = {key: value for key, value in typed().items() if key in {"profile", "name"} and value}
    return redirect(url_for("check.file", digest=digest, **asked))


@pages.post("/<digest>/beside")
def bring_beside(digest: str) -> Any:
    """Another file to lay beside this one."""
    file, asked = request.files.get("other"), {k: v for k, v in typed().items() if k in {"profile", "name"} and v}
    try:
        if file is None or not file.filename:
            raise InvalidInput("file", "is not chosen yet")
        data = file.read()
        if service.is_package(data):
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
    return render_template(
        "check/beside.html", beside=service.beside(workshop(), digest, other, chosen), names=names, chosen=chosen
    )
