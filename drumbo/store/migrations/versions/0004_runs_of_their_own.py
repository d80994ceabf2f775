"""prints in processes of their own: what became of the heaters, and whether somebody has dealt with it"""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    for name in ("run", "heaters", "rescue"):
        op.add_column("prints", sa.Column(name, sa.String(), server_default="", nullable=False))
    op.add_column("prints", sa.Column("dealt_at", sa.DateTime(), nullable=True))
    op.add_column("prints", sa.Column("elapsed_s", sa.Float(), nullable=True))
    # What ended before there was such a question is dealt with.
    op.execute(
        "UPDATE prints SET dealt_at = coalesce(finished_at, started_at) WHERE state NOT IN ('sending', 'paused')"
    )


def downgrade() -> None:
    for name in ("elapsed_s", "dealt_at", "rescue", "heaters", "run"):
        op.drop_column("prints", name)
