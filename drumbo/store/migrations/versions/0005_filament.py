"""what is loaded on a printer, its session by hand, and changes of filament"""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    # Added to the table as it is: others refer to it, so that it cannot be made anew.
    op.add_column("printers", sa.Column("loaded_id", sa.Integer(), nullable=True))
    op.add_column("printers", sa.Column("hand_run", sa.String(), server_default="", nullable=False))
    op.create_table(
        "changes",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("printer_id", sa.Integer(), nullable=False),
        sa.Column("from_id", sa.Integer(), nullable=True),
        sa.Column("to_id", sa.Integer(), nullable=False),
        sa.Column("print_id", sa.Integer(), nullable=True),
        sa.Column("step", sa.String(), nullable=False),
        sa.Column("plan", sa.JSON(), nullable=False),
        sa.Column("run", sa.String(), server_default="", nullable=False),
        sa.Column("seen_fed_mm", sa.Float(), server_default="0", nullable=False),
        sa.Column("pushed_mm", sa.Float(), server_default="0", nullable=False),
        sa.Column("purged_mm", sa.Float(), server_default="0", nullable=False),
        sa.Column("began_at", sa.DateTime(), nullable=False),
        sa.Column("ended_at", sa.DateTime(), nullable=True),
        sa.ForeignKeyConstraint(["printer_id"], ["printers.id"], name=op.f("fk_changes_printer_id")),
        sa.ForeignKeyConstraint(["from_id"], ["materials.id"], name=op.f("fk_changes_from_id")),
        sa.ForeignKeyConstraint(["to_id"], ["materials.id"], name=op.f("fk_changes_to_id")),
        sa.ForeignKeyConstraint(["print_id"], ["prints.id"], name=op.f("fk_changes_print_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_changes")),
    )
    op.create_index(op.f("ix_changes_printer_id"), "changes", ["printer_id"], unique=False)


def downgrade() -> None:
    op.drop_table("changes")
    op.drop_column("printers", "hand_run")
    op.drop_column("printers", "loaded_id")
