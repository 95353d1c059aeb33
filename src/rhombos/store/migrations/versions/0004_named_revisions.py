"""A revision can be named."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("revisions", sa.Column("label", sa.String(80), nullable=False, server_default=""))


def downgrade() -> None:
    op.drop_column("revisions", "label")
