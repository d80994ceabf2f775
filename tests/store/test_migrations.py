"""A workshop of an older version is lifted with all that is in it."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from alembic import command
from alembic.config import Config
from alembic.script import ScriptDirectory
from sqlalchemy import text

from drumbo.services import profiles, shelf, workshop
from drumbo.store.archive import DATABASE
from drumbo.store.database import Workshop, engine_of
from drumbo.store.models import PrintRow, TrialRow
from drumbo.store.soundness import MIGRATIONS, known_versions
from tests.conftest import LABEL, Begun

OLDER = ["0003", "0004"]


@pytest.mark.parametrize("revision", OLDER)
def test_a_filled_workshop_goes_down_and_up_again_with_all_its_rows(
    house: Workshop, begun: Begun, revision: str, tmp_path: Path
) -> None:
    """What newer tables held is lost on the way down; what the older version knew is still there on the way up."""
    second = workshop.save_material(house, {**LABEL, "product": "Second PLA"})
    profiles.create(house, second, begun.printer, "Second PLA on it")
    with house.writing() as session:
        trial = TrialRow(
            profile_id=begun.profile, revision=0, kind="temperature", kind_version=1, state="planned", plan={},
            readings={}, facts={"seconds": 1, "grams": 1, "cost": None}, file_digest="0" * 64,
        )  # fmt: skip
        session.add(trial)
        session.flush()
        session.add(PrintRow(trial_id=trial.id, printer_id=begun.printer, state="done", total=1))
    house.close()
    engine = engine_of(house.folder / DATABASE)
    with engine.connect() as connection:
        config = Config()
        config.set_main_option("script_location", str(MIGRATIONS))
        config.attributes["connection"] = connection
        command.downgrade(config, revision)
        assert connection.execute(text("SELECT version_num FROM alembic_version")).scalar() == revision
        connection.commit()
    engine.dispose()
    again = Workshop(house.folder)
    try:
        assert len(shelf.find(again, size=10).spines) == 2
        with again.reading() as session:
            row = session.get(PrintRow, 1)
            assert row is not None
            assert row.trial.profile.printer.id == begun.printer
            assert row.trial.profile.printer.loaded_id is None
            assert json.dumps(row.trial.facts)
    finally:
        again.close()


def test_the_versions_that_are_known_are_those_of_the_migrations_in_their_order() -> None:
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    found = [script.revision for script in ScriptDirectory.from_config(config).walk_revisions()]
    assert list(known_versions()) == found[::-1]
