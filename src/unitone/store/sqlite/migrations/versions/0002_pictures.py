"""Jobs carry the pictures of their sheet."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Contents by their hash."""
    op.create_table(
        "blob", sa.Column("hash", sa.String(64), primary_key=True), sa.Column("content", sa.LargeBinary, nullable=False)
    )
