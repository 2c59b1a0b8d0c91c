"""Jobs on a radio or on a sheet are found without reading every card."""

from alembic import op

from unitone.store.schema import LIKE_INDEXES

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """An index on the serial number and one on the sheet of each card."""
    for statement in LIKE_INDEXES:
        op.execute(statement)
