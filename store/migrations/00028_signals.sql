-- +goose Up
-- Counts what happens to a scene besides edits: notes, pages, jobs. Other processes see by it that they have to look.
CREATE TABLE IF NOT EXISTS signals (
  scene CHAR(36) NOT NULL PRIMARY KEY,
  n     BIGINT NOT NULL
);
