"""What every page is: one frozen value that holds all that its template shows, under the names by which it does."""

from __future__ import annotations

from dataclasses import dataclass, fields
from typing import Any

from flask import render_template


@dataclass(frozen=True, slots=True)
class Page:
    """A page is a value of its own kind, with these two."""

    def shown(self) -> dict[str, Any]:
        """By name, as templates know it; what is a page of its own within this one is shown with it."""
        names: dict[str, Any] = {}
        for each in fields(self):
            value = getattr(self, each.name)
            names |= value.shown() if isinstance(value, Page) else {each.name: value}
        return names

    def render(self, template: str) -> str:
        """The page, or a part of it."""
        return render_template(template, **self.shown())
