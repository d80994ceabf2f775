"""How this browser writes what it shows: a decimal point or comma, twenty-four hours or twelve, °F beside °C.

It is a matter of the browser's, kept in a cookie: the workshop holds numbers, whoever looks at them. What is meant for
a slicer or a printer (code, sheets, files) is written as they take it, whatever was chosen: it stands in `code`, or in
something that says `translate="no"`. What is typed is understood either way, always.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime

from flask import Flask, Response, g, has_request_context, request

from drumbo.core.errors import InvalidInput

COOKIE = "drumbo-writes"
CHOICES: dict[str, dict[str, str]] = {
    "decimal": {"point": "0.965", "comma": "0,965"},
    "clock": {"24": "15:40", "12": "3:40 pm"},
    "degrees": {"c": "215 °C", "both": "215 °C (419 °F)"},
}
"""What can be chosen of each; the first is what is written unless somebody chose."""

_TAG = re.compile(r"<!--.*?-->|<(/?)([a-zA-Z][\w-]*)((?:[^<>\"']|\"[^\"]*\"|'[^']*')*)>", re.DOTALL)
_AS_IT_IS = frozenset({"code", "pre", "kbd", "samp", "script", "style", "textarea"})
_VOID = frozenset({"input", "img", "br", "hr", "link", "meta", "source", "wbr"})
_POINT = re.compile(r"(?<![\w.,])(\d+)\.(\d+)(?!\w|[.,]\w)")
_SAID = re.compile(r'(?<![\w-])(?:aria-label|title|alt|placeholder)="[^"]*"')
_VALUE = re.compile(r'(?<![\w-])value="(-?\d+)\.(\d+)"')


@dataclass(frozen=True, slots=True)
class Writing:
    """A choice of each of `CHOICES`."""

    decimal: str = "point"
    clock: str = "24"
    degrees: str = "c"


def from_choices(chosen: Mapping[str, str]) -> Writing:
    """What was chosen in a form; InvalidInput where something is not offered."""
    for key, offered in CHOICES.items():
        if chosen.get(key) not in offered:
            raise InvalidInput(key, "choose one of those that are offered")
    return Writing(**{key: chosen[key] for key in CHOICES})


def as_cookie(writing: Writing) -> str:
    """The choices as a cookie keeps them."""
    return ".".join(getattr(writing, key) for key in CHOICES)


def writing() -> Writing:
    """How this browser writes; as most slicers do outside of a request, or where its cookie says nothing sensible."""
    if not has_request_context():
        return Writing()
    if "writing" not in g:
        kept = dict(zip(CHOICES, request.cookies.get(COOKIE, "").split("."), strict=False))
        try:
            g.writing = from_choices(kept)
        except InvalidInput:
            g.writing = Writing()
    found: Writing = g.writing
    return found


def time_of_day(moment: datetime) -> str:
    """Hours and minutes.

    >>> time_of_day(datetime(2026, 11, 3, 15, 40))
    '15:40'
    """
    if writing().clock == "24":
        return f"{moment:%H:%M}"
    return f"{moment.hour % 12 or 12}:{moment:%M} {'am' if moment.hour < 12 else 'pm'}"


def beside(number: float | None, unit: str) -> str:
    """A temperature in °F too, for those who chose so: " (419 °F)"; for all else nothing."""
    if number is None or unit != "°C" or writing().degrees != "both":
        return ""
    return f" ({number * 9 / 5 + 32:.0f} °F)"


def with_commas(html: str) -> str:
    """The same page with decimal commas wherever a person reads a number, and nowhere else.

    >>> with_commas('<p title="0.4 mm">K0.04 is <b>0.965</b> by <code>M900 K0.04</code>, 127.0.0.1</p>')
    '<p title="0,4 mm">K0.04 is <b>0,965</b> by <code>M900 K0.04</code>, 127.0.0.1</p>'
    """
    out: list[str] = []
    at, kept, depth = 0, "", 0
    for tag in _TAG.finditer(html):
        text, whole = html[at : tag.start()], tag[0]
        out.append(text if depth else _POINT.sub(r"\1,\2", text))
        at, name = tag.end(), (tag[2] or "").lower()
        if depth:
            if name == kept and not whole.endswith("/>"):
                depth += -1 if tag[1] else 1
        elif name and not tag[1]:
            if name not in _VOID and not whole.endswith("/>") and (name in _AS_IT_IS or 'translate="no"' in whole):
                kept, depth = name, 1
            else:
                whole = _in_attributes(whole, name)
        out.append(whole)
    rest = html[at:]
    out.append(rest if depth else _POINT.sub(r"\1,\2", rest))
    return "".join(out)


def _in_attributes(tag: str, name: str) -> str:
    tag = _SAID.sub(lambda said: _POINT.sub(r"\1,\2", said[0]), tag)
    if name == "input" and 'inputmode="decimal"' in tag:
        tag = _VALUE.sub(r'value="\1,\2"', tag)
    return tag


def write_answers(app: Flask) -> None:
    """Pages go out as the browser that asked for them writes; the choice is known to templates."""
    app.add_template_filter(beside)
    app.jinja_env.globals["writing"] = writing

    @app.after_request
    def write(response: Response) -> Response:
        if response.mimetype == "text/html" and response.is_sequence and writing().decimal == "comma":
            response.set_data(with_commas(response.get_data(as_text=True)))
        return response
