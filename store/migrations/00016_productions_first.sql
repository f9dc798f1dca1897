-- +goose Up
-- What is there without people is the first production's.
INSERT IGNORE INTO productions (id, name) VALUES ('first', 'Main');
