"""What is usual in a workshop: who reads, and what materials are paid in.

Where nobody said, it is what was used last: a workshop that never looks for its settings has sensible ones.
"""

from __future__ import annotations

from collections.abc import Mapping

from sqlalchemy import select
from sqlalchemy.orm import Session

from drumbo.core.fields import Field, read_all
from drumbo.store.database import Workshop
from drumbo.store.models import MaterialRow, UsualRow

READER, CURRENCY = "reader", "currency"
LONGEST_NAME = 40
FIELDS = (
    Field(READER, "Who usually reads", kind="text", required=False, longest=LONGEST_NAME,
          help="Stands in every trial that nobody has begun to read. Empty: the one who read last."),
    Field(CURRENCY, "Currency", kind="text", required=False, longest=4,
          help="Stands in the form of every new material. Empty: what the last one was paid in."),
)  # fmt: skip


def settings(workshop: Workshop) -> dict[str, str]:
    """What was said of each field; empty where nothing was."""
    with workshop.reading() as session:
        return {field.key: said(session, field.key) for field in FIELDS}


def keep(workshop: Workshop, typed: Mapping[str, str]) -> None:
    """Say it anew; InvalidInput names what cannot be."""
    wanted = {key: " ".join(str(value or "").split()) for key, value in read_all(FIELDS, typed).items()}
    with workshop.writing() as session:
        for key, value in wanted.items():
            session.merge(UsualRow(key=key, value=value))


def said(session: Session, key: str) -> str:
    """What was said of one field; empty where nothing was."""
    row = session.get(UsualRow, key)
    return "" if row is None else row.value


def currency(workshop: Workshop) -> str:
    """What a new material is paid in, as far as anybody can know; empty where none was and nobody said."""
    with workshop.reading() as session:
        last = select(MaterialRow).order_by(MaterialRow.id.desc()).limit(1)
        row = session.scalars(last).first()
        return said(session, CURRENCY) or ("" if row is None else str(row.spec.get("currency", "")))
