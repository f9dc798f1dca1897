-- +goose Up
-- Commands whose keys are not those of the start set.
CREATE TABLE IF NOT EXISTS command_keys (
  command       VARCHAR(64) NOT NULL PRIMARY KEY,
  pressed_keys  JSON NOT NULL
);
