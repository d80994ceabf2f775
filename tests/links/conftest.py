"""A strict printer on a real TCP line, and the runs of a folder."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from drumbo.links.runs import Runs
from drumbo.standins.line.manners import Manners
from drumbo.standins.line.session import LineServer
from drumbo.standins.line.strict import StrictPrinter


@pytest.fixture
def printer() -> StrictPrinter:
    return StrictPrinter(line_s=0.002, manners=Manners(ok="ok P0 B{room}"))


@pytest.fixture
def server(printer: StrictPrinter) -> Iterator[LineServer]:
    made = LineServer(printer)
    made.start()
    yield made
    made.close()


@pytest.fixture
def runs(tmp_path: Path) -> Runs:
    return Runs(tmp_path)
