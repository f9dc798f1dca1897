-- +goose Up
ALTER TABLE scenes ADD COLUMN IF NOT EXISTS production CHAR(36) NOT NULL DEFAULT 'first';
