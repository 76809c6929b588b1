"""What a render becomes, as one document, and its place in the list of renders."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None

_MOMENT = sa.DateTime().with_variant(mysql.DATETIME(fsp=3), "mysql", "mariadb")
_NAME = "{shot}-{take}-{camera}-{render}-{frame}"


def upgrade() -> None:
    for name in ("take", "camera"):
        op.add_column(
            "render_job", sa.Column(name, sa.String(80), nullable=False, server_default="")
        )
    for name in ("delivery", "span"):
        op.add_column("render_job", sa.Column(name, sa.JSON(), nullable=True))
    for name, usual in (("width", "0"), ("height", "0"), ("urgency", "1"), ("place", "0")):
        op.add_column(
            "render_job", sa.Column(name, sa.Integer(), nullable=False, server_default=usual)
        )
    op.add_column("project", sa.Column("keep_days", sa.Integer(), nullable=True))
    op.create_table(
        "render_note",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("job_id", sa.Integer(), nullable=False),
        sa.Column("at", _MOMENT, nullable=False),
        sa.Column("worker", sa.String(80), nullable=False),
        sa.Column("words", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(
            ["job_id"], ["render_job.id"], name="fk_render_note_job_id", ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name="pk_render_note"),
    )
    op.create_table(
        "kept_delivery",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("project_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("delivery", sa.JSON(), nullable=False),
        sa.Column("created", _MOMENT, nullable=False),
        sa.ForeignKeyConstraint(
            ["project_id"], ["project.id"], name="fk_kept_delivery_project_id", ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name="pk_kept_delivery"),
        sa.UniqueConstraint("project_id", "name", name="uq_kept_delivery_project_id_name"),
    )
    op.execute(
        "UPDATE render_job SET place = id, delivery = JSON_OBJECT("
        "'output', kind, 'scale', scale, 'quality', quality, "
        f"'options', COALESCE(JSON_EXTRACT(options, '$'), JSON_OBJECT()), 'name', '{_NAME}')"
    )
    for side in ("width", "height"):
        op.execute(
            f"UPDATE render_job SET {side} = "
            f"2 * ROUND(JSON_VALUE(document, '$.frame.{side}') * scale / 2) "
            f"WHERE JSON_VALUE(document, '$.frame.{side}') IS NOT NULL"
        )
    first = "(SELECT MIN(start) FROM render_range WHERE job_id = render_job.id)"
    last = "(SELECT MAX(stop) FROM render_range WHERE job_id = render_job.id)"
    op.execute(
        "UPDATE render_job SET span = JSON_OBJECT("
        f"'start', {first}, 'count', frames, 'every', 1, 'number', {first}, 'step', 1, "
        f"'duration', {last})"
    )
    # Ranges counted the shot's frames; now they count those that are handed over. Files of those
    # that were begun are called by the old count: they are rendered again.
    op.execute(
        "UPDATE render_range JOIN render_job ON render_job.id = job_id "
        "SET start = start - JSON_VALUE(span, '$.start'), stop = stop - JSON_VALUE(span, '$.start')"
    )
    op.execute(
        "UPDATE render_range JOIN render_job ON render_job.id = job_id "
        "SET render_range.state = 'waiting', done = 0, seconds = 0, render_range.worker = '' "
        "WHERE render_job.state <> 'done' AND JSON_VALUE(span, '$.start') <> 0"
    )
    op.alter_column("render_job", "delivery", existing_type=sa.JSON(), nullable=False)
    op.alter_column("render_job", "span", existing_type=sa.JSON(), nullable=False)
    for name in ("kind", "scale", "quality", "options"):
        op.drop_column("render_job", name)


def downgrade() -> None:
    op.add_column(
        "render_job", sa.Column("kind", sa.String(16), nullable=False, server_default="mp4")
    )
    op.add_column("render_job", sa.Column("scale", sa.Float(), nullable=False, server_default="1"))
    op.add_column(
        "render_job",
        sa.Column("quality", sa.String(16), nullable=False, server_default="standard"),
    )
    op.add_column("render_job", sa.Column("options", sa.JSON(), nullable=True))
    op.execute(
        "UPDATE render_job SET kind = JSON_VALUE(delivery, '$.output'), "
        "scale = JSON_VALUE(delivery, '$.scale'), quality = JSON_VALUE(delivery, '$.quality'), "
        "options = JSON_EXTRACT(delivery, '$.options')"
    )
    op.execute(
        "UPDATE render_range JOIN render_job ON render_job.id = job_id "
        "SET start = start + JSON_VALUE(span, '$.start'), stop = stop + JSON_VALUE(span, '$.start')"
    )
    op.drop_table("kept_delivery")
    op.drop_table("render_note")
    op.drop_column("project", "keep_days")
    for name in ("place", "urgency", "height", "width", "span", "delivery", "camera", "take"):
        op.drop_column("render_job", name)
