"""What a profile was: its revisions, labels on them, and the way back to one."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime

from drumbo.core.catalogue import BY_KEY
from drumbo.core.errors import InvalidInput, NotNow
from drumbo.core.profile import Change, changed, difference
from drumbo.services.convert import latest, printer_of, profile_of
from drumbo.services.profiles import Card, card_of, get_row, go_back
from drumbo.store.database import Workshop
from drumbo.store.models import ProfileRow, RevisionRow

LONGEST_LABEL, LONGEST_NOTE = 60, 1000


@dataclass(frozen=True, slots=True)
class PastRevision:
    """One revision, what it changed against the one before, and what going back to it would change now."""

    number: int
    note: str
    label: str
    when: datetime
    trial: int | None
    changes: tuple[Change, ...]
    back: tuple[Change, ...]


def history(workshop: Workshop, profile_id: int) -> tuple[Card, tuple[PastRevision, ...]]:
    """All revisions, newest first."""
    with workshop.reading() as session:
        row = get_row(session, profile_id, history=True)
        profiles = [profile_of(revision) for revision in row.revisions]
        past = []
        for at, revision in enumerate(row.revisions):
            changes = difference(profiles[at - 1], profiles[at]) if at else ()
            back = tuple(c for c in difference(profiles[-1], profiles[at]) if _moves(c))
            past.append(
                PastRevision(
                    revision.number,
                    revision.note,
                    revision.label,
                    revision.created_at,
                    revision.trial_id,
                    changes,
                    back,
                )
            )
        return card_of(row), tuple(reversed(past))


def _moves(change: Change) -> bool:
    return change.before is None or change.after is None or change.before.number != change.after.number


def restore(workshop: Workshop, profile_id: int, number: int) -> int:
    """What a revision held becomes a new one; nothing between is lost. What the printer has now still counts."""
    with workshop.writing() as session:
        row = get_row(session, profile_id)
        if number == latest(row).number:
            raise NotNow("that is how the profile is now")
        now, wanted = profile_of(latest(row)), profile_of(_revision(row, number))
        # A parameter that came with a later version of Drumbo stays; what only a trial can tell goes with its trial.
        since = {k: v for k, v in now.values.items() if k not in wanted.values and k in BY_KEY and not BY_KEY[k].found}
        whole = replace(wanted, name=row.name, values={**wanted.values, **since})
        restored = changed(whole, {}, printer_of(row.printer).numbers())
        return go_back(session, row, restored, number, f"back to revision {number}")


def remark(workshop: Workshop, profile_id: int, number: int, label: str, note: str) -> None:
    """Set a revision's label and note; the data stays as it was."""
    label, note = label.strip(), note.strip()
    if len(label) > LONGEST_LABEL:
        raise InvalidInput("label", f"is longer than {LONGEST_LABEL} characters")
    if len(note) > LONGEST_NOTE:
        raise InvalidInput("note", f"is longer than {LONGEST_NOTE} characters")
    with workshop.writing() as session:
        revision = _revision(get_row(session, profile_id), number)
        revision.label = label
        revision.note = note or revision.note


def _revision(row: ProfileRow, number: int) -> RevisionRow:
    found = next((revision for revision in row.revisions if revision.number == number), None)
    if found is None:
        raise InvalidInput("number", f"there is no revision {number}; the newest is {latest(row).number}")
    return found
