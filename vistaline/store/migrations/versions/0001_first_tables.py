"""First tables"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    """First tables."""
    op.create_table(
        "person",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=80), nullable=False),
        sa.Column("password_hash", sa.String(length=255), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_person")),
        sa.UniqueConstraint("name", name=op.f("uq_person_name")),
    )
    op.create_table(
        "project",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column(
            "created",
            sa.DateTime()
            .with_variant(mysql.DATETIME(fsp=3), "mariadb")
            .with_variant(mysql.DATETIME(fsp=3), "mysql"),
            nullable=False,
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_project")),
    )
    op.create_table(
        "membership",
        sa.Column("project_id", sa.Integer(), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column(
            "role",
            sa.Enum("owner", "member", name="role", native_enum=False, length=16),
            nullable=False,
        ),
        sa.ForeignKeyConstraint(
            ["person_id"], ["person.id"], name=op.f("fk_membership_person_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["project_id"],
            ["project.id"],
            name=op.f("fk_membership_project_id"),
            ondelete="CASCADE",
        ),
        sa.PrimaryKeyConstraint("project_id", "person_id", name=op.f("pk_membership")),
    )
    op.create_table(
        "picture",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("project_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=255), nullable=False),
        sa.Column("file", sa.String(length=255), nullable=False),
        sa.Column("sha256", sa.String(length=64), nullable=False),
        sa.Column("width", sa.Integer(), nullable=False),
        sa.Column("height", sa.Integer(), nullable=False),
        sa.Column("format", sa.String(length=16), nullable=False),
        sa.Column("bits", sa.Integer(), nullable=False),
        sa.Column("has_alpha", sa.Boolean(), nullable=False),
        sa.Column("size", sa.Integer(), nullable=False),
        sa.Column(
            "created",
            sa.DateTime()
            .with_variant(mysql.DATETIME(fsp=3), "mariadb")
            .with_variant(mysql.DATETIME(fsp=3), "mysql"),
            nullable=False,
        ),
        sa.ForeignKeyConstraint(
            ["project_id"], ["project.id"], name=op.f("fk_picture_project_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_picture")),
        sa.UniqueConstraint("project_id", "sha256", name=op.f("uq_picture_project_id_sha256")),
    )
    op.create_table(
        "shot",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("project_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column(
            "created",
            sa.DateTime()
            .with_variant(mysql.DATETIME(fsp=3), "mariadb")
            .with_variant(mysql.DATETIME(fsp=3), "mysql"),
            nullable=False,
        ),
        sa.Column(
            "changed",
            sa.DateTime()
            .with_variant(mysql.DATETIME(fsp=3), "mariadb")
            .with_variant(mysql.DATETIME(fsp=3), "mysql"),
            nullable=False,
        ),
        sa.ForeignKeyConstraint(
            ["project_id"], ["project.id"], name=op.f("fk_shot_project_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_shot")),
    )
    op.create_table(
        "render_job",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("shot_id", sa.Integer(), nullable=False),
        sa.Column(
            "kind",
            sa.Enum("mp4", "png", name="outputkind", native_enum=False, length=16),
            nullable=False,
        ),
        sa.Column(
            "state",
            sa.Enum(
                "waiting",
                "running",
                "stopped",
                "done",
                "failed",
                name="jobstate",
                native_enum=False,
                length=16,
            ),
            nullable=False,
        ),
        sa.Column("name", sa.String(length=255), nullable=False),
        sa.Column(
            "document",
            sa.JSON()
            .with_variant(mysql.LONGTEXT(), "mariadb")
            .with_variant(mysql.LONGTEXT(), "mysql"),
            nullable=False,
        ),
        sa.Column("scale", sa.Double(), nullable=False),
        sa.Column("frames", sa.Integer(), nullable=False),
        sa.Column("error", sa.Text(), nullable=False),
        sa.Column("result", sa.String(length=255), nullable=False),
        sa.Column("size", sa.Integer(), nullable=False),
        sa.Column(
            "created",
            sa.DateTime()
            .with_variant(mysql.DATETIME(fsp=3), "mariadb")
            .with_variant(mysql.DATETIME(fsp=3), "mysql"),
            nullable=False,
        ),
        sa.Column(
            "started",
            sa.DateTime()
            .with_variant(mysql.DATETIME(fsp=3), "mariadb")
            .with_variant(mysql.DATETIME(fsp=3), "mysql"),
            nullable=True,
        ),
        sa.Column(
            "finished",
            sa.DateTime()
            .with_variant(mysql.DATETIME(fsp=3), "mariadb")
            .with_variant(mysql.DATETIME(fsp=3), "mysql"),
            nullable=True,
        ),
        sa.ForeignKeyConstraint(
            ["shot_id"], ["shot.id"], name=op.f("fk_render_job_shot_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_render_job")),
    )
    op.create_table(
        "revision",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("shot_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("label", sa.String(length=80), nullable=False),
        sa.Column(
            "document",
            sa.JSON()
            .with_variant(mysql.LONGTEXT(), "mariadb")
            .with_variant(mysql.LONGTEXT(), "mysql"),
            nullable=False,
        ),
        sa.Column("person_id", sa.Integer(), nullable=True),
        sa.Column(
            "created",
            sa.DateTime()
            .with_variant(mysql.DATETIME(fsp=3), "mariadb")
            .with_variant(mysql.DATETIME(fsp=3), "mysql"),
            nullable=False,
        ),
        sa.ForeignKeyConstraint(
            ["person_id"], ["person.id"], name=op.f("fk_revision_person_id"), ondelete="SET NULL"
        ),
        sa.ForeignKeyConstraint(
            ["shot_id"], ["shot.id"], name=op.f("fk_revision_shot_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_revision")),
        sa.UniqueConstraint("shot_id", "number", name=op.f("uq_revision_shot_id_number")),
    )
    op.create_table(
        "render_range",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("job_id", sa.Integer(), nullable=False),
        sa.Column("start", sa.Integer(), nullable=False),
        sa.Column("stop", sa.Integer(), nullable=False),
        sa.Column(
            "state",
            sa.Enum("waiting", "running", "done", name="rangestate", native_enum=False, length=16),
            nullable=False,
        ),
        sa.Column("done", sa.Integer(), nullable=False),
        sa.Column("worker", sa.String(length=80), nullable=False),
        sa.Column(
            "beat",
            sa.DateTime()
            .with_variant(mysql.DATETIME(fsp=3), "mariadb")
            .with_variant(mysql.DATETIME(fsp=3), "mysql"),
            nullable=True,
        ),
        sa.ForeignKeyConstraint(
            ["job_id"], ["render_job.id"], name=op.f("fk_render_range_job_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_render_range")),
    )


def downgrade() -> None:
    """Go back."""
    op.drop_table("render_range")
    op.drop_table("revision")
    op.drop_table("render_job")
    op.drop_table("shot")
    op.drop_table("picture")
    op.drop_table("membership")
    op.drop_table("project")
    op.drop_table("person")
