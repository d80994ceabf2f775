"""What views share."""

from __future__ import annotations

from typing import cast

from flask import current_app, request

from drumbo.core.errors import DrumboError, InvalidInput
from drumbo.services.prints import PrintRoom
from drumbo.store.database import Workshop


def workshop() -> Workshop:
    """The workshop that this application serves."""
    return cast("Workshop", current_app.extensions["workshop"])


def room() -> PrintRoom:
    """The prints of this process."""
    return cast("PrintRoom", current_app.extensions["room"])


def typed() -> dict[str, str]:
    """What was typed into the form, without the token."""
    return {key: value for key, value in request.form.items() if key != "csrf_token"}


def plain_words(error: DrumboError) -> str:
    """What went wrong, as a person would say it."""
    return next(iter(error.problems.values())) if isinstance(error, InvalidInput) else str(error)
