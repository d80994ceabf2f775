"""What a dialect is: words of firmware where firmware differs, to write them and to read them back."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field

from drumbo.core.gcode.command import Command, Words


@dataclass(frozen=True, slots=True)
class Setting:
    """A command that sets one number: `template` writes it from `value`; read back, the number stands under `name` of
    the command `word`.
    """

    template: str
    word: str
    name: str

    def write(self, value: float) -> str:
        """The line that sets it.

        >>> Setting("M900 K{value:.4f}", "M900", "K").write(0.05)
        'M900 K0.0500'
        """
        return self.template.format(value=value)


@dataclass(frozen=True, slots=True)
class Dialect:
    """`pressure_advance` and `extruder_steps` are None where the firmware has no such word, or takes steps from its own
    configuration file; `keep` stores what was set. `own` are words that it understands, or understands otherwise than
    most; a file that uses its `signs` is written for it. `works_out` is whether names in braces are reckoned by the
    firmware itself, `e_apart` whether G90 and G91 leave it to M82 and M83 how E is understood. Choices are shown in
    rising `place`.
    """

    key: str
    name: str
    pressure_advance: Setting | None
    extruder_steps: Setting | None = None
    keep: str | None = None
    place: int = 100
    own: Words = field(default_factory=dict)
    signs: frozenset[str] = frozenset()
    works_out: bool = False
    e_apart: bool = False

    def hits(self, commands: Iterable[Command]) -> int:
        """How many different signs of it a file has."""
        return len({c.word for c in commands if c.word in self.signs})


STEPS = Setting("M92 E{value:.2f}", "M92", "E")
"""Most firmware sets its steps so."""
