-- +goose Up
-- Room tones kept for later: a stretch of a recording, counted at its rate. thirds are the levels of its third-octaves, dBFS. A tone
-- with a made_up name ships with the application.
CREATE TABLE IF NOT EXISTS tones (
  id          CHAR(36) NOT NULL PRIMARY KEY,
  name        VARCHAR(120) NOT NULL,
  place       VARCHAR(160) NOT NULL DEFAULT '',
  source      CHAR(16) NOT NULL,
  from_sample BIGINT NOT NULL,
  to_sample   BIGINT NOT NULL,
  rate        INT NOT NULL,
  level_db    DOUBLE NOT NULL,
  thirds      JSON NOT NULL,
  made_up     VARCHAR(40) NULL UNIQUE,
  made        DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3)
);
