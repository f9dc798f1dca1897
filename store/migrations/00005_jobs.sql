-- +goose Up
CREATE TABLE IF NOT EXISTS jobs (
  id     CHAR(36) NOT NULL PRIMARY KEY,
  scene  CHAR(36) NULL,
  kind   VARCHAR(32) NOT NULL,
  words  TEXT NOT NULL,
  state  ENUM('running', 'done', 'failed', 'stopped') NOT NULL,
  result JSON NULL,
  error  TEXT NULL,
  made   DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  KEY (scene, made)
);
