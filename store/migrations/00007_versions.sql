-- +goose Up
-- A version is a name for a state.
CREATE TABLE IF NOT EXISTS versions (
  scene CHAR(36) NOT NULL,
  name  VARCHAR(120) NOT NULL,
  node  BIGINT NOT NULL,
  made  DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (scene, name),
  FOREIGN KEY (scene) REFERENCES scenes (id) ON DELETE CASCADE
);
