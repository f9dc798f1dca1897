-- +goose Up
-- What a job was asked for, where another process can do it if its own has gone, and how many have begun with it.
ALTER TABLE jobs ADD COLUMN IF NOT EXISTS asked MEDIUMTEXT NULL, ADD COLUMN IF NOT EXISTS begun INT NOT NULL DEFAULT 1;
