"""The first logbook on a server.

Every row that other benches have to hear of carries the number of its last change. The numbers are given one transaction
after another (an advisory lock is held until the commit), so that whoever has seen number n has seen all below it.
"""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None

_STAMP = """
CREATE FUNCTION unitone_stamp() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    PERFORM pg_advisory_xact_lock(2026112907);
    NEW.change := nextval('unitone_change');
    RETURN NEW;
END $$
"""
_CARD = """
CREATE FUNCTION unitone_card() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    NEW.serial := NEW.card::json ->> 'serial';
    NEW.sheet_id := NEW.card::json ->> 'sheet_id';
    RETURN NEW;
END $$
"""
_STAMPED = ("meta", "snapshot", "blob", "job", "entry")


def _change() -> sa.Column[int]:
    return sa.Column("change", sa.BigInteger, nullable=False, unique=True)


def upgrade() -> None:
    """Jobs, entries, shared texts, pictures, settings, the search index; benches, what they have open, numbers set aside."""
    op.execute("CREATE SEQUENCE unitone_change")
    op.create_table(
        "meta",
        sa.Column("key", sa.String(80), primary_key=True),
        sa.Column("value", sa.Text, nullable=False),
        _change(),
    )
    op.create_table(
        "snapshot",
        sa.Column("hash", sa.String(64), primary_key=True),
        sa.Column("text", sa.Text, nullable=False),
        _change(),
    )
    op.create_table(
        "blob",
        sa.Column("hash", sa.String(64), primary_key=True),
        sa.Column("content", sa.LargeBinary, nullable=False),
        _change(),
    )
    op.create_table(
        "job",
        sa.Column("id", sa.String(26), primary_key=True),
        sa.Column("number", sa.Integer, nullable=False, unique=True),
        sa.Column("radio", sa.Text, nullable=False),
        sa.Column("status", sa.String(20), nullable=False),
        sa.Column("updated", sa.String(32), nullable=False),
        sa.Column("card", sa.Text, nullable=False),
        sa.Column("summary", sa.Text, nullable=False),
        sa.Column("serial", sa.Text),
        sa.Column("sheet_id", sa.Text),
        _change(),
    )
    op.create_index("job_status", "job", ["status", "number"])
    op.create_index("job_serial", "job", ["serial", "number"])
    op.create_index("job_sheet", "job", ["sheet_id", "number"])
    op.create_table(
        "entry",
        sa.Column("id", sa.String(26), primary_key=True),
        sa.Column("job_id", sa.String(26), sa.ForeignKey("job.id"), nullable=False),
        sa.Column("seq", sa.Integer, nullable=False),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("utc", sa.String(32), nullable=False),
        sa.Column("bench_s", sa.Double, nullable=False),
        sa.Column("data", sa.Text, nullable=False),
        _change(),
        sa.UniqueConstraint("job_id", "seq", name="entry_once"),
    )
    op.execute("CREATE TABLE job_words (number integer PRIMARY KEY, words tsvector NOT NULL)")
    op.execute("CREATE INDEX job_words_found ON job_words USING gin (words)")
    op.create_table(
        "bench",
        sa.Column("id", sa.String(26), primary_key=True),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("heard", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_table(
        "held",
        sa.Column("job_id", sa.String(26), primary_key=True),
        sa.Column("bench", sa.String(26), sa.ForeignKey("bench.id"), nullable=False),
        sa.Column("since", sa.DateTime(timezone=True), nullable=False),
        sa.Column("wanted_by", sa.String(26)),
    )
    op.create_table(
        "set_aside",
        sa.Column("first", sa.Integer, primary_key=True),
        sa.Column("last", sa.Integer, nullable=False),
        sa.Column("bench", sa.String(26), nullable=False),
    )
    op.execute(_STAMP)
    for table in _STAMPED:
        op.execute(
            f"CREATE TRIGGER unitone_stamped BEFORE INSERT OR UPDATE ON {table} FOR EACH ROW EXECUTE FUNCTION unitone_stamp()"
        )
    op.execute(_CARD)
    op.execute(
        "CREATE TRIGGER unitone_card BEFORE INSERT OR UPDATE ON job FOR EACH ROW EXECUTE FUNCTION unitone_card()"
    )
