"""Printers."""

from __future__ import annotations

from dataclasses import asdict, replace
from dataclasses import fields as dataclass_fields
from typing import Any

from flask import Blueprint, Response, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from drumbo.core.catalogue import FILAMENT
from drumbo.core.errors import InvalidInput, LinkError, NotNow
from drumbo.core.gcode import templates
from drumbo.core.printer import Printer, read_printer
from drumbo.core.processes import PROCESSES, process
from drumbo.core.resin import ResinPrinter
from drumbo.core.run import RunState
from drumbo.services import first, handing, lamp_test, looking, shelf, stills
from drumbo.services import queue as files
from drumbo.services import workshop as service
from drumbo.services.loaded import loaded
from drumbo.services.printer_line import try_link as greeted
from drumbo.trials import kinds_of
from drumbo.web.lamp import lamp_picture
from drumbo.web.meeting import SAVING, meet, shown_as
from drumbo.web.views.common import typed, workshop

OUTCOMES = {
    RunState.SENDING: "printing", RunState.PAUSED: "pausing", RunState.STOPPING: "finishing",
    RunState.HANDED: "handed over", RunState.DONE: "printed", RunState.STOPPED: "stopped",
    RunState.FAILED: "failed", RunState.LOST: "lost",
}  # fmt: skip

pages = Blueprint("printers", __name__, url_prefix="/printers")


@pages.get("/")
def index() -> str:
    return render_template("printers/index.html", printers=service.printers(workshop()))


@pages.route("/new", methods=["GET", "POST"])
def new() -> ResponseReturnValue:
    return _form(None, asdict(process(request.values.get("process", FILAMENT)).printer("")))


@pages.get("/<int:number>")
def show(number: int) -> str:
    printer = service.printer(workshop(), number)
    cards = shelf.find(workshop(), printer=number, size=200).spines
    lit = printer if isinstance(printer, ResinPrinter) else None
    lamp = lit.lamp if lit is not None else None
    return render_template(
        "printers/show.html",
        printer=printer,
        number=number,
        loaded=loaded(workshop(), number),
        queue=files.queue(workshop(), number),
        outcomes=OUTCOMES,
        log=handing.log(workshop(), number),
        cards=cards,
        fields=process(printer.process).printer_fields,
        kinds=[k for k in kinds_of(printer.process).values() if k.scope == "printer"],
        lamp=lamp_picture(lamp, lit.size_mm) if lit is not None and lamp else None,
        advice=lamp.advice if lamp else "",
        lamp_field=lamp_test.SECONDS,
        lamp_usual_s=lamp_test.USUAL_S,
    )


@pages.get("/<int:number>/picture")
def picture(number: int) -> Response:
    """The latest picture of its camera; nothing where that gives none now, which is no fault of the page's."""
    try:
        data, mime = stills.still(workshop(), number)
    except LinkError:
        return Response(status=204)
    return Response(data, mimetype=mime, headers={"Cache-Control": "no-store"})


@pages.route("/<int:number>/edit", methods=["GET", "POST"])
def edit(number: int) -> ResponseReturnValue:
    with SAVING:
        return _form(number, asdict(service.printer(workshop(), number)))


@pages.post("/<int:number>/try")
def try_link(number: int) -> ResponseReturnValue:
    return render_template("_toast.html", text=greeted(workshop(), number), good=True)


@pages.post("/<int:number>/lamp")
def light_lamp(number: int) -> ResponseReturnValue:
    """The whole screen, for some seconds."""
    try:
        now = lamp_test.begin(workshop(), number, dict(request.form), clear="clear" in request.form)
    except InvalidInput as error:
        return render_template("printers/_lamp_test.html", problem=" ".join(error.problems.values()))
    except (LinkError, NotNow) as error:
        return render_template("printers/_lamp_test.html", problem=str(error))
    return render_template("printers/_lamp_test.html", number=number, lamp_now=now)


@pages.get("/<int:number>/lamp")
def lamp(number: int) -> ResponseReturnValue:
    """What the printer says of its lamp."""
    if request.headers.get("Sec-Fetch-Dest") == "document":
        return redirect(url_for("printers.show", number=number))
    return render_template("printers/_lamp_test.html", number=number, lamp_now=lamp_test.now(workshop(), number))


@pages.post("/<int:number>/lamp/out")
def lamp_out(number: int) -> ResponseReturnValue:
    """Dark before its time."""
    return render_template("printers/_lamp_test.html", number=number, lamp_now=lamp_test.out(workshop(), number))


@pages.post("/look-for")
def look_for() -> ResponseReturnValue:
    """Try this machine's ports at the usual speeds; what is typed into the form stays."""
    try:
        found = looking.begin(workshop())
    except NotNow as error:
        return render_template("printers/_looking.html", problem=str(error))
    return render_template("printers/_looking.html", look=found)


@pages.get("/look-for/<name>")
def looked(name: str) -> str:
    return render_template("printers/_looking.html", look=looking.look(workshop(), name))


@pages.post("/look-for/<name>/stop")
def stop_looking(name: str) -> str:
    return render_template("printers/_looking.html", look=looking.stop(workshop(), name))


@pages.get("/<int:number>/copy")
def copy(number: int) -> ResponseReturnValue:
    """A preset of the same machine: the form, filled in with what it has."""
    printer = service.printer(workshop(), number)
    other = "nozzle" if "nozzle" in printer.kind_of_place else "preset"
    values = {**asdict(printer), "machine": printer.machine or printer.name, "name": f"{printer.name}, another {other}"}
    return _form(None, values)


@pages.post("/paste")
def paste() -> ResponseReturnValue:
    """The form, filled in from lines of key and value; nothing is kept yet."""
    values, left = service.paste_printer(request.form.get("lines", ""))
    return _page(None, {**asdict(Printer("")), **values}, {}, pasted=len(values), left=left)


@pages.post("/look")
def look() -> str:
    """Start and end G-code as a file would have them, while they are written."""
    return render_template("printers/_gcode.html", gcode=_look(typed()))


SHOWN_AT = {"nozzle_first_c": 215.0, "nozzle_c": 210.0, "bed_first_c": 60.0, "bed_c": 60.0}


def _look(values: dict[str, Any]) -> templates.FilledTemplate:
    known = {f.name for f in dataclass_fields(Printer)}
    try:
        printer = read_printer({**values, "name": values.get("name") or "-"})
    except InvalidInput:
        texts: dict[str, Any] = {
            key: str(values.get(key) or "") for key in ("start_gcode", "end_gcode") if key in known
        }
        printer = replace(Printer("-"), **texts)
    return templates.look(printer, SHOWN_AT)


def _form(number: int | None, values: dict[str, Any]) -> ResponseReturnValue:
    """Add or save. Where saving marks values of profiles, that is shown first."""
    if request.method == "GET":
        return _page(number, values, {})
    now, values = values, typed()
    values["process"] = str(now.get("process") if number is not None else values.get("process") or FILAMENT)
    meeting = meet(process(values["process"]).printer_fields, values, now)
    if meeting is not None:
        return _page(number, meeting.values, {}, kept=now, meeting=meeting), 409
    try:
        met = [] if number is None or "sure" in values else service.consequences(workshop(), values, number)
        if met:
            return _page(number, values, {}, kept=now, met=met)
        saved = service.save_printer(workshop(), values, number)
    except InvalidInput as error:
        return _page(number, values, error.problems, kept=now), 422
    on_the_way = number is None and not first.first_steps(workshop()).trial
    return redirect(url_for("bench.show") if on_the_way else url_for("printers.show", number=saved))


def _page(
    number: int | None,
    values: dict[str, Any],
    problems: dict[str, str],
    kept: dict[str, Any] | None = None,
    **more: Any,
) -> str:
    """The form. `kept` is what is kept now, where `values` are something else."""
    chosen = process(str(values.get("process") or FILAMENT))
    was = shown_as(chosen.printer_fields, values if kept is None else kept)
    return render_template(
        "printers/form.html", fields=chosen.printer_fields, values=values, problems=problems, number=number,
        gcode=_look(values) if chosen.key == FILAMENT else None, process=chosen,
        others=[p for p in PROCESSES.values() if p.key != chosen.key],
        ports=looking.known_ports() if chosen.key == FILAMENT else [], was=was, **more,
    )  # fmt: skip
