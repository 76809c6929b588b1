"""The order of a project's shots, and which were removed."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None

_MOMENT = sa.DateTime().with_variant(mysql.DATETIME(fsp=3), "mysql", "mariadb")


def upgrade() -> None:
    op.create_table(
        "shot_listing",
        sa.Column(
            "shot_id", sa.Integer(), sa.ForeignKey("shot.id", ondelete="CASCADE"), primary_key=True
        ),
        sa.Column("place", sa.Integer(), nullable=True),
        sa.Column("removed", _MOMENT, nullable=True),
    )


def downgrade() -> None:
    op.drop_table("shot_listing")
