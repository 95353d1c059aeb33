"""Pins of the push-pull stage move to the front end, whichever its topology."""

from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("""UPDATE revisions SET content = REPLACE(content, '"push_pull.', '"front_end.')""")


def downgrade() -> None:
    op.execute("""UPDATE revisions SET content = REPLACE(content, '"front_end.', '"push_pull.')""")
