-- +goose Up
-- What processes measure for each other: under a key that says all that a figure follows from, who does it since when,
-- and what was found. And the scenes whose process asks others to measure with it.
CREATE TABLE IF NOT EXISTS measures (
  id     CHAR(64) CHARACTER SET ascii NOT NULL PRIMARY KEY,
  taker  CHAR(36) CHARACTER SET ascii NOT NULL,
  taken  DATETIME(3) NOT NULL,
  result TEXT,
  KEY (taken),
  KEY (taker)
);
CREATE TABLE IF NOT EXISTS audits (
  taker CHAR(36) CHARACTER SET ascii NOT NULL PRIMARY KEY,
  scene CHAR(36) NOT NULL,
  node  BIGINT NOT NULL,
  at    DATETIME(3) NOT NULL
);
