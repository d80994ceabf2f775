"""One set of pages for every kind of trial: four leaves that turn in order."""

from __future__ import annotations

import contextlib
import json
from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from flask import Blueprint, Response, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from drumbo.core.errors import DrumboError, InvalidInput, NotFound, NotNow
from drumbo.core.fields import number as number_of
from drumbo.core.processes import process
from drumbo.services import adopting, handing, pictures, prior, reading, simulated
from drumbo.services import live as live_service
from drumbo.services import trials as service
from drumbo.services.loaded import another_is_loaded
from drumbo.trials.enough import hardly_matters
from drumbo.trials.trial import TrialState
from drumbo.web.figure import piece_picture
from drumbo.web.live import live_words, over_words
from drumbo.web.trial_page import closed, trial_page
from drumbo.web.views.common import plain_words, room, typed, typed_layer, whole, workshop

pages = Blueprint("trials", __name__)

PLAN_WIDTH = 420.0


@pages.route("/profiles/<int:profile>/trials/new/<slug>", methods=["GET", "POST"])
def new(profile: int, slug: str) -> ResponseReturnValue:
    pair = _pair()
    if request.method == "GET":
        given = {key: value for key, value in request.args.items() if key != "pair"}
        draft = service.draft(workshop(), profile, slug, given or None, pair)
        return render_template("trials/new.html", profile=profile, slug=slug, pair=pair, **_draft_page(draft))
    try:
        made = service.create(workshop(), profile, slug, typed(), pair)
    except InvalidInput as error:
        draft = service.draft(workshop(), profile, slug, typed(), pair)
        problems = {**draft.problems, **error.problems}
        page = render_template(
            "trials/new.html", profile=profile, slug=slug, pair=pair, problems=problems, **_draft_page(draft)
        )
        return page, 422
    return redirect(url_for("trials.leaf", number=made, leaf="print"))


@pages.post("/profiles/<int:profile>/trials/new/<slug>/look")
def look(profile: int, slug: str) -> ResponseReturnValue:
    """What stands beside the fields while they are filled in. The fields themselves are left alone: someone types."""
    pair = _pair()
    draft = service.draft(workshop(), profile, slug, typed(), pair)
    return render_template("trials/_plan_look.html", profile=profile, slug=slug, pair=pair, **_draft_page(draft))


@pages.post("/profiles/<int:profile>/trials/new/<slug>/estimate")
def estimate(profile: int, slug: str) -> ResponseReturnValue:
    try:
        facts = service.estimate(workshop(), profile, slug, typed(), _pair())
    except InvalidInput:
        return ""
    draft = service.draft(workshop(), profile, slug, typed(), _pair())
    return render_template("trials/_facts.html", facts=facts, material=draft.context.material)


def _pair() -> int | None:
    """The pair that the trial is planned for; it stands in the address."""
    return whole(request.args.get("pair")) or None


def _draft_page(draft: service.Draft) -> dict[str, Any]:
    before = prior.found_before(workshop(), draft.card.id, draft.kind.sets[0])
    return {"draft": draft, "before": before, **_draft_picture(draft)}


def _draft_picture(draft: service.Draft) -> dict[str, Any]:
    if draft.drawing is None:
        return {"picture": None}
    rows = len(draft.drawing.places)
    picture = piece_picture(draft.drawing, None, (0, 0), row_px=min(46.0, 440 / rows), most_px=PLAN_WIDTH, least_px=0)
    return {"picture": picture, "drawing": draft.drawing}


@pages.get("/trials/<int:number>")
def show(number: int) -> ResponseReturnValue:
    sheet = service.sheet(workshop(), number)
    leaf = {TrialState.PLANNED: "print", TrialState.PRINTED: "read"}.get(sheet.state, "adopt")
    return redirect(url_for("trials.leaf", number=number, leaf=leaf))


@pages.get("/trials/<int:number>/<any(plan, print, read, adopt):leaf>")
def leaf(number: int, leaf: str) -> ResponseReturnValue:
    sheet = service.sheet(workshop(), number)
    why_not = closed(sheet, leaf)
    if why_not:
        raise NotNow(why_not)
    page = trial_page(sheet, leaf).render(f"trials/{leaf}.html")
    # What is scored here is kept at once: going back must not show it as it was before.
    return Response(page, headers={"Cache-Control": "no-store"})


@pages.get("/trials/<int:number>/file.<any(gcode, zip):ending>")
def printed_file(number: int, ending: str) -> Response:
    """What goes to the printer, as its process has it."""
    sheet = service.sheet(workshop(), number)
    mine = process(sheet.kind.process)
    if ending != mine.file_ending:
        raise NotFound(f"this trial's file ends in .{mine.file_ending}")
    name = f"trial-{number}-{sheet.kind.slug}.{ending}"
    return Response(
        handing.file_with_pause(workshop(), number, typed_layer(request.args.get("pause_layer", ""))),
        mimetype=mine.mime,
        headers={"Content-Disposition": f'attachment; filename="{name}"'},
    )


@pages.get("/trials/<int:number>/piece.<any(stl, '3mf'):ending>")
def mesh(number: int, ending: str) -> Response:
    return Response(
        service.mesh(workshop(), number, ending),
        mimetype=f"model/{ending}",
        headers={"Content-Disposition": f'attachment; filename="trial-{number}.{ending}"'},
    )


def _refused(sheet: service.TrialSheet, error: DrumboError, pace: Mapping[str, str] | None = None) -> str:
    """The Print leaf, with why not and what was typed."""
    layer = typed().get("pause_layer", "")
    page = replace(
        trial_page(sheet, "print"), refused=plain_words(error), pause_layer=layer, asked_pace=pace or {}
    )  # fmt: skip
    return page.render("trials/print.html")


@pages.post("/trials/<int:number>/start")
def start(number: int) -> ResponseReturnValue:
    try:
        if "loaded" not in typed():
            _same_is_loaded(number)
        room().start(number, [layer] if (layer := typed_layer(typed().get("pause_layer", ""))) else [])
    except DrumboError as error:
        return _refused(service.sheet(workshop(), number), error), 409
    return redirect(url_for("trials.leaf", number=number, leaf="print"))


@pages.post("/trials/<int:number>/stop")
def stop(number: int) -> ResponseReturnValue:
    sheet = service.sheet(workshop(), number)
    if sheet.run is not None and sheet.run.running:
        # One that has ended by itself meanwhile is told on the page that comes.
        with contextlib.suppress(NotNow):
            room().stop(sheet.run.id)
    return redirect(url_for("trials.leaf", number=number, leaf="print"))


def _same_is_loaded(number: int) -> None:
    """NotNow where another spool is in the printer than the trial wants, and nobody said that it was changed."""
    card = service.sheet(workshop(), number).card
    other = another_is_loaded(workshop(), card.printer_id, card.material_id)
    if other is not None:
        raise NotNow(f"{other.name} is loaded on {card.printer.name}, and this wants {card.material.name}")


@pages.post("/trials/<int:number>/pause")
def pause(number: int) -> ResponseReturnValue:
    """Have it rest at the next travel."""
    sheet = service.sheet(workshop(), number)
    if sheet.run is not None and sheet.run.running:
        with contextlib.suppress(NotNow):
            room().pause(sheet.run.id)
    return redirect(url_for("trials.leaf", number=number, leaf="print"))


@pages.post("/trials/<int:number>/pace")
def pace(number: int) -> ResponseReturnValue:
    """Slower or faster, more or less flow, from here on."""
    sheet = service.sheet(workshop(), number)
    try:
        speed, flow = (number_of(key, typed().get(key, "")) for key in ("speed", "flow"))
        if sheet.run is not None and sheet.run.running:
            room().change_pace(sheet.run.id, speed, flow)
    except (InvalidInput, NotNow) as error:
        return _refused(sheet, error, typed()), 409
    return redirect(url_for("trials.leaf", number=number, leaf="print"))


@pages.post("/trials/<int:number>/go-on")
def go_on(number: int) -> ResponseReturnValue:
    """The printer waits for somebody, who is here."""
    sheet = service.sheet(workshop(), number)
    if sheet.run is not None and sheet.run.running:
        with contextlib.suppress(NotNow):
            room().go_on(sheet.run.id)
    return redirect(url_for("trials.leaf", number=number, leaf="print"))


@pages.get("/trials/<int:number>/live")
def live(number: int) -> ResponseReturnValue:
    """How its print stands, in few bytes: pages that look on ask every second."""
    found = live_service.live(workshop(), number)
    told = live_words(found) if found is not None else over_words(service.sheet(workshop(), number).run)
    return Response(json.dumps(told, ensure_ascii=False, separators=(",", ":")), mimetype="application/json")


@pages.get("/trials/<int:number>/live/layers/<int:which>")
def live_layer(number: int, which: int) -> Response:
    """The lines of one layer, for the drawing; a trial's file never changes."""
    found = live_service.layer_lines(workshop(), number, which)
    return Response(json.dumps(found, separators=(",", ":")), mimetype="application/json",
                    headers={"Cache-Control": "private, max-age=3600"})  # fmt: skip


@pages.post("/trials/<int:number>/<any(put, upload):how>")
def hand_over(number: int, how: str) -> ResponseReturnValue:
    """Its file into the printer's folder, or to its address."""
    hand = handing.put_on_card if how == "put" else handing.upload_to_printer
    try:
        hand(workshop(), number, typed_layer(typed().get("pause_layer", "")))
    except DrumboError as error:
        return _refused(service.sheet(workshop(), number), error), 409
    return redirect(url_for("trials.leaf", number=number, leaf="print"))


@pages.post("/trials/<int:number>/printed")
def printed(number: int) -> ResponseReturnValue:
    service.printed_by_hand(workshop(), number)
    return redirect(url_for("trials.leaf", number=number, leaf="read"))


@pages.post("/trials/<int:number>/score")
def score(number: int) -> ResponseReturnValue:
    form = request.form
    value = form.get("score", "")
    given = whole(value) if value.isdecimal() else None
    reading.score(workshop(), number, form.get("aspect", ""), form.get("step", -1, int), given)
    return _verdict(number)


@pages.post("/trials/<int:number>/measure")
def measure(number: int) -> ResponseReturnValue:
    form = request.form
    reading.measure(
        workshop(), number, form.get("measure", ""), form.get("step", -1, int), form.get("site", ""),
        form.get("number", ""),
    )  # fmt: skip
    return _verdict(number)


@pages.post("/trials/<int:number>/first")
def first(number: int) -> ResponseReturnValue:
    step = reading.first(workshop(), number, request.form.get("first", ""), request.form.get("step", ""))
    page = _verdict(number)
    return page, {"X-Step": "" if step is None else str(step)}


@pages.post("/trials/<int:number>/pick")
def pick(number: int) -> ResponseReturnValue:
    reading.pick(workshop(), number, request.form.get("step", None, int))
    return _verdict(number)


def _verdict(number: int) -> str:
    sheet = service.sheet(workshop(), number)
    return replace(trial_page(sheet, "read"), swap=True).render("trials/_verdict.html")


@pages.get("/trials/<int:number>/enough")
def enough(number: int) -> str:
    """Whether one may stop scoring; asked for once the score is kept and shown, as it takes several fits."""
    sheet = service.sheet(workshop(), number)
    if not hardly_matters(sheet.kind, sheet.plan, sheet.readings, sheet.result):
        return ""
    return "You may stop here: what is not scored yet would hardly change it."


@pages.post("/trials/<int:number>/choice")
def choice(number: int) -> ResponseReturnValue:
    for field, value in typed().items():
        reading.set_choice(workshop(), number, field, value)
    return redirect(url_for("trials.leaf", number=number, leaf="read"))


@pages.post("/trials/<int:number>/reader")
def reader(number: int) -> ResponseReturnValue:
    reading.set_reader(workshop(), number, request.form.get("reader", ""))
    return redirect(url_for("trials.leaf", number=number, leaf="read"))


@pages.post("/trials/<int:number>/note")
def note(number: int) -> ResponseReturnValue:
    reading.set_note(workshop(), number, request.form.get("note", ""))
    return redirect(url_for("trials.leaf", number=number, leaf="read"))


@pages.post("/trials/<int:number>/eye")
def eye(number: int) -> ResponseReturnValue:
    simulated.simulated_readings(workshop(), number)
    return redirect(url_for("trials.leaf", number=number, leaf="read"))


@pages.post("/trials/<int:number>/photos")
def photos(number: int) -> ResponseReturnValue:
    files = [f for f in request.files.getlist("photo") if f.filename]
    try:
        if not files:
            raise InvalidInput("photo", "choose a picture first")
        for file in files:
            pictures.add_picture(workshop(), number, file.read())
    except InvalidInput as error:
        sheet = service.sheet(workshop(), number)
        page = replace(trial_page(sheet, "read"), photo_problem=plain_words(error))
        return page.render("trials/read.html"), 422
    return redirect(url_for("trials.leaf", number=number, leaf="read"))


@pages.post("/trials/<int:number>/photographed/forget")
def photo_forgotten(number: int) -> ResponseReturnValue:
    """What photos told does not count any more."""
    reading.take_photo(workshop(), number, ())
    return redirect(url_for("trials.leaf", number=number, leaf="read"))


@pages.post("/trials/<int:number>/history")
def history(number: int) -> ResponseReturnValue:
    """Whether what earlier spools came to has a say in the result."""
    adopting.let_history_speak(workshop(), number, has_say=typed().get("say") == "1")
    return redirect(url_for("trials.leaf", number=number, leaf="adopt"))


@pages.post("/trials/<int:number>/adopt")
def adopt(number: int) -> ResponseReturnValue:
    revision = adopting.adopt(workshop(), number)
    sheet = service.sheet(workshop(), number)
    if not revision:
        return redirect(url_for("trials.leaf", number=number, leaf="adopt"))
    return redirect(url_for("profiles.show", number=sheet.card.id, adopted=number))


@pages.post("/trials/<int:number>/take-back")
def take_back(number: int) -> ResponseReturnValue:
    adopting.take_back(workshop(), number)
    return redirect(url_for("trials.leaf", number=number, leaf="adopt"))


@pages.post("/trials/<int:number>/tell")
def tell(number: int) -> ResponseReturnValue:
    """Send an adopted printer value over the link; what came of it shows on the page."""
    why_not = closed(service.sheet(workshop(), number), "adopt")
    if why_not:
        raise NotNow(why_not)
    told = refused = ""
    try:
        told = adopting.tell_printer(workshop(), number)
    except DrumboError as error:
        refused = plain_words(error)
    page = replace(trial_page(service.sheet(workshop(), number), "adopt"), told=told, refused=refused)
    return page.render("trials/adopt.html"), 409 if refused else 200
