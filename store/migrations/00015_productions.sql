-- +goose Up
-- A production holds scenes and recordings; people have a role in it.
CREATE TABLE IF NOT EXISTS productions (
  id   CHAR(36) NOT NULL PRIMARY KEY,
  name VARCHAR(200) NOT NULL UNIQUE,
  made DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3)
);
