"""labels of revisions, profiles put away, remembered mappings"""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("revisions", sa.Column("label", sa.String(), server_default="", nullable=False))
    op.add_column("profiles", sa.Column("archived", sa.Boolean(), server_default="0", nullable=False))
    op.create_index(op.f("ix_profiles_archived"), "profiles", ["archived"])
    for name in ("newest", "measured", "rechecks"):
        op.add_column("profiles", sa.Column(name, sa.Integer(), server_default="0", nullable=False))
    op.add_column("profiles", sa.Column("known", sa.JSON(), server_default="{}", nullable=False))
    op.add_column("profiles", sa.Column("proven", sa.Boolean(), server_default="0", nullable=False))
    changed = sa.Column("changed_at", sa.DateTime(), server_default="2026-01-01 00:00:00", nullable=False)
    op.add_column("profiles", changed)
    op.create_index(op.f("ix_profiles_changed_at"), "profiles", ["changed_at"])
    op.create_table(
        "mappings",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("signature", sa.String(), nullable=False),
        sa.Column("choices", sa.JSON(), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_mappings")),
        sa.UniqueConstraint("signature", name=op.f("uq_mappings_signature")),
    )


def downgrade() -> None:
    op.drop_table("mappings")
    op.drop_index(op.f("ix_profiles_changed_at"), "profiles")
    op.drop_index(op.f("ix_profiles_archived"), "profiles")
    for name in ("changed_at", "proven", "known", "rechecks", "measured", "newest", "archived"):
        op.drop_column("profiles", name)
    op.drop_column("revisions", "label")
