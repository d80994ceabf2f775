"""Documentation names what there is (parameters, kinds, dialects, formats, commands, settings); its links lead on."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from docs.make_reference import PAGE, reference
from drumbo.core.registry import brought
from drumbo.trials import kinds
from drumbo.trials.base import AnyKind, Kind
from drumbo.trials.toolkit.layered import LayerKind

ROOT = Path(__file__).parents[1]


def test_the_reference_is_what_the_code_says() -> None:
    assert PAGE.read_text() == reference(), "run python docs/make_reference.py"
    assert "| `nozzle_c` | Nozzle, other layers | °C | 170 to 320 | `batch` |" in PAGE.read_text()


def test_the_guide_tells_of_every_kind() -> None:
    guide = (ROOT / "docs/guide.md").read_text().lower()
    assert [kind.title for kind in kinds().values() if kind.title.lower() not in guide] == []


def test_what_a_kind_may_say_is_on_its_page() -> None:
    page = (ROOT / "docs/trial-kinds.md").read_text()
    said = {
        name for kind in (AnyKind, Kind, LayerKind) for name, what in vars(kind).items() if not name.startswith("_")
    }
    inner = {
        "fields",
        "asked",
        "read_plan",
        "print_file",
        "process",
        "version",
        "unit",
        "step_unit",
        "scope",
        "solid",
        "origin",
    }
    assert [name for name in sorted(said - inner) if f"`{name}" not in page] == []
    assert not list(brought("drumbo.kinds")), "no other package is installed here: the page is of Drumbo's own"


@pytest.mark.parametrize("page", sorted([ROOT / "README.md", *(ROOT / "docs").rglob("*.md")]), ids=lambda p: p.name)
def test_links_between_pages_lead_somewhere(page: Path) -> None:
    for target in re.findall(r"\]\(([^)#:]+)(?:#[^)]*)?\)", page.read_text()):
        assert (page.parent / target).exists(), f"{page.name} links to {target}"
