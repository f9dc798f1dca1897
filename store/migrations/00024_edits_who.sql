-- +goose Up
-- Who did it, by name as it was, and by account; '' is whoever works where there are none. takes_back is the state whose
-- edit this one takes back.
ALTER TABLE edits ADD COLUMN IF NOT EXISTS account CHAR(36) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS who VARCHAR(200) NOT NULL DEFAULT '', ADD COLUMN IF NOT EXISTS takes_back BIGINT NULL;
