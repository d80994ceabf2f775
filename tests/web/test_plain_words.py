"""What makers read is in plain trade words: a list of those that are not used, held over templates and texts."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator
from pathlib import Path

import drumbo

HOME = Path(drumbo.__file__).parent
NOT_USED = {
    r"roads?": "line", r"storeys?": "level", r"pull-?backs?": "retraction", r"give or take": "±",
    r"put(?:s|ting)? (?:it )?away": "archive", r"takes? (?:one|it) (?:in|along)": "import, export",
    r"say hello|says hello": "test the connection", r"the heat of": "temperature", r"what it comes to": "summary",
    r"anew": "again", r"nobody measured": "not measured yet", r"does not go": "is not possible", r"whoever": "who",
    r"words (?:that )?it understands": "G-code dialect", r"what is odd": "findings",
}  # fmt: skip
"""Words, and what is said in their place."""
_FOUND = re.compile("|".join(rf"\b(?:{word})\b" for word in NOT_USED), re.IGNORECASE)
_SPOKEN = re.compile(r'(?:aria-label|title|placeholder|alt)="([^"]*)"')
_TAGS = re.compile(r"\{%.*?%\}|\{\{.*?\}\}|<[^>]*>", re.DOTALL)


def _shown_by_templates() -> Iterator[tuple[str, str]]:
    for path in sorted((HOME / "web" / "templates").rglob("*.html")):
        text = re.sub(r"\{#.*?#\}", "", path.read_text(), flags=re.DOTALL)
        said = " ".join(re.sub(r"\{.*?\}\}?", " ", spoken) for spoken in _SPOKEN.findall(text))
        yield path.name, _TAGS.sub(" ", text) + said


def _said_by_code() -> Iterator[tuple[str, str]]:
    """Sentences in the code, but for what explains it. What the stand-ins are made of is not shown."""
    for path in sorted(HOME.rglob("*.py")):
        where = path.relative_to(HOME).as_posix()
        if where.startswith(("standins/", "store/migrations/")):
            continue
        tree = ast.parse(path.read_text())
        notes = {id(node.value) for node in ast.walk(tree) if isinstance(node, ast.Expr)}
        for node in ast.walk(tree):
            if not isinstance(node, ast.Constant) or id(node) in notes:
                continue
            if isinstance(node.value, str) and " " in node.value.strip():
                yield f"{where}:{node.lineno}", node.value


def test_nothing_that_is_shown_uses_a_word_of_our_own_where_the_trade_has_one() -> None:
    shown = [*_shown_by_templates(), *_said_by_code()]
    assert len(shown) > 1500
    found = [(where, word[0]) for where, text in shown for word in _FOUND.finditer(text)]
    assert found == []


def test_the_list_finds_what_it_is_for() -> None:
    for text in ("its roads are wide", "Take one in…", "A longer pull-back", "The heat of a start", "start anew"):
        assert _FOUND.search(text), text
    for text in ("the railroad-wide line", "it takes one hour", "heat of the day"):
        assert not _FOUND.search(text), text
