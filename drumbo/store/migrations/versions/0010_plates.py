"""several trials in one job, and the way to a proven profile"""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "plates",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("profile_id", sa.Integer(), nullable=False),
        sa.Column("file_digest", sa.String(), nullable=False),
        sa.Column("facts", sa.JSON(), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["profile_id"], ["profiles.id"], name=op.f("fk_plates_profile_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_plates")),
    )
    op.create_index(op.f("ix_plates_profile_id"), "plates", ["profile_id"], unique=False)
    op.add_column("trials", sa.Column("plate_id", sa.Integer(), nullable=True))
    op.add_column("trials", sa.Column("stands", sa.JSON(), nullable=True))
    op.create_index(op.f("ix_trials_plate_id"), "trials", ["plate_id"], unique=False)
    op.add_column("profiles", sa.Column("way", sa.JSON(), nullable=True))


def downgrade() -> None:
    op.drop_column("profiles", "way")
    op.drop_index(op.f("ix_trials_plate_id"), table_name="trials")
    op.drop_column("trials", "stands")
    op.drop_column("trials", "plate_id")
    op.drop_index(op.f("ix_plates_profile_id"), table_name="plates")
    op.drop_table("plates")
