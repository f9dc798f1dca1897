-- +goose Up
INSERT IGNORE INTO production_sources (production, source)
SELECT 'first', id FROM sources WHERE NOT EXISTS (SELECT 1 FROM production_sources);
