-- +goose Up
-- Remarks on scenes. of is the note that one answers, '' for one of its own; place is where it was put, see core/audit/notes.
CREATE TABLE IF NOT EXISTS notes (
  id         CHAR(36) NOT NULL PRIMARY KEY,
  scene      CHAR(36) NOT NULL,
  of         CHAR(36) NOT NULL DEFAULT '',
  place      JSON NOT NULL,
  text       TEXT NOT NULL,
  approves   BOOLEAN NOT NULL DEFAULT FALSE,
  account    CHAR(36) NOT NULL DEFAULT '',
  who        VARCHAR(200) NOT NULL DEFAULT '',
  settled_by VARCHAR(200) NULL,
  made       DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  KEY (scene, made),
  FOREIGN KEY (scene) REFERENCES scenes (id) ON DELETE CASCADE
);
