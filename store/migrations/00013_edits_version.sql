-- +goose Up
-- How edits were written when this one was, see store.EditsVersion; 0 for those of earlier releases.
ALTER TABLE edits ADD COLUMN IF NOT EXISTS version INT NOT NULL DEFAULT 0;
