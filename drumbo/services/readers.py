"""Who reads: everybody scores a little higher or lower than others do; the workshop's own trials tell by how much."""

from __future__ import annotations

from dataclasses import replace

from sqlalchemy import select
from sqlalchemy.orm import Session

from drumbo.core.errors import InvalidInput
from drumbo.core.fit.ordinal import Leaning, known_of
from drumbo.services.usual import LONGEST_NAME, READER, said
from drumbo.store.models import TrialRow
from drumbo.trials.readings import Readings

LATEST = 200
"""So many trials are looked back on: people change."""


def begun(session: Session, row: TrialRow, readings: Readings) -> Readings:
    """A trial's readings; where nobody has begun them, as they begin: by whoever usually reads here, or read last, with
    what is known of them.

    Those of earlier times, when nobody asked who reads, stay as they were.
    """
    if readings.any or "reader" in row.readings:
        return readings
    return read_by(session, row.id, readings, said(session, READER) or _last(session))


def read_by(session: Session, trial_id: int, readings: Readings, name: str) -> Readings:
    """The same readings as this person's; InvalidInput where that is no name."""
    name = " ".join(name.split())
    if len(name) > LONGEST_NAME:
        raise InvalidInput("reader", f"is longer than {LONGEST_NAME} characters")
    return replace(readings, reader=name, leaning=_known(session, name, trial_id))


def names(session: Session) -> tuple[str, ...]:
    """All who have read so far, by name; without those who gave none."""
    given = TrialRow.readings["reader"].as_string()
    return tuple(sorted(name for name in session.scalars(select(given).distinct()) if name))


def _last(session: Session) -> str:
    """Who read the trial that was printed last of all that were read."""
    given = TrialRow.readings["reader"].as_string()
    latest = select(given).where(TrialRow.result.is_not(None), given.is_not(None))
    return session.scalars(latest.order_by(TrialRow.printed_at.desc(), TrialRow.id.desc()).limit(1)).first() or ""


def _known(session: Session, name: str, but: int) -> Leaning:
    """What the latest trials of one reader tell of them, the one at hand left out."""
    after = TrialRow.result["reader"]
    wanted = (
        select(TrialRow.readings["leaning"], after)
        .where(TrialRow.id != but, TrialRow.readings["reader"].as_string() == name)
        .where(after["mean"].as_float().is_not(None))
        .order_by(TrialRow.id.desc())
        .limit(LATEST)
    )
    return known_of([(Leaning(*before), Leaning(**told)) for before, told in session.execute(wanted)])
