"""The first page and the search."""

from __future__ import annotations

from flask import Blueprint, render_template, request

from drumbo.services import bench as service
from drumbo.web.views.common import workshop

pages = Blueprint("bench", __name__)


@pages.get("/")
def show() -> str:
    found = service.bench(workshop())
    return render_template("bench/show.html", bench=found, nexts=found.nexts)


@pages.get("/going")
def going() -> str:
    return render_template("bench/_going.html", bench=service.bench(workshop()))


@pages.get("/search")
def search() -> str:
    text = request.args.get("q", "")[:100]
    return render_template("bench/_hits.html", hits=service.search(workshop(), text), text=text.strip())
