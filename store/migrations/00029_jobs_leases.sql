-- +goose Up
-- When the process that does a job was last heard of, how far it is, and whether somebody asked it to stop.
ALTER TABLE jobs ADD COLUMN IF NOT EXISTS beat DATETIME(3) NOT NULL DEFAULT '2000-01-01 00:00:00',
  ADD COLUMN IF NOT EXISTS progress DOUBLE NOT NULL DEFAULT 0, ADD COLUMN IF NOT EXISTS stopping BOOLEAN NOT NULL DEFAULT FALSE,
  ADD COLUMN IF NOT EXISTS account CHAR(36) NOT NULL DEFAULT '', ADD COLUMN IF NOT EXISTS who VARCHAR(200) NOT NULL DEFAULT '',
  ADD KEY IF NOT EXISTS left_jobs (state, beat);
