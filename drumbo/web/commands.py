"""What can be done from anywhere, by the words that somebody may type for it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from flask import url_for

MOST = 4


@dataclass(frozen=True, slots=True)
class PageCommand:
    """A page where something is done: what it is called, other words for it, and where it is."""

    name: str
    also_called: str
    endpoint: str
    arguments: Mapping[str, Any] = field(default_factory=dict)

    @property
    def address(self) -> str:
        """Of the page."""
        return url_for(self.endpoint, **self.arguments)

    def goes_by(self, words: list[str]) -> bool:
        """Whether each of the words, in small letters, begins a word of it."""
        own = f"{self.name} {self.also_called}".lower().split()
        return all(any(each.startswith(word) for each in own) for word in words)


COMMANDS = (
    PageCommand("Add a spool", "new filament material roll", "materials.new"),
    PageCommand("Add a bottle", "new resin material", "materials.new", {"process": "resin"}),
    PageCommand("Add a filament printer", "new machine device", "printers.new"),
    PageCommand("Add a resin printer", "new machine device lamp screen", "printers.new", {"process": "resin"}),
    PageCommand("Make a profile", "new add calibrate spool", "profiles.new"),
    PageCommand("Import a profile", "load open file from friend", "exchange.bring"),
    PageCommand("Check a file", "open upload g-code gcode view inspect layers", "check.show"),
    PageCommand("Plan the speed of a part", "planner time stl 3mf model", "planner.show"),
    PageCommand("Put two materials in one print", "pair two colours change", "pairs.index"),
    PageCommand("Download a backup", "save archive copy workshop zip", "settings.backup"),
    PageCommand("Choose light or dark", "theme night settings look", "settings.show"),
    PageCommand("Read or print the guide", "help manual how keys", "guide.whole"),
)


def find(text: str) -> list[PageCommand]:
    """Those that go by all the words."""
    words = text.lower().split()[:6]
    return [command for command in COMMANDS if command.goes_by(words)][:MOST] if words else []
