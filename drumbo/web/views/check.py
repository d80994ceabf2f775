"""File check: bring a file, read what it will do, look at a stretch or a layer of it."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from flask import Blueprint, Response, redirect, render_template, request, send_file, url_for
from flask.typing import ResponseReturnValue

from drumbo.core.catalogue import FILAMENT, RESIN
from drumbo.core.errors import GcodeError, InvalidInput, NotFound
from drumbo.core.fields import number
from drumbo.core.gcode.dialects import DIALECTS
from drumbo.core.gcode.roles import NAMES as NAMES_OF
from drumbo.core.gcode.roles import ROADS
from drumbo.core.light.retime import Stretch
from drumbo.exchange.incoming import is_package
from drumbo.services import check as service
from drumbo.services import packages, shelf
from drumbo.web.file_page import file_page, package_page, pair_rows, retime_rows
from drumbo.web.tracks import bars, strips
from drumbo.web.views.common import typed, whole, workshop

pages = Blueprint("check", __name__, url_prefix="/check")

NAMES = {"name": "The file", "other_name": "The other file"}


@pages.route("/", methods=["GET", "POST"])
def show() -> ResponseReturnValue:
    page: dict[str, Any] = {"problem": None}
    page["chosen"] = whole(request.values.get("profile")) or None
    if request.method == "POST":
        file = request.files.get("file")
        try:
            if file is None or not file.filename:
                raise InvalidInput("file", "choose a G-code file first")
            data = file.read()
            if is_package(data):
                if page["chosen"]:
                    packages.numbers_of(workshop(), page["chosen"])
                digest = packages.bring(workshop(), data)
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
    return _page("check/show.html", teaches=not page["problem"], **page), 422 if page["problem"] else 200


def _page(template: str, **page: Any) -> str:
    cards = shelf.names(workshop(), page.pop("process", FILAMENT))
    return render_template(template, cards=cards, every=shelf.names(workshop()), **page)


def _looked(digest: str) -> tuple[service.AnalysedFile, int | None]:
    chosen = whole(request.values.get("profile")) or None
    return service.look(workshop(), digest, chosen, request.values.get("dialect", "")[:40]), chosen


@pages.get("/<digest>")
def file(digest: str) -> str:
    """What the file will do."""
    if packages.is_one(workshop(), digest):
        return _package_page(digest)
    return _file_page(digest)


def _package_page(digest: str, problems: Mapping[str, str] | None = None) -> str:
    chosen, name = whole(request.values.get("profile")) or None, request.values.get("name", "")[:80]
    found = packages.look(workshop(), digest, chosen)
    change = None if chosen is None else retime_rows(packages.retiming(workshop(), digest, chosen))
    return _page(
        "check/package.html", page=package_page(found), digest=digest, chosen=chosen, name=name or "The package",
        change=change, problems=problems or {}, typed=request.form, stretches=packages.MOST_STRETCHES, process=RESIN,
        layers=found.layers,
    )  # fmt: skip


@pages.post("/<digest>/retime")
def retime(digest: str) -> ResponseReturnValue:
    """A copy with a profile's light, rests and lifts; some layers with a light of their own."""
    chosen, name = whole(request.form.get("profile")), request.form.get("name", "")[:80]
    try:
        copy = packages.retime(workshop(), digest, chosen, _typed_stretches(), even="even" in request.form)
    except InvalidInput as error:
        return _package_page(digest, error.problems), 422
    named = f"{name.removesuffix('.zip') or 'package'}, retimed.zip"
    return redirect(url_for("check.file", digest=copy, profile=chosen, name=named))


def _typed_stretches() -> list[Stretch]:
    found: list[Stretch] = []
    for k in range(1, packages.MOST_STRETCHES + 1):
        texts = [request.form.get(f"{key}_{k}", "").strip()[:20] for key in ("from", "to", "light")]
        if not any(texts):
            continue
        if not all(texts):
            raise InvalidInput(f"stretch_{k}", "needs its first layer, its last one and its seconds, or none of them")
        try:
            first, last, seconds = (
                number(f"stretch_{k}", text, unit) for text, unit in zip(texts, ("", "", "s"), strict=True)
            )
        except InvalidInput:
            raise InvalidInput(f"stretch_{k}", "must be numbers") from None
        if first != int(first) or last != int(last):
            raise InvalidInput(f"stretch_{k}", "must begin and end at whole layers")
        found.append(Stretch(int(first), int(last), seconds, k))
    return found


@pages.get("/<digest>/package.zip")
def package(digest: str) -> Response:
    """A package that was brought or made, to take along."""
    if not packages.is_one(workshop(), digest):
        raise NotFound("this is no layer package")
    name = re.sub(r"[^\w .,()-]", "", request.args.get("name", ""))[:80] or "package.zip"
    # A folder given as a relative one is so of where Drumbo was started, not of its pages.
    there = service.kept(workshop(), digest).resolve()
    return send_file(there, "application/zip", as_attachment=True, download_name=name)


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
        unit = "mm" if along == "height" else "min"
        ends = zip(("from", "to"), typed_ends, strict=True)
        low, high = (number(key, text, unit) if text else None for key, text in ends)
        found = service.tracks(looked, along, low, high)
        if not any(len(track.x) for track in found):
            raise InvalidInput("to", "nothing lies in this stretch; empty both fields to see the whole")
    except InvalidInput as error:
        key, says = next(iter(error.problems.items()))
        page["stretch_problem"], found = f"“{key}”: {says}", service.tracks(looked, along)
    return {**page, "strips": strips(found, along)}


@pages.get("/<digest>/layers/<int:which>")
def layer(digest: str, which: int) -> ResponseReturnValue:
    """One layer as columns, for the drawing."""
    looked, _ = _looked(digest)
    return service.layer_columns(looked, which)


@pages.get("/<digest>/elevation/<side>/<by>")
def elevation(digest: str, side: str, by: str) -> ResponseReturnValue:
    """The whole print from one side, for the drawing."""
    looked, _ = _looked(digest)
    return service.elevation_of(looked, side, by)


@pages.post("/<digest>/again")
def again(digest: str) -> ResponseReturnValue:
    """The same file against another profile, or its words understood by another dialect."""
    kept = {"profile", "name", "dialect"}
    asked: dict[str, Any] = {key: value for key, value in typed().items() if key in kept and value}
    return redirect(url_for("check.file", digest=digest, **asked))


@pages.post("/<digest>/beside")
def bring_beside(digest: str) -> ResponseReturnValue:
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
