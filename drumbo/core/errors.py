"""Every error that Drumbo raises on purpose.

DrumboError
├── InvalidInput   (ValueError)       a field's value cannot be used; names field and remedy
├── GcodeError     (ValueError)       a G-code line cannot be read; names the line
├── NotFound       (LookupError)      nothing stands under that number or name
├── NotNow         (RuntimeError)     right request, wrong moment (a print is running, a leaf not open yet)
└── LinkError      (ConnectionError)  a device does not answer, or answers with an error
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any


class DrumboError(Exception):
    """Root of all errors meant for the user's eyes."""


class InvalidInput(DrumboError, ValueError):
    """One or more fields hold something that cannot be used.

    >>> InvalidInput("step_c", "must be above 0 °C; 5 is usual").problems
    {'step_c': 'must be above 0 °C; 5 is usual'}
    """

    def __init__(self, field: str, message: str) -> None:
        super().__init__(f"{field}: {message}")
        self.problems: dict[str, str] = {field: message}

    def __reduce__(self) -> tuple[Any, ...]:
        """It goes from one process to another with all that it says."""
        return InvalidInput.of, (self.problems,)

    @classmethod
    def of(cls, problems: Mapping[str, str]) -> InvalidInput:
        """Gather the problems of several fields into one error."""
        (field, message), *_ = problems.items()
        error = cls(field, message)
        error.problems = dict(problems)
        error.args = ("; ".join(f"{name}: {text}" for name, text in problems.items()),)
        return error


class GcodeError(DrumboError, ValueError):
    """A line of a G-code file cannot be read. `line` counts from 1; 0 speaks of the whole file."""

    def __init__(self, line: int, reason: str, text: str = "") -> None:
        where = f"line {line}: " if line else ""
        super().__init__(f"{where}{reason}" + (f": {text!r}" if text else ""))
        self.line, self.reason, self.text = line, reason, text


class NotFound(DrumboError, LookupError):
    """Nothing stands under that number or name."""


class NotNow(DrumboError, RuntimeError):
    """The request is right but the moment is not."""


class LinkError(DrumboError, ConnectionError):
    """A device does not answer, or answers with an error."""
