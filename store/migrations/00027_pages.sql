-- +goose Up
-- Pages that are open on a scene, whose they are and which seam they have in hand; at is when that was last heard of.
CREATE TABLE IF NOT EXISTS pages (
  page    VARCHAR(64) NOT NULL PRIMARY KEY,
  scene   CHAR(36) NOT NULL,
  account CHAR(36) NOT NULL DEFAULT '',
  who     VARCHAR(200) NOT NULL DEFAULT '',
  seam    VARCHAR(255) NOT NULL DEFAULT '',
  at      DATETIME(3) NOT NULL,
  KEY (scene)
);
