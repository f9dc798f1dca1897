-- +goose Up
-- Blends by name, for all scenes. body is a scene.Style; is_default is 1 for the one that is applied by one key, else NULL.
CREATE TABLE blends (
  name       VARCHAR(80) NOT NULL PRIMARY KEY,
  body       JSON NOT NULL,
  is_default TINYINT NULL UNIQUE
);
INSERT INTO blends (name, body, is_default) VALUES
  ('Speech', '{"law":"constant_power","frames":4,"lean":0}', 1),
  ('Splice', '{"law":"constant_gain","ms":5,"lean":0}', NULL),
  ('Matched', '{"law":"matched","frames":6,"lean":0}', NULL),
  ('Effects into voice', '{"law":"constant_power","ms":1000,"lean":-0.5}', NULL),
  ('Music', '{"law":"constant_power","ms":3000,"lean":0}', NULL);

-- +goose Down
DROP TABLE blends;
