"""What the drawer held when a revision was saved; the workshop's currency."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "drawer_versions",
        sa.Column("version", sa.String(16, collation="ascii_bin"), primary_key=True),
        sa.Column("content", sa.JSON, nullable=False),
    )
    op.create_table(
        "settings",
        sa.Column("name", sa.String(20), primary_key=True),
        sa.Column("value", sa.String(40), nullable=False),
    )
    op.add_column("revisions", sa.Column("drawer", sa.String(16, collation="ascii_bin"), nullable=False, server_default=""))


def downgrade() -> None:
    op.drop_column("revisions", "drawer")
    op.drop_table("settings")
    op.drop_table("drawer_versions")
