-- +goose Up
-- What there is at first; where there are blends, an earlier release put these among them.
INSERT INTO blends (name, body, is_default)
SELECT name, body, is_default FROM (
  SELECT 'Speech' AS name, '{"law":"constant_power","frames":4,"lean":0}' AS body, 1 AS is_default
  UNION ALL SELECT 'Splice', '{"law":"constant_gain","ms":5,"lean":0}', NULL
  UNION ALL SELECT 'Matched', '{"law":"matched","frames":6,"lean":0}', NULL
  UNION ALL SELECT 'Effects into voice', '{"law":"constant_power","ms":1000,"lean":-0.5}', NULL
  UNION ALL SELECT 'Music', '{"law":"constant_power","ms":3000,"lean":0}', NULL
) AS given WHERE NOT EXISTS (SELECT 1 FROM blends);
