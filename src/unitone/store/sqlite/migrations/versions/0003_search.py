"""The search index holds one row a job, numbered as the job is, so that a search reads no more than it shows."""

from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Gather the words of each job in one row."""
    op.execute("CREATE VIRTUAL TABLE job_words USING fts5(words)")
    op.execute(
        "INSERT INTO job_words (rowid, words) SELECT job.number, job.number || ' ' || printf('%04d', job.number) || ' ' || "
        "coalesce((SELECT group_concat(job_text.words, ' ') FROM job_text WHERE job_text.job_id = job.id), '') FROM job"
    )
    op.execute("DROP TABLE job_text")
