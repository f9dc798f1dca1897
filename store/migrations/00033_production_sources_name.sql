-- +goose Up
-- What a recording is called in a production; NULL: as it was when it was brought in first.
ALTER TABLE production_sources ADD COLUMN IF NOT EXISTS name VARCHAR(255) NULL;
