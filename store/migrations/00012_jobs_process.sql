-- +goose Up
-- The process that does a job; '' for one of an earlier release.
ALTER TABLE jobs ADD COLUMN IF NOT EXISTS process CHAR(36) NOT NULL DEFAULT '';
