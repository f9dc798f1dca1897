-- +goose Up
-- "go" moves to any state that is there.
ALTER TABLE edits MODIFY op ENUM('edit', 'undo', 'redo', 'go') NOT NULL;
