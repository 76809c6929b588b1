"""Films, and renders of them."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None

_MOMENT = sa.DateTime().with_variant(mysql.DATETIME(fsp=3), "mysql", "mariadb")
_DOCUMENT = sa.JSON().with_variant(mysql.LONGTEXT(), "mysql", "mariadb")


def upgrade() -> None:
    op.create_table(
        "film",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("project_id", sa.Integer(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("created", _MOMENT, nullable=False),
        sa.Column("changed", _MOMENT, nullable=False),
        sa.Column("last_key", sa.String(40), nullable=False, server_default=""),
        sa.ForeignKeyConstraint(
            ["project_id"], ["project.id"], name="fk_film_project_id", ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name="pk_film"),
        sa.UniqueConstraint("project_id", name="uq_film_project_id"),
    )
    op.create_table(
        "film_revision",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("owner_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("label", sa.String(80), nullable=False),
        sa.Column("document", _DOCUMENT, nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=True),
        sa.Column("created", _MOMENT, nullable=False),
        sa.ForeignKeyConstraint(
            ["owner_id"], ["film.id"], name="fk_film_revision_owner_id", ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["person_id"], ["person.id"], name="fk_film_revision_person_id", ondelete="SET NULL"
        ),
        sa.PrimaryKeyConstraint("id", name="pk_film_revision"),
        sa.UniqueConstraint("owner_id", "number", name="uq_film_revision_owner_id_number"),
    )
    op.add_column("render_job", sa.Column("film_id", sa.Integer(), nullable=True))
    op.create_foreign_key(
        "fk_render_job_film_id", "render_job", "film", ["film_id"], ["id"], ondelete="CASCADE"
    )
    op.alter_column("render_job", "shot_id", existing_type=sa.Integer(), nullable=True)


def downgrade() -> None:
    op.execute("DELETE FROM render_job WHERE shot_id IS NULL")
    op.alter_column("render_job", "shot_id", existing_type=sa.Integer(), nullable=False)
    op.drop_constraint("fk_render_job_film_id", "render_job", type_="foreignkey")
    op.drop_column("render_job", "film_id")
    op.drop_table("film_revision")
    op.drop_table("film")
