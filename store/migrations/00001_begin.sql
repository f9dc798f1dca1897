-- +goose Up
CREATE TABLE scenes (
  id       CHAR(36) NOT NULL PRIMARY KEY,
  name     VARCHAR(255) NOT NULL,
  revision BIGINT NOT NULL,          -- number of the newest row in edits
  node     BIGINT NOT NULL,          -- the state that the scene is in
  summary  JSON NOT NULL,            -- what the list of scenes shows
  made     DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  changed  DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3)
);

-- Rows are only ever added. An edit makes a new state, its node being its seq; undo and redo move to
-- a state that is there.
CREATE TABLE edits (
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

CREATE TABLE snapshots (
  scene CHAR(36) NOT NULL,
  node  BIGINT NOT NULL,
  state LONGBLOB NOT NULL,           -- the scene as JSON, gzipped
  PRIMARY KEY (scene, node),
  FOREIGN KEY (scene) REFERENCES scenes (id) ON DELETE CASCADE
);

CREATE TABLE sources (
  id     CHAR(16) NOT NULL PRIMARY KEY,
  sha256 CHAR(64) NOT NULL UNIQUE,
  name   VARCHAR(255) NOT NULL,
  info   JSON NOT NULL,
  made   DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3)
);

CREATE TABLE jobs (
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

-- +goose Down
DROP TABLE jobs;
DROP TABLE sources;
DROP TABLE snapshots;
DROP TABLE edits;
DROP TABLE scenes;
