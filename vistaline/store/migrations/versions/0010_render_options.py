"""What was chosen of an output."""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("render_job", sa.Column("options", sa.JSON(), nullable=True))


def downgrade() -> None:
    op.drop_column("render_job", "options")
