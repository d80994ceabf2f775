"""workshop, profiles, trials"""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "materials",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("family", sa.String(), nullable=False),
        sa.Column("colour_hex", sa.String(), nullable=False),
        sa.Column("spec", sa.JSON(), nullable=False),
        sa.Column("spool_seed", sa.Integer(), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_materials")),
    )
    op.create_table(
        "printers",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("spec", sa.JSON(), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_printers")),
        sa.UniqueConstraint("name", name=op.f("uq_printers_name")),
    )
    op.create_table(
        "profiles",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("printer_id", sa.Integer(), nullable=False),
        sa.Column("material_id", sa.Integer(), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["material_id"], ["materials.id"], name=op.f("fk_profiles_material_id")),
        sa.ForeignKeyConstraint(["printer_id"], ["printers.id"], name=op.f("fk_profiles_printer_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_profiles")),
        sa.UniqueConstraint("name", name=op.f("uq_profiles_name")),
    )
    with op.batch_alter_table("profiles", schema=None) as batch_op:
        batch_op.create_index(batch_op.f("ix_profiles_material_id"), ["material_id"], unique=False)
        batch_op.create_index(batch_op.f("ix_profiles_printer_id"), ["printer_id"], unique=False)

    op.create_table(
        "trials",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("profile_id", sa.Integer(), nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("kind_version", sa.Integer(), nullable=False),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("plan", sa.JSON(), nullable=False),
        sa.Column("readings", sa.JSON(), nullable=False),
        sa.Column("result", sa.JSON(), nullable=True),
        sa.Column("facts", sa.JSON(), nullable=False),
        sa.Column("file_digest", sa.String(), nullable=False),
        sa.Column("adopted_revision", sa.Integer(), nullable=True),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.Column("printed_at", sa.DateTime(), nullable=True),
        sa.ForeignKeyConstraint(["profile_id"], ["profiles.id"], name=op.f("fk_trials_profile_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_trials")),
    )
    with op.batch_alter_table("trials", schema=None) as batch_op:
        batch_op.create_index(batch_op.f("ix_trials_profile_id"), ["profile_id"], unique=False)
        batch_op.create_index(batch_op.f("ix_trials_state"), ["state"], unique=False)

    op.create_table(
        "pictures",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("trial_id", sa.Integer(), nullable=False),
        sa.Column("digest", sa.String(), nullable=False),
        sa.Column("mime", sa.String(), nullable=False),
        sa.Column("source", sa.String(), nullable=False),
        sa.Column("frame", sa.JSON(), nullable=True),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["trial_id"], ["trials.id"], name=op.f("fk_pictures_trial_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_pictures")),
    )
    with op.batch_alter_table("pictures", schema=None) as batch_op:
        batch_op.create_index(batch_op.f("ix_pictures_trial_id"), ["trial_id"], unique=False)

    op.create_table(
        "prints",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("trial_id", sa.Integer(), nullable=False),
        sa.Column("printer_id", sa.Integer(), nullable=False),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("sent", sa.Integer(), nullable=False),
        sa.Column("total", sa.Integer(), nullable=False),
        sa.Column("message", sa.String(), nullable=False),
        sa.Column("heat", sa.JSON(), nullable=True),
        sa.Column("started_at", sa.DateTime(), nullable=False),
        sa.Column("finished_at", sa.DateTime(), nullable=True),
        sa.ForeignKeyConstraint(["printer_id"], ["printers.id"], name=op.f("fk_prints_printer_id")),
        sa.ForeignKeyConstraint(["trial_id"], ["trials.id"], name=op.f("fk_prints_trial_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_prints")),
    )
    with op.batch_alter_table("prints", schema=None) as batch_op:
        batch_op.create_index(batch_op.f("ix_prints_printer_id"), ["printer_id"], unique=False)
        batch_op.create_index(batch_op.f("ix_prints_state"), ["state"], unique=False)
        batch_op.create_index(batch_op.f("ix_prints_trial_id"), ["trial_id"], unique=False)

    op.create_table(
        "revisions",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("profile_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("note", sa.String(), nullable=False),
        sa.Column("data", sa.JSON(), nullable=False),
        sa.Column("trial_id", sa.Integer(), nullable=True),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["profile_id"], ["profiles.id"], name=op.f("fk_revisions_profile_id")),
        sa.ForeignKeyConstraint(["trial_id"], ["trials.id"], name=op.f("fk_revisions_trial_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_revisions")),
        sa.UniqueConstraint("profile_id", "number", name=op.f("uq_revisions_profile_id")),
    )
    with op.batch_alter_table("revisions", schema=None) as batch_op:
        batch_op.create_index(batch_op.f("ix_revisions_profile_id"), ["profile_id"], unique=False)


def downgrade() -> None:
    with op.batch_alter_table("revisions", schema=None) as batch_op:
        batch_op.drop_index(batch_op.f("ix_revisions_profile_id"))

    op.drop_table("revisions")
    with op.batch_alter_table("prints", schema=None) as batch_op:
        batch_op.drop_index(batch_op.f("ix_prints_trial_id"))
        batch_op.drop_index(batch_op.f("ix_prints_state"))
        batch_op.drop_index(batch_op.f("ix_prints_printer_id"))

    op.drop_table("prints")
    with op.batch_alter_table("pictures", schema=None) as batch_op:
        batch_op.drop_index(batch_op.f("ix_pictures_trial_id"))

    op.drop_table("pictures")
    with op.batch_alter_table("trials", schema=None) as batch_op:
        batch_op.drop_index(batch_op.f("ix_trials_state"))
        batch_op.drop_index(batch_op.f("ix_trials_profile_id"))

    op.drop_table("trials")
    with op.batch_alter_table("profiles", schema=None) as batch_op:
        batch_op.drop_index(batch_op.f("ix_profiles_printer_id"))
        batch_op.drop_index(batch_op.f("ix_profiles_material_id"))

    op.drop_table("profiles")
    op.drop_table("printers")
    op.drop_table("materials")
