"""Pictures of what was printed: shown, measured between two points, and read by the corners marked in them."""

from __future__ import annotations

import math

from flask import Blueprint, Response, request
from flask.typing import ResponseReturnValue

from drumbo.core.errors import InvalidInput
from drumbo.services import pictures as service
from drumbo.services import sighting, simulated
from drumbo.web.views.common import FOR_GOOD, workshop

pages = Blueprint("pictures", __name__, url_prefix="/pictures")

MOST_CORNERS = 8


@pages.get("/<int:number>")
def image(number: int) -> Response:
    data, mime = service.picture(workshop(), number, request.args.get("side", type=int))
    return Response(data, mimetype=mime, headers={"Cache-Control": FOR_GOOD if "of" in request.args else "no-cache"})


def _finite(number: float) -> float:
    return number if math.isfinite(number) else 0.0


def _points() -> simulated.Points:
    ax, ay, bx, by = (_finite(request.form.get(key, 0.0, float)) for key in ("ax", "ay", "bx", "by"))
    return simulated.Points((ax, ay), (bx, by))


def _corners(typed: str) -> list[tuple[float, float]]:
    """Points written "12.5,30 400,31": as many as there are, few; InvalidInput for anything else."""
    words = typed.split()[: MOST_CORNERS + 1]
    try:
        points = [(float(x), float(y)) for x, y in (word.split(",") for word in words)]
    except ValueError as error:
        raise InvalidInput("corners", "are two numbers each, with a comma between them") from error
    if len(points) > MOST_CORNERS or not all(math.isfinite(number) for point in points for number in point):
        raise InvalidInput("corners", f"are at most {MOST_CORNERS}, and all of them numbers")
    return points


@pages.post("/<int:number>/calliper")
def calliper(number: int) -> ResponseReturnValue:
    """The number between two points of a picture, as JSON for the field that waits."""
    height, tool = request.form.get("z", None, float), request.form.get("tool") or "calliper"
    return {"number": simulated.close_jaws(workshop(), number, _points(), height, tool)}


@pages.post("/<int:number>/read")
def read(number: int) -> ResponseReturnValue:
    """What a photo tells, by the corners that were marked in it, as the page keeps it."""
    return {"read": sighting.read_photo(workshop(), number, _corners(request.form.get("corners", "")))}


@pages.post("/<int:number>/scale")
def scale(number: int) -> ResponseReturnValue:
    points = _points()
    pixels = math.dist(points.a, points.b)
    return {"px_per_mm": service.set_scale(workshop(), number, pixels, request.form.get("length", ""))}
