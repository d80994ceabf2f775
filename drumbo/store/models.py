"""Tables. Facts of a printer, a material, a plan are JSON in a column; what lists sort by has its own.

Profiles are append-only: a revision is never changed.
"""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import JSON, DateTime, ForeignKey, MetaData, TypeDecorator, UniqueConstraint
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship

NAMING = {
    "ix": "ix_%(column_0_label)s",
    "uq": "uq_%(table_name)s_%(column_0_name)s",
    "fk": "fk_%(table_name)s_%(column_0_name)s",
    "pk": "pk_%(table_name)s",
}


class Utc(TypeDecorator[datetime]):
    """A moment, stored without its zone and always UTC."""

    impl = DateTime
    cache_ok = True

    def process_bind_param(self, value: datetime | None, dialect: Any) -> datetime | None:
        return None if value is None else value.astimezone(UTC).replace(tzinfo=None)

    def process_result_value(self, value: datetime | None, dialect: Any) -> datetime | None:
        return None if value is None else value.replace(tzinfo=UTC)


def now() -> datetime:
    """This moment, UTC."""
    return datetime.now(UTC)


class Base(DeclarativeBase):
    metadata = MetaData(naming_convention=NAMING)
    type_annotation_map = {datetime: Utc, dict[str, Any]: JSON, list[Any]: JSON}  # noqa: RUF012 - as the library wants it


class PrinterRow(Base):
    """`loaded_id` is the spool (a material's number) that is in it as far as anybody said; `hand_run` its last session
    by hand.
    """

    __tablename__ = "printers"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    spec: Mapped[dict[str, Any]]
    loaded_id: Mapped[int | None]
    hand_run: Mapped[str] = mapped_column(default="", server_default="")
    created_at: Mapped[datetime] = mapped_column(default=now)


class MaterialRow(Base):
    """`spool_seed` is the number of this very spool; only a stand-in makes anything of it."""

    __tablename__ = "materials"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    family: Mapped[str]
    colour_hex: Mapped[str]
    spec: Mapped[dict[str, Any]]
    spool_seed: Mapped[int]
    created_at: Mapped[datetime] = mapped_column(default=now)


class ProfileRow(Base):
    """From `newest` to `changed_at` stands what lists show of the newest revision; 0 until it was filled in. `way` is
    the one that it is on to being proven: its key, the kinds of trials that it leads through, and since when.
    """

    __tablename__ = "profiles"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    printer_id: Mapped[int] = mapped_column(ForeignKey("printers.id"), index=True)
    material_id: Mapped[int] = mapped_column(ForeignKey("materials.id"), index=True)
    archived: Mapped[bool] = mapped_column(default=False, server_default="0", index=True)
    newest: Mapped[int] = mapped_column(default=0, server_default="0")
    known: Mapped[dict[str, Any]] = mapped_column(default=dict, server_default="{}")
    measured: Mapped[int] = mapped_column(default=0, server_default="0")
    rechecks: Mapped[int] = mapped_column(default=0, server_default="0")
    proven: Mapped[bool] = mapped_column(default=False, server_default="0")
    changed_at: Mapped[datetime] = mapped_column(default=now, server_default="2026-01-01 00:00:00", index=True)
    way: Mapped[dict[str, Any] | None]
    created_at: Mapped[datetime] = mapped_column(default=now)

    printer: Mapped[PrinterRow] = relationship()
    material: Mapped[MaterialRow] = relationship()
    revisions: Mapped[list[RevisionRow]] = relationship(
        order_by="RevisionRow.number", back_populates="profile", cascade="all, delete-orphan"
    )


class RevisionRow(Base):
    """`label` is the maker's own, like "sent to a friend"; it and the note may change, the data never does. `data` is
    fetched when it is looked at: of most profiles only the newest revision's is.
    """

    __tablename__ = "revisions"
    __table_args__ = (UniqueConstraint("profile_id", "number"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    profile_id: Mapped[int] = mapped_column(ForeignKey("profiles.id"), index=True)
    number: Mapped[int]
    note: Mapped[str]
    data: Mapped[dict[str, Any]] = mapped_column(deferred=True)
    trial_id: Mapped[int | None] = mapped_column(ForeignKey("trials.id"))
    label: Mapped[str] = mapped_column(default="", server_default="")
    created_at: Mapped[datetime] = mapped_column(default=now)

    profile: Mapped[ProfileRow] = relationship(back_populates="revisions")


class PairRow(Base):
    """Two profiles on one printer whose materials go into one print. `values` are what trials of the pair found, by the
    parameter's key: number, error and trial; without one it came in a file.
    """

    __tablename__ = "pairs"
    __table_args__ = (UniqueConstraint("one_id", "other_id"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    one_id: Mapped[int] = mapped_column(ForeignKey("profiles.id"))
    other_id: Mapped[int] = mapped_column(ForeignKey("profiles.id"))
    values: Mapped[dict[str, Any]] = mapped_column(default=dict)
    notes: Mapped[str] = mapped_column(default="")
    created_at: Mapped[datetime] = mapped_column(default=now)

    one: Mapped[ProfileRow] = relationship(foreign_keys="PairRow.one_id")
    other: Mapped[ProfileRow] = relationship(foreign_keys="PairRow.other_id")


class PlateRow(Base):
    """Several trials of a profile in one job: its file, and what all of it takes."""

    __tablename__ = "plates"
    id: Mapped[int] = mapped_column(primary_key=True)
    profile_id: Mapped[int] = mapped_column(ForeignKey("profiles.id"), index=True)
    file_digest: Mapped[str]
    facts: Mapped[dict[str, Any]]
    created_at: Mapped[datetime] = mapped_column(default=now)

    trials: Mapped[list[TrialRow]] = relationship(
        primaryjoin="foreign(TrialRow.plate_id) == PlateRow.id", order_by="TrialRow.id", viewonly=True
    )


class TrialRow(Base):
    """`state`: planned, printed, adopted. The file lies under `file_digest`; `facts` are minutes, grams and money. A
    trial of a pair knows which, and the revision of the pair's other profile; one of a plate has the plate's file, and
    `stands` says where its piece is: middle and room on the bed, and the turn in which it is printed.
    """

    __tablename__ = "trials"
    id: Mapped[int] = mapped_column(primary_key=True)
    profile_id: Mapped[int] = mapped_column(ForeignKey("profiles.id"), index=True)
    revision: Mapped[int]
    kind: Mapped[str]
    kind_version: Mapped[int]
    state: Mapped[str] = mapped_column(index=True)
    plan: Mapped[dict[str, Any]]
    readings: Mapped[dict[str, Any]]
    result: Mapped[dict[str, Any] | None]
    facts: Mapped[dict[str, Any]]
    file_digest: Mapped[str]
    adopted_revision: Mapped[int | None]
    pair_id: Mapped[int | None] = mapped_column(index=True)
    other_revision: Mapped[int | None]
    plate_id: Mapped[int | None] = mapped_column(index=True)
    stands: Mapped[dict[str, Any] | None]
    created_at: Mapped[datetime] = mapped_column(default=now)
    printed_at: Mapped[datetime | None]

    pair: Mapped[PairRow | None] = relationship(primaryjoin="foreign(TrialRow.pair_id) == PairRow.id", viewonly=True)
    plate: Mapped[PlateRow | None] = relationship(
        primaryjoin="foreign(TrialRow.plate_id) == PlateRow.id", viewonly=True
    )
    profile: Mapped[ProfileRow] = relationship()
    prints: Mapped[list[PrintRow]] = relationship(order_by="PrintRow.id", back_populates="trial")
    pictures: Mapped[list[PictureRow]] = relationship(order_by="PictureRow.id", back_populates="trial")


class PrintRow(Base):
    """One run over a link. `state`: sending, paused, stopping; at its end done, stopped, failed, lost.

    While it runs, its journal in the folder `run` knows more than this row. `heaters` is what was read back at the end,
    `rescue` a run that looked after the printer later, and `dealt_at` when a person said that all is well. `factors`
    are changes of speed and flow on the way: after which line of the file, and both in %.
    """

    __tablename__ = "prints"
    id: Mapped[int] = mapped_column(primary_key=True)
    trial_id: Mapped[int] = mapped_column(ForeignKey("trials.id"), index=True)
    printer_id: Mapped[int] = mapped_column(ForeignKey("printers.id"), index=True)
    state: Mapped[str] = mapped_column(index=True)
    sent: Mapped[int] = mapped_column(default=0)
    total: Mapped[int]
    message: Mapped[str] = mapped_column(default="")
    heat: Mapped[dict[str, Any] | None]
    started_at: Mapped[datetime] = mapped_column(default=now)
    finished_at: Mapped[datetime | None]
    run: Mapped[str] = mapped_column(default="", server_default="")
    heaters: Mapped[str] = mapped_column(default="", server_default="")
    rescue: Mapped[str] = mapped_column(default="", server_default="")
    dealt_at: Mapped[datetime | None]
    elapsed_s: Mapped[float | None]
    factors: Mapped[list[Any]] = mapped_column(default=list, server_default="[]")

    trial: Mapped[TrialRow] = relationship(back_populates="prints")
    printer: Mapped[PrinterRow] = relationship()


class PictureRow(Base):
    """`frame` says what a camera's picture shows, in mm; None for a maker's own photo."""

    __tablename__ = "pictures"
    id: Mapped[int] = mapped_column(primary_key=True)
    trial_id: Mapped[int] = mapped_column(ForeignKey("trials.id"), index=True)
    digest: Mapped[str]
    mime: Mapped[str]
    source: Mapped[str]
    frame: Mapped[dict[str, Any] | None]
    created_at: Mapped[datetime] = mapped_column(default=now)

    trial: Mapped[TrialRow] = relationship(back_populates="pictures")


class PartRow(Base):
    """A maker's own part for the planner; its file lies in the data folder under `digest`."""

    __tablename__ = "parts"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    digest: Mapped[str] = mapped_column(unique=True)
    size: Mapped[dict[str, Any]]
    created_at: Mapped[datetime] = mapped_column(default=now)


class PrintSetRow(Base):
    """Print settings kept under a name."""

    __tablename__ = "print_sets"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    wish: Mapped[dict[str, Any]]
    created_at: Mapped[datetime] = mapped_column(default=now)


class UsualRow(Base):
    """What the workshop said is usual here, by its key: who reads, what is paid in."""

    __tablename__ = "usual"
    key: Mapped[str] = mapped_column(primary_key=True)
    value: Mapped[str]


class MappingRow(Base):
    """Which column or key of a foreign table is which parameter, remembered for tables with the same names."""

    __tablename__ = "mappings"
    id: Mapped[int] = mapped_column(primary_key=True)
    signature: Mapped[str] = mapped_column(unique=True)
    choices: Mapped[dict[str, Any]]
    created_at: Mapped[datetime] = mapped_column(default=now)


class ChangeRow(Base):
    """A change of filament: `step` is where it is, `plan` what it is done by; `print_id` the print that pauses for it.

    `pushed_mm` is how much of the new one went in, `purged_mm` how much of that to come clean; `seen_fed_mm` what the
    journal of `run` had fed when that was counted last. `at_sent` is how many lines of the print were sent when the new
    one went in.
    """

    __tablename__ = "changes"
    id: Mapped[int] = mapped_column(primary_key=True)
    printer_id: Mapped[int] = mapped_column(ForeignKey("printers.id"), index=True)
    from_id: Mapped[int | None] = mapped_column(ForeignKey("materials.id"))
    to_id: Mapped[int] = mapped_column(ForeignKey("materials.id"))
    print_id: Mapped[int | None] = mapped_column(ForeignKey("prints.id"))
    step: Mapped[str]
    plan: Mapped[dict[str, Any]]
    run: Mapped[str] = mapped_column(default="", server_default="")
    seen_fed_mm: Mapped[float] = mapped_column(default=0.0, server_default="0")
    at_sent: Mapped[int | None]
    pushed_mm: Mapped[float] = mapped_column(default=0.0, server_default="0")
    purged_mm: Mapped[float] = mapped_column(default=0.0, server_default="0")
    began_at: Mapped[datetime] = mapped_column(default=now)
    ended_at: Mapped[datetime | None]

    printer: Mapped[PrinterRow] = relationship()
    old: Mapped[MaterialRow | None] = relationship(foreign_keys="ChangeRow.from_id")
    new: Mapped[MaterialRow] = relationship(foreign_keys="ChangeRow.to_id")


class QueueRow(Base):
    """A trial's file that waits for its printer, in the order in which they came."""

    __tablename__ = "queue"
    id: Mapped[int] = mapped_column(primary_key=True)
    printer_id: Mapped[int] = mapped_column(ForeignKey("printers.id"), index=True)
    trial_id: Mapped[int] = mapped_column(ForeignKey("trials.id"), unique=True)
    pause_layer: Mapped[int | None]
    created_at: Mapped[datetime] = mapped_column(default=now)

    trial: Mapped[TrialRow] = relationship()
    printer: Mapped[PrinterRow] = relationship()
