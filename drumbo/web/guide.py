"""The user guide inside the application: the page of docs/guide.md, by sections."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING

from markupsafe import Markup

if TYPE_CHECKING:
    from markdown_it.token import Token

SOURCE = Path(__file__).with_name("guide.md")
MOST_HITS = 4

PLACES = {
    "bench": "the-line", "materials": "printers-and-spools", "printers": "connecting-a-printer",
    "hand": "filament-and-by-hand", "profiles": "the-line", "copying": "for-another-spool-nozzle-or-printer",
    "history": "history", "exchange": "export-share-import", "check": "file-check", "learn": "file-check",
    "pairs": "two-materials", "plates": "several-trials-in-one-print", "planner": "speed-planner",
    "trials": "temperature-tower", "pictures": "temperature-tower", "settings": "settings",
}  # fmt: skip
"""The section that helps on the pages of a blueprint, where nothing is nearer."""


@dataclass(frozen=True, slots=True)
class Section:
    """A section of the guide: its heading, what it says as it is written, and its plain words."""

    slug: str
    title: str
    body: str
    words: str

    @property
    def html(self) -> Markup:
        """What it says, to be shown."""
        return _html(self.body)


@cache
def sections() -> Mapping[str, Section]:
    """All of them by slug, in the guide's order."""
    found = {}
    for part in re.split(r"^## ", SOURCE.read_text(), flags=re.MULTILINE)[1:]:
        title, _, body = part.partition("\n")
        slug = slug_of(title)
        found[slug] = Section(slug, title.strip(), body, f"{title} {body}".lower())
    return found


def slug_of(title: str) -> str:
    """A heading as it stands in an address.

    >>> slug_of("For another spool, nozzle or printer")
    'for-another-spool-nozzle-or-printer'
    """
    return re.sub(r"[^a-z0-9]+", "-", title.lower()).strip("-")


@cache
def _html(text: str) -> Markup:
    # Fetched when somebody reads: no other page waits for it.
    from markdown_it import MarkdownIt  # noqa: PLC0415

    reader = MarkdownIt("commonmark", {"html": False}).enable("table")
    tokens = reader.parse(text)
    for token in tokens:
        token.children = _linked(token.children or []) or token.children
    # Tables may be wider than a phone.
    html = reader.renderer.render(tokens, reader.options, {})
    table = '<div class="guide-table" tabindex="0" role="group" aria-label="Table"><table>'
    html = html.replace("<th></th>", "<td></td>")
    return Markup(html.replace("<table>", table).replace("</table>", "</table></div>"))


def _linked(children: list[Token]) -> list[Token]:
    """Links to other sections lead there; those to pages that are not here become plain words."""
    kept, within = [], False
    for token in children:
        if token.type == "link_open":
            target = str(token.attrs.get("href", ""))
            within = target.startswith("#")
            if within:
                token.attrs["href"] = f"/guide/{target[1:]}"
        if token.type in {"link_open", "link_close"} and not within:
            continue
        kept.append(token)
    return kept


def section_for(blueprint: str | None, title: str | None = None) -> str:
    """The section that helps here: of a trial's kind by its title, else of where one is."""
    if title is not None:
        wanted = slug_of(title)
        if wanted in sections():
            return wanted
        near = [s.slug for s in sections().values() if f"**{title.lower()}" in s.words or title.lower() in s.words]
        if near:
            return near[0]
    return PLACES.get(blueprint or "", "the-line")


def find(text: str) -> list[Section]:
    """Sections that hold every word; those that have them in their heading first."""
    words = text.lower().split()[:6]
    if not words:
        return []
    held = [section for section in sections().values() if all(word in section.words for word in words)]
    held.sort(key=lambda section: not all(word in section.title.lower() for word in words))
    return held[:MOST_HITS]
