"""Something worth saying about a file."""

from __future__ import annotations

from dataclasses import dataclass

BAD, ODD, NOTE = "bad", "odd", "note"
"""What may spoil a print or a printer; what is odd; and what cannot be known from the file."""


@dataclass(frozen=True, slots=True)
class Remark:
    """Something worth saying. `weight` is one of the three above; `line` 0 is the whole file, `layer` counts from 1, 0
    where it is of none; `share` is how much of the time of all lines it touches; `do` is the remedy; `rule` names the
    question that it answers.
    """

    weight: str
    line: int
    text: str
    layer: int = 0
    share: float = 0.0
    do: str = ""
    rule: str = ""
