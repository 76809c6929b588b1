"""Looks that are kept by name in a project."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None

_MOMENT = sa.DateTime().with_variant(mysql.DATETIME(fsp=3), "mysql", "mariadb")
_DOCUMENT = sa.JSON().with_variant(mysql.LONGTEXT(), "mysql", "mariadb")


def upgrade() -> None:
    op.create_table(
        "kept_look",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("project_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("effects", _DOCUMENT, nullable=False),
        sa.Column("created", _MOMENT, nullable=False),
        sa.ForeignKeyConstraint(
            ["project_id"], ["project.id"], name="fk_kept_look_project_id", ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name="pk_kept_look"),
        sa.UniqueConstraint("project_id", "name", name="uq_kept_look_project_id_name"),
    )


def downgrade() -> None:
    op.drop_table("kept_look")
