"""What one file prints, a trial alone or all trials of a plate; and how its prints stand."""

from __future__ import annotations

import math
from typing import Any

from sqlalchemy import ColumnElement, select
from sqlalchemy.orm import Session

from drumbo.core.errors import NotFound
from drumbo.core.run import BROKEN, RUNNING, UNSURE
from drumbo.services.convert import at_c_of
from drumbo.store.models import PrintRow, TrialRow, now
from drumbo.trials import kind
from drumbo.trials.plate import titled
from drumbo.trials.trial import TrialState


def mates_of(row: TrialRow) -> list[TrialRow]:
    """The trials that a trial's file prints, itself among them."""
    return [row] if row.plate is None else list(row.plate.trials)


def prints_of(row: TrialRow) -> list[PrintRow]:
    """Runs of a trial's file, the oldest first, whichever trial of its plate they were begun from."""
    return sorted((run for mate in mates_of(row) for run in mate.prints), key=lambda run: run.id)


def newest_print(session: Session, trial_id: int) -> PrintRow | None:
    """The last run of a trial's file, as `prints_of` has it last."""
    mine = session.get(TrialRow, trial_id)
    plate = None if mine is None else mine.plate_id
    wanted = select(PrintRow).order_by(PrintRow.id.desc()).limit(1)
    if plate is None:
        return session.scalars(wanted.where(PrintRow.trial_id == trial_id)).first()
    return session.scalars(wanted.join(PrintRow.trial).where(TrialRow.plate_id == plate)).first()


def facts_of_file(row: TrialRow) -> dict[str, Any]:
    """Seconds, grams and money of all that a trial's file prints."""
    return row.facts if row.plate is None else row.plate.facts


def title_of(row: TrialRow) -> str:
    """What a trial's file is called in lists."""
    if row.plate is None:
        return kind(row.kind).title
    titles = [titled(kind(mate.kind), at_c_of(mate)) for mate in row.plate.trials]
    return f"Plate {row.plate_id}: {', '.join([titles[0], *(title[0].lower() + title[1:] for title in titles[1:])])}"


def file_called(row: TrialRow) -> str:
    """What the file is called on a printer's card, before the material's name."""
    return f"plate {row.plate_id}" if row.plate_id is not None else f"trial {row.id} {kind(row.kind).title}"


def done_by(row: TrialRow, line: int | None = None) -> list[TrialRow]:
    """The trials of a file that came out whole: all of them, or where it broke off after a line of the file, the pieces
    of a plate that were done by then.
    """
    return [mate for mate in mates_of(row) if line is None or line >= _last_line(mate)]


def _last_line(row: TrialRow) -> float:
    """With which line of its plate's file a piece is done; of a trial alone nothing is before all of it is."""
    return float((row.stands or {}).get("last_line", math.inf))


def now_printed(rows: list[TrialRow]) -> None:
    """They came off the bed and can be read."""
    for row in rows:
        if row.state == TrialState.PLANNED:
            row.state, row.printed_at = TrialState.PRINTED, now()


def get_print(session: Session, run_id: int) -> PrintRow:
    """A run of a file by its number; NotFound where there is none."""
    row = session.get(PrintRow, run_id)
    if row is None:
        raise NotFound(f"there is no print number {run_id}")
    return row


def is_over() -> ColumnElement[bool]:
    """Which prints are not on a printer any more."""
    return PrintRow.state.not_in(RUNNING)


def needs_somebody() -> ColumnElement[bool]:
    """Which prints stay on the bench until somebody has dealt with them: those that went wrong, and those after which
    it is not known that the printer is cold.
    """
    unsure = PrintRow.heaters.in_(UNSURE)
    return is_over() & PrintRow.dealt_at.is_(None) & (PrintRow.state.in_(BROKEN) | unsure)
