-- +goose Up
CREATE TABLE IF NOT EXISTS scenes (
  id       CHAR(36) NOT NULL PRIMARY KEY,
  name     VARCHAR(255) NOT NULL,
  revision BIGINT NOT NULL,          -- number of the newest row in edits
  node     BIGINT NOT NULL,          -- the state that the scene is in
  summary  JSON NOT NULL,            -- what the list of scenes shows
  made     DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  changed  DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3)
);
