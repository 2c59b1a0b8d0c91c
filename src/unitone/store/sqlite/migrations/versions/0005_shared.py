"""A logbook may be one bench's copy of one that several share: what waits to be sent, and how far it has read."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """What waits, in the order in which it was written; and what the copy knows of itself."""
    op.create_table(
        "waiting",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
        sa.Column("what", sa.String(10), nullable=False),
        sa.Column("key", sa.String(80), nullable=False),
    )
    op.create_table(
        "link", sa.Column("key", sa.String(80), primary_key=True), sa.Column("value", sa.JSON, nullable=False)
    )
