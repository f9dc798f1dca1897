-- +goose Up
CREATE TABLE IF NOT EXISTS snapshots (
  scene CHAR(36) NOT NULL,
  node  BIGINT NOT NULL,
  state LONGBLOB NOT NULL,           -- the scene as JSON, gzipped
  PRIMARY KEY (scene, node),
  FOREIGN KEY (scene) REFERENCES scenes (id) ON DELETE CASCADE
);
