-- +goose Up
-- Blends by name are a production's.
ALTER TABLE blends ADD COLUMN IF NOT EXISTS production CHAR(36) NOT NULL DEFAULT 'first', DROP PRIMARY KEY,
  ADD PRIMARY KEY (production, name), DROP INDEX IF EXISTS is_default,
  ADD UNIQUE KEY IF NOT EXISTS default_of (production, is_default);
