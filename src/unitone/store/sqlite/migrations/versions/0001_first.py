"""The first logbook."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Jobs, entries, shared texts, settings and the search index."""
    op.create_table(
        "meta", sa.Column("key", sa.String(80), primary_key=True), sa.Column("value", sa.JSON, nullable=False)
    )
    op.create_table(
        "snapshot", sa.Column("hash", sa.String(64), primary_key=True), sa.Column("text", sa.Text, nullable=False)
    )
    op.create_table(
        "job",
        sa.Column("id", sa.String(26), primary_key=True),
        sa.Column("number", sa.Integer, nullable=False, unique=True),
        sa.Column("radio", sa.Text, nullable=False),
        sa.Column("status", sa.String(20), nullable=False),
        sa.Column("updated", sa.String(32), nullable=False),
        sa.Column("card", sa.JSON, nullable=False),
        sa.Column("summary", sa.JSON, nullable=False),
    )
    op.create_index("job_status", "job", ["status", "number"])
    op.create_table(
        "entry",
        sa.Column("id", sa.String(26), primary_key=True),
        sa.Column("job_id", sa.String(26), sa.ForeignKey("job.id"), nullable=False),
        sa.Column("seq", sa.Integer, nullable=False),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("utc", sa.String(32), nullable=False),
        sa.Column("bench_s", sa.Double, nullable=False),
        sa.Column("data", sa.JSON, nullable=False),
        sa.UniqueConstraint("job_id", "seq", name="entry_once"),
    )
    op.execute("CREATE VIRTUAL TABLE job_text USING fts5(job_id UNINDEXED, words)")
