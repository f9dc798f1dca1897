-- +goose Up
-- How often something was tried in a stretch of time, by all processes together.
CREATE TABLE IF NOT EXISTS tries (
  what  VARCHAR(200) NOT NULL,
  since BIGINT NOT NULL,             -- seconds since 1970
  n     INT NOT NULL,
  PRIMARY KEY (what, since),
  KEY (since)
);
