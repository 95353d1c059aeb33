"""The drawer: what is at hand of which part."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "drawer",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("designation", sa.String(40, collation="utf8mb4_bin"), nullable=False),
        sa.Column("content", sa.JSON, nullable=False),
        sa.UniqueConstraint("kind", "designation", name="uq_drawer"),
    )


def downgrade() -> None:
    op.drop_table("drawer")
