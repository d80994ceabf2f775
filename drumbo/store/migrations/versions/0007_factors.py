"""changes of speed and flow in the middle of a print"""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("prints", sa.Column("factors", sa.JSON(), server_default="[]", nullable=False))


def downgrade() -> None:
    op.drop_column("prints", "factors")
