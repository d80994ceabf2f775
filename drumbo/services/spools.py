"""What is left on a spool, and what a profile has cost so far."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from drumbo.core.run import RunState
from drumbo.services.convert import material_of
from drumbo.store.models import PrintRow, TrialRow


@dataclass(frozen=True, slots=True)
class Spent:
    """What trials took: how many prints, grams, seconds, and money where the price was known for all."""

    prints: int
    grams: float
    seconds: float
    cost: float | None


def take_from_spool(session: Session, trial: TrialRow, share: float) -> None:
    """A print took that share of its file's grams from the spool, if anybody keeps count of what is on it."""
    row = trial.profile.material
    material = material_of(row)
    left = material.left_after(float(trial.facts["grams"]) * min(max(share, 0.0), 1.0))
    if left is not None:
        row.spec = {**row.spec, material.left_key: left}
        session.flush()


def spent_on(session: Session, profile_id: int) -> Spent:
    """All that came off the bed for a profile: every run over a link that was done, or one print by hand."""
    runs = select(PrintRow.trial_id, func.count()).where(PrintRow.state == RunState.DONE).group_by(PrintRow.trial_id)
    done = {row[0]: row[1] for row in session.execute(runs)}
    wanted = select(TrialRow.id, TrialRow.facts)
    wanted = wanted.where(TrialRow.profile_id == profile_id, TrialRow.printed_at.is_not(None))
    rows = [(facts, done.get(number, 1)) for number, facts in session.execute(wanted)]
    known = all(facts.get("cost") is not None for facts, _ in rows)
    return Spent(
        prints=sum(times for _, times in rows),
        grams=sum(facts["grams"] * times for facts, times in rows),
        seconds=sum(facts["seconds"] * times for facts, times in rows),
        cost=sum(facts["cost"] * times for facts, times in rows) if rows and known else None,
    )
