"""At a printer that does not print: by hand within its limits, and filament changed step by step."""

from __future__ import annotations

from flask import Blueprint, Response, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from drumbo.core.catalogue import FILAMENT
from drumbo.core.errors import DrumboError, InvalidInput, NotNow
from drumbo.core.fields import number as number_of
from drumbo.core.filament_change import ChangeStep
from drumbo.services import filament as service
from drumbo.services import hand_session
from drumbo.services import loaded as loaded_service
from drumbo.services import queue as files
from drumbo.services import workshop as places
from drumbo.services.hand_session import Hand
from drumbo.web.views.common import plain_words, room, typed, typed_layer, whole, workshop

pages = Blueprint("hand", __name__)

NAMES = {
    ChangeStep.HEAT: "Heat", ChangeStep.OUT: "Pull out", ChangeStep.PUT_IN: "Put in", ChangeStep.LOAD: "Feed",
    ChangeStep.CLEAN: "Clean", ChangeStep.WIPE: "Wipe",
}  # fmt: skip
PRESSES = {
    ChangeStep.HEAT: ("Pull the old filament out", ""),
    ChangeStep.OUT: ("It is out", "Pull 40 mm more"),
    ChangeStep.PUT_IN: ("It is in: feed it", ""),
    ChangeStep.LOAD: ("It comes out", "Feed 20 mm more"),
    ChangeStep.CLEAN: ("The colour is clean", "Feed 20 mm more"),
    ChangeStep.WIPE: ("Done", ""),
}
"""What is pressed at each step to go on, and to have it once more."""
ASKED = {"heat": ("nozzle_c",), "bed": ("bed_c",), "feed": ("length_mm", "speed_mm_s"), "fan": ("fan_percent",),
         "place": ("x", "y", "z"), "home": (), "off": ()}  # fmt: skip
"""By what is done, the fields that it takes."""


@pages.get("/printers/<int:number>/hand")
def show(number: int) -> ResponseReturnValue:
    going = service.latest_change(workshop(), number)
    if going is not None and request.args.get("change") != "other":
        return redirect(url_for("hand.change", number=going))
    return _page(number)


def _page(number: int, problem: str = "", status: int = 200) -> ResponseReturnValue:
    printer = places.printer(workshop(), number)
    spools = [(key, made) for key, made in places.materials(workshop()) if made.process == FILAMENT]
    hand = hand_session.hand_of(workshop(), hand_session.session_of(workshop(), number))
    page = render_template(
        "printers/hand.html", printer=printer, number=number, spools=spools, hand=hand, problem=problem,
        loaded=loaded_service.loaded(workshop(), number), typed=typed() if request.method == "POST" else {},
        wanted=whole(request.values.get("material")), key=_key(hand),
    )  # fmt: skip
    return page, status


def _key(hand: Hand) -> str:
    """What the page's buttons hang on: where it is another, the page comes anew."""
    return f"{int(hand.on)}{int(bool(hand.doing))}"


@pages.get("/printers/<int:number>/hand/status")
def status(number: int) -> ResponseReturnValue:
    hand = hand_session.hand_of(workshop(), hand_session.session_of(workshop(), number))
    return _status(hand, _key(hand))


def _status(hand: Hand, key: str) -> ResponseReturnValue:
    if request.args.get("key") != key:
        return Response(headers={"HX-Refresh": "true"})
    return render_template("printers/_hand_status.html", hand=hand)


@pages.post("/printers/<int:number>/hand/begin")
def begin(number: int) -> ResponseReturnValue:
    try:
        room().begin_by_hand(number)
    except DrumboError as error:
        return _page(number, plain_words(error), 409)
    return redirect(url_for("hand.show", number=number, change="other"))


@pages.post("/printers/<int:number>/hand/do/<any(heat, bed, feed, home, place, fan, off):what>")
def do(number: int, what: str) -> ResponseReturnValue:
    """One thing by hand; what cannot be is told beside the fields, which keep what was typed."""
    try:
        values = [number_of(key, str(typed().get(key) or "")) for key in ASKED[what]]
        room().runs.hand(hand_session.session_of(workshop(), number), " ".join([what, *(f"{v:g}" for v in values)]))
    except DrumboError as error:
        return _page(number, plain_words(error), 409)
    return redirect(url_for("hand.show", number=number, change="other"))


@pages.post("/printers/<int:number>/hand/end")
def end(number: int) -> ResponseReturnValue:
    service.end(room(), hand_session.session_of(workshop(), number))
    return redirect(url_for("hand.show", number=number, change="other"))


@pages.post("/printers/<int:number>/looked-at")
def looked_at(number: int) -> ResponseReturnValue:
    """Somebody has looked at a printer of which nobody knew that it is cold."""
    hand_session.looked_at(workshop(), number)
    return redirect(url_for("bench.show"))


@pages.post("/printers/<int:number>/loaded")
def loaded(number: int) -> ResponseReturnValue:
    """Somebody says what is in it."""
    loaded_service.set_loaded(workshop(), number, whole(request.form.get("material")) or None)
    return redirect(url_for("hand.show", number=number, change="other"))


@pages.post("/printers/<int:number>/filament")
def change_filament(number: int) -> ResponseReturnValue:
    try:
        made = service.begin(workshop(), room(), number, whole(request.form.get("material")))
    except (InvalidInput, NotNow) as error:
        return _page(number, plain_words(error), 409)
    return redirect(url_for("hand.change", number=made))


@pages.post("/trials/<int:number>/queue")
def add_to_queue(number: int) -> ResponseReturnValue:
    """Its file waits for its printer."""
    files.add(workshop(), number, typed_layer(typed().get("pause_layer", "")))
    return redirect(url_for("trials.leaf", number=number, leaf="print"))


@pages.post("/queue/<int:number>/remove")
def remove_from_queue(number: int) -> ResponseReturnValue:
    files.remove(workshop(), number)
    if trial := whole(request.form.get("trial")):
        return redirect(url_for("trials.leaf", number=trial, leaf="print"))
    printer = whole(request.form.get("printer"))
    return redirect(url_for("printers.show", number=printer) if printer else url_for("bench.show"))


@pages.post("/printers/<int:number>/plate-is-clear")
def plate_is_clear(number: int) -> ResponseReturnValue:
    """The first that waits is printed."""
    trial = files.plate_is_clear(workshop(), room(), number)
    return redirect(url_for("trials.leaf", number=trial, leaf="print"))


@pages.get("/changes/<int:number>")
def change(number: int) -> ResponseReturnValue:
    return _change(number)


def _change(number: int, problem: str = "", status: int = 200) -> ResponseReturnValue:
    found = service.change(workshop(), number)
    names = [(step, NAMES[step]) for step in found.steps]
    onward, again = PRESSES.get(found.step, ("", ""))
    if found.step is ChangeStep.HEAT and found.plan.old_c is None:
        onward = "It is hot"
    page = render_template(
        "printers/change.html", change=found, hand=found.hand, names=names, problem=problem, onward=onward, again=again,
        key=_change_key(found),
    )  # fmt: skip
    return page, status


def _change_key(found: service.ChangePage) -> str:
    return f"{found.step}{int(found.ready)}{_key(found.hand)}"


@pages.get("/changes/<int:number>/status")
def change_status(number: int) -> ResponseReturnValue:
    found = service.change(workshop(), number)
    return _status(found.hand, _change_key(found))


@pages.post("/changes/<int:number>/press/<any(next, again):action>")
def press(number: int, action: str) -> ResponseReturnValue:
    try:
        service.press(workshop(), room(), number, action)
    except NotNow as error:
        if service.change(workshop(), number).hand.doing:
            # Pressed twice: the page that comes says what the printer is at.
            return redirect(url_for("hand.change", number=number))
        return _change(number, plain_words(error), 409)
    return redirect(url_for("hand.change", number=number))


@pages.post("/changes/<int:number>/lift")
def lift(number: int) -> ResponseReturnValue:
    try:
        service.lift(workshop(), room(), number)
    except NotNow as error:
        return _change(number, plain_words(error), 409)
    return redirect(url_for("hand.change", number=number))


@pages.post("/changes/<int:number>/heat-again")
def heat_again(number: int) -> ResponseReturnValue:
    try:
        service.heat_again(workshop(), room(), number)
    except DrumboError as error:
        return _change(number, plain_words(error), 409)
    return redirect(url_for("hand.change", number=number))


@pages.post("/changes/<int:number>/drop")
def drop(number: int) -> ResponseReturnValue:
    found = service.change(workshop(), number)
    service.drop(workshop(), room(), number)
    return redirect(url_for("hand.show", number=found.printer_id, change="other"))
