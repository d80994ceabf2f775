"""What views share."""

from __future__ import annotations

from typing import cast

from flask import current_app, request

from drumbo.core.errors import DrumboError, InvalidInput
from drumbo.services.prints import PrintManager
from drumbo.store.database import Workshop

LONGEST_NUMBER = 12
FOR_GOOD = "private, max-age=31536000, immutable"
"""What a browser asks for once: its address changes when it does."""


def workshop() -> Workshop:
    """The workshop that this application serves."""
    return cast("Workshop", current_app.extensions["workshop"])


def room() -> PrintManager:
    """The prints of this process."""
    return cast("PrintManager", current_app.extensions["room"])


def typed() -> dict[str, str]:
    """What was typed into the form, without the token; of several ticks under one name all, with commas between."""
    form = request.form
    return {key: ",".join(filter(None, form.getlist(key))) for key in form if key != "csrf_token"}


def whole(text: str | None) -> int:
    """A row's number from an address or a form; 0, which no row has, for anything else."""
    return int(text) if text and text.isdecimal() and text.isascii() and len(text) < LONGEST_NUMBER else 0


def typed_layer(text: str) -> int | None:
    """The layer before which it is to pause, if any; InvalidInput for what is no number."""
    text = text.strip()
    if text and not text.isdecimal():
        raise InvalidInput("pause_layer", "the layer to pause before must be a whole number, or empty")
    return int(text[:9]) if text else None


def plain_words(error: DrumboError) -> str:
    """What went wrong, as a person would say it."""
    return next(iter(error.problems.values())) if isinstance(error, InvalidInput) else str(error)
