"""Sheets (how a picture is prepared and cut), picture tasks, pictures with an original."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None

_MOMENT = sa.DateTime().with_variant(mysql.DATETIME(fsp=3), "mysql", "mariadb")
_DOCUMENT = sa.JSON().with_variant(mysql.LONGTEXT(), "mysql", "mariadb")
_KINDS = ("import", "prepare", "edges", "fill", "send", "export")
_STATES = ("waiting", "running", "asking", "stopped", "done", "failed")


def upgrade() -> None:
    with op.batch_alter_table("revision") as table:
        table.drop_constraint("fk_revision_shot_id", type_="foreignkey")
        table.drop_constraint("uq_revision_shot_id_number", type_="unique")
        table.alter_column(
            "shot_id", new_column_name="owner_id", existing_type=sa.Integer(), nullable=False
        )
        table.create_unique_constraint("uq_revision_owner_id_number", ["owner_id", "number"])
        table.create_foreign_key(
            "fk_revision_owner_id", "shot", ["owner_id"], ["id"], ondelete="CASCADE"
        )
    op.add_column("picture", sa.Column("original", sa.String(255), nullable=True))
    op.execute("UPDATE picture SET original = file")
    op.alter_column("picture", "original", existing_type=sa.String(255), nullable=False)
    op.add_column(
        "picture", sa.Column("role", sa.String(16), nullable=False, server_default="original")
    )
    op.add_column("picture", sa.Column("source_id", sa.Integer(), nullable=True))
    op.add_column("picture", sa.Column("placing", sa.JSON(), nullable=True))
    op.create_foreign_key(
        "fk_picture_source_id", "picture", "picture", ["source_id"], ["id"], ondelete="SET NULL"
    )
    op.create_table(
        "sheet",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("picture_id", sa.Integer(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("created", _MOMENT, nullable=False),
        sa.Column("changed", _MOMENT, nullable=False),
        sa.ForeignKeyConstraint(
            ["picture_id"], ["picture.id"], name="fk_sheet_picture_id", ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name="pk_sheet"),
        sa.UniqueConstraint("picture_id", name="uq_sheet_picture_id"),
    )
    op.create_table(
        "sheet_revision",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("owner_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("label", sa.String(80), nullable=False),
        sa.Column("document", _DOCUMENT, nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=True),
        sa.Column("created", _MOMENT, nullable=False),
        sa.ForeignKeyConstraint(
            ["owner_id"], ["sheet.id"], name="fk_sheet_revision_owner_id", ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["person_id"], ["person.id"], name="fk_sheet_revision_person_id", ondelete="SET NULL"
        ),
        sa.PrimaryKeyConstraint("id", name="pk_sheet_revision"),
        sa.UniqueConstraint("owner_id", "number", name="uq_sheet_revision_owner_id_number"),
    )
    op.create_table(
        "picture_task",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("project_id", sa.Integer(), nullable=False),
        sa.Column("picture_id", sa.Integer(), nullable=True),
        sa.Column("person_id", sa.Integer(), nullable=True),
        sa.Column(
            "kind", sa.Enum(*_KINDS, native_enum=False, length=16, name="taskkind"), nullable=False
        ),
        sa.Column(
            "state",
            sa.Enum(*_STATES, native_enum=False, length=16, name="jobstate"),
            nullable=False,
        ),
        sa.Column("name", sa.String(255), nullable=False),
        sa.Column("arguments", sa.JSON(), nullable=False),
        sa.Column("result", sa.JSON(), nullable=False),
        sa.Column("share", sa.Double(), nullable=False),
        sa.Column("words", sa.String(120), nullable=False),
        sa.Column("error", sa.Text(), nullable=False),
        sa.Column("worker", sa.String(80), nullable=False),
        sa.Column("beat", _MOMENT, nullable=True),
        sa.Column("created", _MOMENT, nullable=False),
        sa.Column("started", _MOMENT, nullable=True),
        sa.Column("finished", _MOMENT, nullable=True),
        sa.ForeignKeyConstraint(
            ["project_id"], ["project.id"], name="fk_picture_task_project_id", ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["picture_id"], ["picture.id"], name="fk_picture_task_picture_id", ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["person_id"], ["person.id"], name="fk_picture_task_person_id", ondelete="SET NULL"
        ),
        sa.PrimaryKeyConstraint("id", name="pk_picture_task"),
    )


def downgrade() -> None:
    op.drop_table("picture_task")
    op.drop_table("sheet_revision")
    op.drop_table("sheet")
    op.drop_constraint("fk_picture_source_id", "picture", type_="foreignkey")
    for column in ("placing", "source_id", "role", "original"):
        op.drop_column("picture", column)
    with op.batch_alter_table("revision") as table:
        table.drop_constraint("fk_revision_owner_id", type_="foreignkey")
        table.drop_constraint("uq_revision_owner_id_number", type_="unique")
        table.alter_column(
            "owner_id", new_column_name="shot_id", existing_type=sa.Integer(), nullable=False
        )
        table.create_unique_constraint("uq_revision_shot_id_number", ["shot_id", "number"])
        table.create_foreign_key(
            "fk_revision_shot_id", "shot", ["shot_id"], ["id"], ondelete="CASCADE"
        )
