-- +goose Up
-- Each production has those that there were for all of them.
INSERT IGNORE INTO blends (production, name, body, is_default)
SELECT p.id, b.name, b.body, b.is_default FROM productions p JOIN blends b ON b.production = 'first'
WHERE NOT EXISTS (SELECT 1 FROM blends o WHERE o.production = p.id);
