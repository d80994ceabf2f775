"""The first page and the search."""

from __future__ import annotations

from flask import Blueprint, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from drumbo.core.errors import InvalidInput
from drumbo.services import bench as service
from drumbo.services import first
from drumbo.web import commands, guide
from drumbo.web.views.common import room, whole, workshop

pages = Blueprint("bench", __name__)


@pages.get("/")
def show() -> str:
    return _show({})


def _show(problems: dict[str, str]) -> str:
    found = service.bench(workshop())
    steps = first.first_steps(workshop())
    return render_template(
        "bench/show.html", bench=found, nexts=found.nexts, steps=None if steps.trial else steps, problems=problems,
        typed=request.form, sizes=first.USUAL_SIZES, usual_size=first.SIZE,
    )  # fmt: skip


@pages.post("/first-trial")
def first_trial() -> ResponseReturnValue:
    """A profile where there is none yet, and its first trial to plan."""
    profile, slug = first.first_trial(workshop())
    return redirect(url_for("trials.new", profile=profile, slug=slug))


@pages.post("/usual-printer")
def usual_printer() -> ResponseReturnValue:
    """A printer of a common size. What was typed stays where it cannot be."""
    try:
        first.add_usual_printer(workshop(), request.form)
    except InvalidInput as error:
        return _show(error.problems), 422
    return redirect(url_for("bench.show"))


@pages.post("/practise")
def practise() -> ResponseReturnValue:
    """A simulated printer to practise on."""
    room().practice.add()
    return redirect(url_for("bench.show"))


@pages.get("/now")
def now() -> str:
    return render_template("bench/_now.html", bench=service.bench(workshop()))


@pages.post("/prints/<int:number>/ask")
def ask(number: int) -> ResponseReturnValue:
    """Ask a printer what it does, and have it switch its heaters off."""
    room().look_after(number)
    return _back()


@pages.post("/prints/<int:number>/deal")
def deal(number: int) -> ResponseReturnValue:
    """Somebody has looked at the printer."""
    room().deal(number)
    return _back()


def _back() -> ResponseReturnValue:
    trial = whole(request.form.get("trial"))
    return redirect(url_for("trials.leaf", number=trial, leaf="print") if trial else url_for("bench.show"))


@pages.get("/search")
def search() -> str:
    text = request.args.get("q", "")[:100].strip()
    if not text:
        return render_template("bench/_hits.html", hits=service.recent(workshop()), text="")
    return render_template(
        "bench/_hits.html", hits=service.search(workshop(), text), commands=commands.find(text), told=guide.find(text),
        text=text,
    )  # fmt: skip
