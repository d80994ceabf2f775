"""How numbers, moments and words are written on pages."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from datetime import UTC, datetime, time, timedelta
from typing import Any
from urllib.parse import urlencode

from flask import Flask
from markupsafe import Markup, escape

from drumbo.core.catalogue import BY_KEY, RESIN, Parameter
from drumbo.core.counted import counted
from drumbo.core.fit.ordinal import USUAL, Leaning
from drumbo.core.piece import Jaw
from drumbo.core.processes import FAMILY_NAMES
from drumbo.core.profile import Dependency, OriginKind, Value
from drumbo.core.run import Heaters
from drumbo.core.sure import half_90
from drumbo.web.written import time_of_day

_MONTHS = "Jan Feb Mar Apr May Jun Jul Aug Sep Oct Nov Dec".split()
HEATING_S = 240.0
"""So long a printer heats before it begins, about."""


def duration(seconds: float) -> str:
    """Hours and minutes, or minutes, or seconds."""
    minutes = round(seconds / 60)
    if minutes >= 60:
        return f"{minutes // 60} h {minutes % 60:02d}"
    return f"{minutes} min" if minutes else f"{round(seconds)} s"


def clock(seconds: float) -> str:
    """Time to the second, for comparing: 1 h 02 min, 5 min 16 s, 12 s."""
    whole = round(seconds)
    if whole >= 3600:
        return f"{whole // 3600} h {whole % 3600 // 60:02d} min"
    return f"{whole // 60} min {whole % 60:02d} s" if whole >= 60 else f"{whole} s"


def grams(value: float) -> str:
    """Grams to a tenth."""
    return f"{value:.1f} g"


def money(value: float | None, currency: str) -> str:
    """Money to the cent; a dash where no price is known."""
    return "no price" if value is None else f"{currency} {value:.2f}"


def day(moment: datetime | None) -> str:
    """Today, yesterday, or a date."""
    if moment is None:
        return ""
    local, today = moment.astimezone(), datetime.now(UTC).astimezone()
    past = (today.date() - local.date()).days
    if past == 0:
        return f"today {time_of_day(local)}"
    if past == 1:
        return "yesterday"
    year = f" {local.year}" if local.year != today.year else ""
    return f"{local.day} {_MONTHS[local.month - 1]}{year}"


def done_by(seconds: float, now: datetime | None = None) -> str:
    """When a print that is begun now is done, and until when it may begin to be done by midnight.

    >>> from datetime import datetime
    >>> done_by(5400, datetime(2026, 11, 3, 19, 2))
    'Begun now, it is done at about 20:40; begun before 22:25, by midnight.'
    >>> done_by(5400, datetime(2026, 11, 3, 23, 0))
    'Begun now, it is done at about 00:40 tomorrow.'
    """
    here = now or datetime.now(UTC).astimezone().replace(tzinfo=None)
    lasts = timedelta(seconds=seconds + HEATING_S)
    end, midnight = _five(here + lasts, up=True), datetime.combine(here.date() + timedelta(days=1), time())
    days = (end.date() - here.date()).days
    day_after = "" if not days else " tomorrow" if days == 1 else f" in {days} days"
    told = f"Begun now, it is done at about {time_of_day(end)}{day_after}"
    if end < midnight:
        told += f"; begun before {time_of_day(_five(midnight - lasts, up=False))}, by midnight"
    return f"{told}."


def _five(moment: datetime, *, up: bool) -> datetime:
    """To the next five minutes, or the last."""
    over = timedelta(minutes=moment.minute % 5, seconds=moment.second, microseconds=moment.microsecond)
    return moment - over + (timedelta(minutes=5) if up and over else timedelta())


def shown(value: Value | None, key: str) -> str:
    """A profile's number as its parameter is printed, or the word that a 0 stands for."""
    if value is None:
        return "none"
    if value.number == 0 and key in BY_KEY and BY_KEY[key].zero:
        return BY_KEY[key].zero
    return BY_KEY[key].show(value.number) if key in BY_KEY else f"{value.number:g}"


def plus_minus(value: Value, key: str) -> str:
    """The error with its sign, or nothing."""
    if value.error is None:
        return ""
    return f"± {BY_KEY[key].show_error(value.error) if key in BY_KEY else format(half_90(value.error), '.1g')}"


RUNS = 0.2
"""Scores that somebody may differ by without a word."""


def runs(leaning: Leaning) -> str:
    """How somebody scores, in words."""
    if leaning == USUAL:
        return ""
    if abs(leaning.mean) < RUNS:
        return "scores as most do"
    way = "lower" if leaning.mean < 0 else "higher"
    return f"scores about {abs(leaning.mean):.1f} {way} than most, by earlier trials"


_HEATERS: dict[str, str] = {
    Heaters.OFF: "Heaters are off; the printer confirms it.",
    Heaters.TOLD: "Heaters were switched off, but the printer does not confirm it. Go and look now.",
    Heaters.GONE: "The connection is gone. Switch the printer off at its plug.",
    Heaters.UNKNOWN: "It may still be hot. Go and look now.",
    Heaters.ASKING: "Asking the printer …",
    Heaters.UNTOUCHED: "Nothing was sent, so nothing was heated.",
}
_LAMP: dict[str, str] = {
    Heaters.OFF: "",
    Heaters.TOLD: "The printer does not confirm that it has stopped. Go and look now.",
    Heaters.GONE: "The connection is gone. Go and look now.",
    Heaters.UNKNOWN: "It may still print. Go and look now.",
}


def heaters(known: str, process: str) -> str:
    """What is known of a printer's heaters after a print, in a sentence or two."""
    return (_LAMP if process == RESIN else _HEATERS).get(known, "")


def along(law: Dependency) -> list[float]:
    """Where a law is shown: its measured ends and half-way between."""
    return [law.low, (law.low + law.high) / 2, law.high]


def state_of(value: Value) -> str:
    """The class that gives a value's mark its shape."""
    if value.recheck:
        return "recheck"
    return {OriginKind.TRIAL: "measured", OriginKind.HAND: "hand", OriginKind.COPY: "hand"}.get(
        value.origin.kind, "start"
    )


def words_of(parameter: Parameter) -> str:
    """All words by which a line of the ledger is found, in small letters."""
    said = (
        parameter.name,
        *parameter.also_called,
        parameter.unit,
        parameter.too_low,
        parameter.too_high,
        parameter.help,
    )
    return " ".join(said).lower()


def family_name(key: str) -> str:
    """The family's name."""
    return FAMILY_NAMES.get(key, key)


def of_process(numbered: Iterable[tuple[int, Any]], process: str) -> list[tuple[int, Any]]:
    """Those of numbered printers or materials that are of a process."""
    return [(number, each) for number, each in numbered if each.process == process]


def plain(number: float | None) -> str:
    """A number without needless zeros."""
    return "" if number is None else f"{number:g}"


def as_choice(value: object) -> Markup:
    """Text for an attribute's value."""
    return escape("" if value is None else f"{value:g}" if isinstance(value, float) else str(value))


def jaw_heights(jaws: Iterable[Jaw]) -> dict[str, tuple[float, str]]:
    """Height of every place to measure, mm, and the tool for it, by "measure step site"."""
    return {f"{jaw.measure} {jaw.step} {jaw.site}": (round(jaw.z, 3), jaw.tool) for jaw in jaws}


def jaw_path(jaw: Jaw) -> str:
    """A place to measure on the drawing: a line between the jaws, a box for what lies on a scale."""
    (ax, ay), (bx, by) = ((at[0], -at[1]) for at in (jaw.a, jaw.b))
    if jaw.tool == "scale":
        return f"M{ax:.2f} {ay:.2f}H{bx:.2f}V{by:.2f}H{ax:.2f}Z"
    return f"M{ax:.2f} {ay:.2f}L{bx:.2f} {by:.2f}"


def query(plan: Mapping[str, object]) -> str:
    """A plan as the query of an address; what is empty is left out."""
    return urlencode({key: value for key, value in plan.items() if value is not None})


def register(app: Flask) -> None:
    """Make them known to templates."""
    for function in (
        duration,
        done_by,
        clock,
        grams,
        of_process,
        money,
        day,
        shown,
        plus_minus,
        runs,
        words_of,
        along,
        state_of,
        heaters,
        family_name,
        plain,
        as_choice,
        jaw_heights,
        jaw_path,
        query,
    ):
        app.add_template_filter(function)
    app.jinja_env.globals |= {"catalogue": BY_KEY, "counted": counted}
