"""files that wait for a printer"""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "queue",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("printer_id", sa.Integer(), nullable=False),
        sa.Column("trial_id", sa.Integer(), nullable=False),
        sa.Column("pause_layer", sa.Integer(), nullable=True),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["printer_id"], ["printers.id"], name=op.f("fk_queue_printer_id")),
        sa.ForeignKeyConstraint(["trial_id"], ["trials.id"], name=op.f("fk_queue_trial_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_queue")),
        sa.UniqueConstraint("trial_id", name=op.f("uq_queue_trial_id")),
    )
    op.create_index(op.f("ix_queue_printer_id"), "queue", ["printer_id"], unique=False)


def downgrade() -> None:
    op.drop_table("queue")
