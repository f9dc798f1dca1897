-- +goose Up
-- Rows are only ever added. An edit makes a new state, its node being its seq; undo and redo move to
-- a state that is there.
CREATE TABLE IF NOT EXISTS edits (
  scene  CHAR(36) NOT NULL,
  seq    BIGINT NOT NULL,
  op     ENUM('edit', 'undo', 'redo') NOT NULL,
  node   BIGINT NOT NULL,            -- the state after it
  parent BIGINT NOT NULL,            -- the state before it
  edit   MEDIUMTEXT NULL,
  words  TEXT NOT NULL,
  at     DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (scene, seq),
  FOREIGN KEY (scene) REFERENCES scenes (id) ON DELETE CASCADE
);
