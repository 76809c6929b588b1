"""Attempts and time of background work, tasks of a shot, keys of edits."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None

_MOMENT = sa.DateTime().with_variant(mysql.DATETIME(fsp=3), "mysql", "mariadb")
_WORKED = ("render_job", "render_range", "picture_task")
_REVISED = ("shot", "sheet")


def upgrade() -> None:
    for table in _WORKED:
        op.add_column(
            table, sa.Column("attempts", sa.Integer(), nullable=False, server_default="0")
        )
    op.add_column(
        "render_job", sa.Column("worker", sa.String(80), nullable=False, server_default="")
    )
    op.add_column("render_job", sa.Column("beat", _MOMENT, nullable=True))
    op.add_column(
        "render_range", sa.Column("seconds", sa.Double(), nullable=False, server_default="0")
    )
    op.add_column("picture_task", sa.Column("shot_id", sa.Integer(), nullable=True))
    op.create_foreign_key(
        "fk_picture_task_shot_id", "picture_task", "shot", ["shot_id"], ["id"], ondelete="CASCADE"
    )
    for table in _REVISED:
        op.add_column(
            table, sa.Column("last_key", sa.String(40), nullable=False, server_default="")
        )


def downgrade() -> None:
    for table in _REVISED:
        op.drop_column(table, "last_key")
    op.drop_constraint("fk_picture_task_shot_id", "picture_task", type_="foreignkey")
    op.drop_column("picture_task", "shot_id")
    op.drop_column("render_range", "seconds")
    op.drop_column("render_job", "beat")
    op.drop_column("render_job", "worker")
    for table in _WORKED:
        op.drop_column(table, "attempts")
