"""A person's clipboard, and type that is brought into projects."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None

_MOMENT = sa.DateTime().with_variant(mysql.DATETIME(fsp=3), "mysql", "mariadb")
_DOCUMENT = sa.JSON().with_variant(mysql.LONGTEXT(), "mysql", "mariadb")


def upgrade() -> None:
    op.add_column("person", sa.Column("clipboard", _DOCUMENT, nullable=True))
    op.create_table(
        "typeface",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("project_id", sa.Integer(), nullable=False),
        sa.Column("face", sa.String(80), nullable=False),
        sa.Column("name", sa.String(255), nullable=False),
        sa.Column("file", sa.String(255), nullable=False),
        sa.Column("created", _MOMENT, nullable=False),
        sa.ForeignKeyConstraint(
            ["project_id"], ["project.id"], name="fk_typeface_project_id", ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name="pk_typeface"),
        sa.UniqueConstraint("project_id", "face", name="uq_typeface_project_id_face"),
    )


def downgrade() -> None:
    op.drop_table("typeface")
    op.drop_column("person", "clipboard")
