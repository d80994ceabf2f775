"""The first page and the search."""

from __future__ import annotations

import tempfile

from flask import Blueprint, Response, render_template, request, send_file

from drumbo.services import bench as service
from drumbo.services.workshop import pack
from drumbo.web.views.common import workshop

pages = Blueprint("bench", __name__)


@pages.get("/")
def show() -> str:
    found = service.bench(workshop())
    return render_template("bench/show.html", bench=found, nexts=found.nexts)


@pages.get("/going")
def going() -> str:
    return render_template("bench/_going.html", bench=service.bench(workshop()))


@pages.get("/archive.zip")
def archive() -> Response:
    """The whole workshop in one file."""
    out = tempfile.TemporaryFile()  # noqa: SIM115 - it is closed with the answer
    pack(workshop(), out)
    out.seek(0)
    answer = send_file(out, "application/zip", as_attachment=True, download_name="workshop.drumbo.zip")
    answer.call_on_close(out.close)
    return answer


@pages.get("/search")
def search() -> str:
    text = request.args.get("q", "")[:100]
    return render_template("bench/_hits.html", hits=service.search(workshop(), text), text=text.strip())
