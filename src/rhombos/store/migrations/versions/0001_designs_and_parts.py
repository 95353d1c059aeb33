"""Designs with revisions, and the shelf of parts."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "designs",
        sa.Column("id", sa.String(36), primary_key=True),
        sa.Column("head", sa.Integer, nullable=False),
        sa.Column("created", DATETIME(fsp=6), nullable=False),
        sa.Column("deleted", DATETIME(fsp=6), nullable=True),
    )
    op.create_table(
        "revisions",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
        sa.Column("design_id", sa.String(36), sa.ForeignKey("designs.id", ondelete="CASCADE"), nullable=False),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("content", sa.JSON, nullable=False),
        sa.Column("created", DATETIME(fsp=6), nullable=False),
        sa.UniqueConstraint("design_id", "number"),
    )
    op.create_table(
        "parts",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("designation", sa.String(40, collation="utf8mb4_bin"), nullable=False),
        sa.Column("origin", sa.String(8), nullable=False),
        sa.Column("content", sa.JSON, nullable=False),
        sa.UniqueConstraint("kind", "designation"),
    )
    op.create_index("ix_parts_kind", "parts", ["kind"])


def downgrade() -> None:
    op.drop_table("parts")
    op.drop_table("revisions")
    op.drop_table("designs")
