-- +goose Up
-- Which recordings a production has. The same recording may be in several.
CREATE TABLE IF NOT EXISTS production_sources (
  production CHAR(36) NOT NULL,
  source     CHAR(16) NOT NULL,
  PRIMARY KEY (production, source),
  KEY (source)
);
