"""`make a11y`: every page of the demo's workshop, at three widths."""

from __future__ import annotations

from collections.abc import Iterator

import pytest

from drumbo.trials import kinds_of
from tests.e2e.conftest import Site
from tests.e2e.looked_over import demo_site, wrong_on

pytestmark = pytest.mark.filterwarnings("ignore::ResourceWarning")

TRIALS = [f"/trials/{number}/{leaf}" for number in range(1, 18) for leaf in ("plan", "print", "read", "adopt")]
PLANS = [f"/profiles/{k}/trials/new/{slug}" for k, p in ((1, "filament"), (4, "resin")) for slug in kinds_of(p)]
OTHERS = [
    "/", "/profiles/", "/profiles/1", "/profiles/2", "/profiles/4", "/profiles/1/out", "/profiles/1/transfer",
    "/profiles/1/history", "/profiles/1/compare", "/profiles/compare", "/profiles/import", "/profiles/new",
    "/profiles/2/ways", "/profiles/2/plates/new?piece=flow-surface&piece=retraction-length&piece=rising-wall",
    "/materials/", "/materials/1", "/materials/1/edit", "/materials/new", "/materials/new?process=resin",
    "/printers/", "/printers/1",
    "/printers/1/edit", "/printers/new?process=resin", "/printers/1/hand", "/check/", "/planner/", "/pairs/",
    "/pairs/1", "/pairs/1/sheet", "/pairs/new/1", "/pairs/1?part=0&heights=4&hand=4", "/guide/",
    "/guide/temperature-tower", "/settings/", "/no-such-page",
]  # fmt: skip


@pytest.fixture(scope="module")
def site(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Site]:
    yield from demo_site(tmp_path_factory.mktemp("demo") / "workshop")


@pytest.mark.parametrize("path", [*OTHERS, *TRIALS, *PLANS])
def test_nobody_is_kept_out(browser: object, site: Site, path: str) -> None:
    assert wrong_on(browser, site, path, (1280, 390, 320)) == {}
