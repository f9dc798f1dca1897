-- +goose Up
-- "go" moves to any state that is there.
ALTER TABLE edits MODIFY op ENUM('edit', 'undo', 'redo', 'go') NOT NULL;

-- A version is a name for a state.
CREATE TABLE versions (
  scene CHAR(36) NOT NULL,
  name  VARCHAR(120) NOT NULL,
  node  BIGINT NOT NULL,
  made  DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (scene, name),
  FOREIGN KEY (scene) REFERENCES scenes (id) ON DELETE CASCADE
);

-- Commands whose keys are not those of the start set.
CREATE TABLE command_keys (
  command       VARCHAR(64) NOT NULL PRIMARY KEY,
  pressed_keys  JSON NOT NULL
);

-- +goose Down
DROP TABLE command_keys;
DROP TABLE versions;
DELETE FROM edits WHERE op = 'go';
ALTER TABLE edits MODIFY op ENUM('edit', 'undo', 'redo') NOT NULL;
