"""How a row is put down, in words that both engines know; they also hold where another bench puts down the same at the same moment."""

from __future__ import annotations

PUT_SETTING = (
    "INSERT INTO meta (key, value) VALUES (:key, :value) ON CONFLICT (key) DO UPDATE SET value = excluded.value"
)
PUT_SNAPSHOT = "INSERT INTO snapshot (hash, text) VALUES (:hash, :text) ON CONFLICT DO NOTHING"
PUT_BLOB = "INSERT INTO blob (hash, content) VALUES (:hash, :content) ON CONFLICT DO NOTHING"
#: The list's picture of a job; its number stays.
PUT_JOB = (
    "INSERT INTO job (id, number, radio, status, updated, card, summary) "
    "VALUES (:id, :number, :radio, :status, :updated, :card, :summary) ON CONFLICT (id) DO UPDATE SET "
    "radio = excluded.radio, status = excluded.status, updated = excluded.updated, card = excluded.card, "
    "summary = excluded.summary"
)
PUT_ENTRY = (
    "INSERT INTO entry (id, job_id, seq, kind, utc, bench_s, data) "
    "VALUES (:id, :job_id, :seq, :kind, :utc, :bench_s, :data) ON CONFLICT DO NOTHING"
)
