"""How finely a render is rendered."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column(
        "render_job",
        sa.Column("quality", sa.String(16), nullable=False, server_default="standard"),
    )


def downgrade() -> None:
    op.drop_column("render_job", "quality")
