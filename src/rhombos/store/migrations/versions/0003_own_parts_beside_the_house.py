"""A part of one's own stands beside the house part of its designation, and comes before it."""

from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.drop_constraint("kind", "parts", type_="unique")
    op.create_unique_constraint("uq_parts", "parts", ["kind", "designation", "origin"])


def downgrade() -> None:
    op.execute("""DELETE house FROM parts house JOIN parts own ON own.kind = house.kind AND own.designation = house.designation
                  AND own.origin = 'own' WHERE house.origin = 'house'""")
    op.drop_constraint("uq_parts", "parts", type_="unique")
    op.create_unique_constraint("kind", "parts", ["kind", "designation"])
