-- +goose Up
-- Tones of before are of a production that has their recording.
UPDATE tones t SET production = (SELECT MIN(p.production) FROM production_sources p WHERE p.source = t.source)
WHERE t.made_up IS NULL AND t.production IS NULL;
