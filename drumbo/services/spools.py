"""What is left on a spool, in which printer it is, and what a profile has cost so far."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from drumbo.core.run import RunState
from drumbo.services.convert import material_of
from drumbo.services.jobs import facts_of_file
from drumbo.store.models import MaterialRow, PrinterRow, PrintRow, TrialRow


@dataclass(frozen=True, slots=True)
class Spent:
    """What trials took: how many prints, grams, seconds, and money where the price was known for all."""

    prints: int
    grams: float
    seconds: float
    cost: float | None


def take_from_spool(session: Session, trial: TrialRow, share: float, row: MaterialRow | None = None) -> None:
    """A print took that share of its file's grams from its trial's spool, or as much room of another one, if anybody
    keeps count of what is on it.
    """
    planned = trial.profile.material
    row = planned if row is None else row
    material = material_of(row)
    grams = float(facts_of_file(trial)["grams"]) * min(max(share, 0.0), 1.0)
    if row is not planned:
        grams *= material.density_g_cm3 / material_of(planned).density_g_cm3
    left = material.left_after(grams)
    if left is not None:
        row.spec = {**row.spec, material.left_key: left}
        session.flush()


def keep_loaded(session: Session, printer: PrinterRow, material_id: int | None) -> None:
    """That spool is in it, and so in all presets of the same machine: those that are reached over the same line."""
    link = str(printer.spec.get("link_url") or "")
    same = [printer.id]
    if link:
        rows = session.execute(select(PrinterRow.id, PrinterRow.spec))
        same += [number for number, spec in rows if spec.get("link_url") == link]
    session.execute(update(PrinterRow).where(PrinterRow.id.in_(same)).values(loaded_id=material_id))


def spent_on(session: Session, profile_id: int) -> Spent:
    """All that came off the bed for a profile: every run over a link that was done, or one print by hand. A plate is
    one print, whichever of its trials it was begun from.
    """
    runs = select(PrintRow.trial_id, func.count()).where(PrintRow.state == RunState.DONE).group_by(PrintRow.trial_id)
    done = {row[0]: row[1] for row in session.execute(runs)}
    wanted = select(TrialRow.id, TrialRow.plate_id, TrialRow.facts)
    wanted = wanted.where(TrialRow.profile_id == profile_id, TrialRow.printed_at.is_not(None))
    jobs: dict[tuple[str, int], list[tuple[int, dict[str, Any]]]] = {}
    for number, plate, facts in session.execute(wanted):
        jobs.setdefault(("trial", number) if plate is None else ("plate", plate), []).append((number, facts))
    rows = [
        (facts, times)
        for mates in jobs.values()
        for times in [sum(done.get(number, 0) for number, _ in mates) or 1]
        for _, facts in mates
    ]
    prints = sum(sum(done.get(number, 0) for number, _ in mates) or 1 for mates in jobs.values())
    known = all(facts.get("cost") is not None for facts, _ in rows)
    return Spent(
        prints=prints,
        grams=sum(facts["grams"] * times for facts, times in rows),
        seconds=sum(facts["seconds"] * times for facts, times in rows),
        cost=sum(facts["cost"] * times for facts, times in rows) if rows and known else None,
    )
