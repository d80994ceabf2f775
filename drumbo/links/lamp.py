"""A resin printer's lamp, lit for a moment so that somebody sees whether all of the screen is: no print is made.

    POST <link>/lamp     {"seconds"}: all pixels, at full power; 409 while it prints, 0 puts it out
    GET  <link>/progress {…, "lit_s"}: how long it stays lit

The printer counts the seconds, so that it goes dark even where nobody can reach it any more. What is told of the lamp
is what the printer says of itself.
"""

from __future__ import annotations

import math

from drumbo.core.errors import LinkError
from drumbo.links.package import package_printer

ANSWERS_S = 5.0


def light_up(url: str, seconds: float) -> float:
    """Light the whole screen for so long, or put it out with 0; how long it stays lit, as the printer says. LinkError
    where it does not, or cannot.
    """
    try:
        package_printer(url).post("/lamp", {"seconds": seconds}, timeout_s=ANSWERS_S)
    except LinkError as error:
        raise LinkError(f"the lamp was not lit: {error}") from error
    left = stays_lit_s(url)
    if left is None:
        raise LinkError("the printer took that and does not say whether its lamp is lit: go and look")
    return left


def stays_lit_s(url: str) -> float | None:
    """How much longer the lamp stays lit, s; 0 where it is dark, None where the printer does not tell. LinkError where
    nothing answers.
    """
    told = package_printer(url).get("/progress", timeout_s=ANSWERS_S).get("lit_s")
    if isinstance(told, bool) or not isinstance(told, (int, float)) or not math.isfinite(told):
        return None
    return max(float(told), 0.0)
