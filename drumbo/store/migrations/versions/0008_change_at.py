"""after how much of a print its filament was changed"""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("changes", sa.Column("at_sent", sa.Integer(), nullable=True))


def downgrade() -> None:
    op.drop_column("changes", "at_sent")
