-- +goose Up
-- Keys are everybody's own.
ALTER TABLE command_keys ADD COLUMN IF NOT EXISTS account CHAR(36) NOT NULL DEFAULT '', DROP PRIMARY KEY,
  ADD PRIMARY KEY (account, command);
