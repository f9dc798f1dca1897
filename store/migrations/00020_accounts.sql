-- +goose Up
-- password is of argon2id, NULL for people whom somebody else vouches for; subject is who they are there. stamp goes up
-- whenever sessions of before are to end.
CREATE TABLE IF NOT EXISTS accounts (
  id       CHAR(36) NOT NULL PRIMARY KEY,
  name     VARCHAR(120) NOT NULL UNIQUE,
  shown    VARCHAR(200) NOT NULL,
  password VARCHAR(255) NULL,
  subject  VARCHAR(255) NULL UNIQUE,
  stamp    BIGINT NOT NULL DEFAULT 0,
  made     DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3)
);
