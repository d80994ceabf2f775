"""The demo's archive: what is in it is what would be made today, and the stand-ins know again what they printed."""

from __future__ import annotations

import json
from collections.abc import Iterator
from contextlib import ExitStack
from pathlib import Path

import pytest
from sqlalchemy import select

from drumbo.core.catalogue import FILAMENT, RESIN
from drumbo.core.run import RunState
from drumbo.demo.devices import relink
from drumbo.demo.fill import BOTTLES, SPOOLS
from drumbo.demo.run import ARCHIVE, waits_to_print
from drumbo.links.practice import running, start_resin, start_standin
from drumbo.services import trials
from drumbo.services.convert import trial_of
from drumbo.services.doctor import look_over
from drumbo.services.files import as_bytes, file_of
from drumbo.services.simulated import recall_prints, simulated_readings
from drumbo.store.archive import unpack
from drumbo.store.database import Workshop
from drumbo.store.models import MaterialRow, TrialRow
from tests.conftest import unread

MOST_MB = 15
SHORT_FILES = {"retraction-length", "flow-wall", "weighed-blobs", "cure-on-glass", "first-layer"}


@pytest.fixture
def demo(tmp_path: Path) -> Iterator[Workshop]:
    unpack(ARCHIVE, tmp_path / "demo")
    house = Workshop(tmp_path / "demo")
    yield house
    house.close()


def test_the_archive_holds_what_would_be_made_today(demo: Workshop) -> None:
    """Where this fails on purpose, `make demo-archive` makes it anew."""
    assert ARCHIVE.stat().st_size < MOST_MB * 1e6
    assert not look_over(demo.folder).ailments
    made = told = 0
    with demo.reading() as session:
        labels = {(m.spec["product"], m.spool_seed) for m in session.scalars(select(MaterialRow))}
        rows = {row.id: trial_of(row) for row in session.scalars(select(TrialRow))}
        kept = {row.id: (row.file_digest, row.revision) for row in session.scalars(select(TrialRow))}
    assert labels == {(label["product"], seed) for label, seed in (*SPOOLS, *BOTTLES)}
    assert len(rows) >= 16
    for number, trial in rows.items():
        digest, revision = kept[number]
        if (was := trial.result) is not None:
            told += 1
            result = trial.kind.evaluate(trial.plan, trial.readings)
            assert (result.state, result.says) == (was.state, was.says), trial.kind.slug
            assert (result.value, result.error) == pytest.approx((was.value, was.error), rel=1e-6), trial.kind.slug
        if trial.kind.slug in SHORT_FILES:
            made += 1
            file = file_of(trial.kind, trial.plan, trial.context, revision)
            assert demo.files.put(as_bytes(file)) == digest, f"the file of {trial.kind.slug} is another one"
    assert made == len(SHORT_FILES) + 1, "one of them twice"
    assert told >= 12


def test_stand_ins_of_a_new_start_know_what_an_earlier_one_printed(demo: Workshop) -> None:
    files = demo.folder / "files"
    with ExitStack() as held:
        devices = {
            FILAMENT: held.enter_context(running(start_standin(1e6, files=files))),
            RESIN: held.enter_context(running(start_resin(1e6, files=files))),
        }
        relink(demo, devices)
        assert recall_prints(demo) >= 10
        with demo.reading() as session:
            found = {row.kind: row.id for row in session.scalars(select(TrialRow).order_by(TrialRow.id.desc()))}
        for slug in ("retraction-length", "exposure-coupon"):
            before = trials.sheet(demo, found[slug]).readings.to_json()
            unread(demo, found[slug])
            simulated_readings(demo, found[slug])
            assert json.dumps(trials.sheet(demo, found[slug]).readings.to_json()) == json.dumps(before), slug
    number = waits_to_print(demo)
    assert number is not None
    assert all(run is not RunState.DONE for run in trials.sheet(demo, number).runs)
