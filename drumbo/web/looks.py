"""What each score of an aspect looks like: pictures from the stand-in, where it can show them."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from drumbo.trials import kinds
from drumbo.trials.readings import Aspect
from drumbo.web.guide import section_for

FOLDER = Path(__file__).parent / "static" / "scores"


@dataclass(frozen=True, slots=True)
class Looks:
    """An aspect by its scores, worst first: (score, its word, the picture's file among the static ones or None)."""

    name: str
    scores: tuple[tuple[int, str, str | None], ...]


@cache
def _files() -> frozenset[str]:
    return frozenset(path.stem for path in FOLDER.glob("*.webp"))


def looks_of(aspects: Iterable[Aspect]) -> tuple[Looks, ...]:
    """Those of the aspects that there are pictures of."""
    found = []
    for aspect in aspects:
        names = [f"{aspect.key}-{score}" for score in range(len(aspect.words))]
        if any(name in _files() for name in names):
            files = [f"scores/{name}.webp" if name in _files() else None for name in names]
            found.append(Looks(aspect.name, tuple(zip(range(len(names)), aspect.words, files, strict=True))))
    return tuple(found)


@cache
def looks_in(slug: str) -> tuple[Looks, ...]:
    """Those of all that is scored in the trials that a section of the guide is about."""
    told = [kind for kind in kinds().values() if section_for(None, kind.title) == slug]
    return looks_of(dict.fromkeys(aspect for kind in told for aspect in kind.aspects))
