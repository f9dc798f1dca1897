-- +goose Up
-- Which production a tone is of; NULL for the rooms that come with the program.
ALTER TABLE tones ADD COLUMN IF NOT EXISTS production CHAR(36) NULL;
