"""Several trials in one job, and the way from here to a proven profile."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from flask import Blueprint, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from drumbo.core.errors import InvalidInput
from drumbo.services import plates as service
from drumbo.services import profiles, ways
from drumbo.trials.plate import Order
from drumbo.web.bed_page import BedPicture, bed_picture
from drumbo.web.page import Page
from drumbo.web.views.common import plain_words, typed, workshop

pages = Blueprint("plates", __name__)
QUICK, USUAL = "quick", "usual"


ORDERS = ((Order.AS_FITS, "as suits them"), (Order.IN_TURN, "one after another"), (Order.BY_LAYER, "layer by layer"))


def _asked(given: Any) -> tuple[list[str], bool]:
    """The kinds that were ticked, and whether the prints are to be quick."""
    return [slug[:60] for slug in given.getlist("piece")][:20], given.get("size", QUICK) != USUAL


def _order() -> str:
    return request.values.get("order", "")


@pages.route("/profiles/<int:profile>/plates/new", methods=["GET", "POST"])
def new(profile: int) -> ResponseReturnValue:
    """Which trials share a job, and how each is planned."""
    slugs, quick = _asked(request.values)
    if request.method == "GET":
        return _form(profile, slugs, {}, quick=quick)
    try:
        number = service.create(workshop(), profile, slugs, typed(), quick=quick, order=_order())
    except InvalidInput as error:
        return _form(profile, slugs, typed(), quick=quick, problems=error.problems), 422
    return redirect(url_for("plates.show", number=number))


def _form(
    profile: int, slugs: list[str], given: dict[str, str], *, quick: bool, problems: dict[str, str] | None = None
) -> str:
    draft = service.draft(workshop(), profile, slugs, given, quick=quick, order=_order())
    return _draft_page(profile, draft, problems).render("plates/new.html")


@dataclass(frozen=True, slots=True, kw_only=True)
class DraftPage(Page):
    """A plate that is put together. `wrong` is what cannot be, by field; with `oob` the page is there already."""

    profile: int
    draft: service.PlateDraft
    card: profiles.Card
    bed: BedPicture
    wrong: Mapping[str, str]
    refused: bool
    orders: tuple[tuple[str, str], ...] = ORDERS
    oob: bool = False


def _draft_page(profile: int, draft: service.PlateDraft, problems: Mapping[str, str] | None = None) -> DraftPage:
    return DraftPage(
        profile=profile, draft=draft, card=draft.card, bed=bed_picture(draft.spots, draft.printer),
        wrong={**draft.problems, **(problems or {})}, refused=problems is not None,
    )  # fmt: skip


@pages.post("/profiles/<int:profile>/plates/look")
def look(profile: int) -> str:
    """What a plate comes to while it is put together."""
    slugs, quick = _asked(request.form)
    draft = service.draft(workshop(), profile, slugs, typed(), quick=quick, order=_order())
    return replace(_draft_page(profile, draft), oob=True).render("plates/_look.html")


@pages.get("/plates/<int:number>")
def show(number: int) -> str:
    """A plate: what is on it, and how far each piece is."""
    sheet = service.sheet(workshop(), number)
    return render_template(
        "plates/show.html", sheet=sheet, card=sheet.card, bed=bed_picture(sheet.spots, sheet.printer)
    )


@pages.get("/profiles/<int:profile>/ways")
def offers(profile: int) -> str:
    """The ways to a proven profile, and which trials each leads through."""
    return _offers(profile)


def _offers(profile: int, problem: str = "") -> str:
    return render_template(
        "plates/ways.html", card=profiles.card(workshop(), profile), offers=ways.offers(workshop(), profile),
        now=ways.standing(workshop(), profile), problem=problem,
    )  # fmt: skip


@pages.get("/profiles/<int:profile>/ways/facts")
def facts(profile: int) -> str:
    """What some trials take together; asked for once the page is there."""
    slugs, quick = _asked(request.args)
    try:
        found = ways.estimate(workshop(), profile, slugs, quick=quick)
    except InvalidInput:
        return ""
    return render_template("trials/_facts.html", facts=found, material=profiles.card(workshop(), profile).material)


@pages.post("/profiles/<int:profile>/ways")
def begin(profile: int) -> ResponseReturnValue:
    """Go one of them."""
    slugs, _ = _asked(request.form)
    try:
        ways.begin(workshop(), profile, request.form.get("way", ""), slugs)
    except InvalidInput as error:
        return _offers(profile, plain_words(error)), 422
    return redirect(url_for("profiles.show", number=profile, _anchor="way"))


@pages.post("/profiles/<int:profile>/ways/leave")
def leave(profile: int) -> ResponseReturnValue:
    """Leave it; what was found stays."""
    ways.leave(workshop(), profile)
    return redirect(url_for("profiles.show", number=profile))
