-- +goose Up
-- Blends by name, for all scenes. body is a scene.Style; is_default is 1 for the one that is applied by one key, else NULL.
CREATE TABLE IF NOT EXISTS blends (
  name       VARCHAR(80) NOT NULL PRIMARY KEY,
  body       JSON NOT NULL,
  is_default TINYINT NULL UNIQUE
);
