"""two materials in one print"""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "pairs",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("one_id", sa.Integer(), nullable=False),
        sa.Column("other_id", sa.Integer(), nullable=False),
        sa.Column("values", sa.JSON(), nullable=False),
        sa.Column("notes", sa.String(), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["one_id"], ["profiles.id"], name=op.f("fk_pairs_one_id")),
        sa.ForeignKeyConstraint(["other_id"], ["profiles.id"], name=op.f("fk_pairs_other_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_pairs")),
        sa.UniqueConstraint("one_id", "other_id", name=op.f("uq_pairs_one_id")),
    )
    op.add_column("trials", sa.Column("pair_id", sa.Integer(), nullable=True))
    op.add_column("trials", sa.Column("other_revision", sa.Integer(), nullable=True))
    op.create_index(op.f("ix_trials_pair_id"), "trials", ["pair_id"], unique=False)


def downgrade() -> None:
    op.drop_index(op.f("ix_trials_pair_id"), table_name="trials")
    op.drop_column("trials", "other_revision")
    op.drop_column("trials", "pair_id")
    op.drop_table("pairs")
