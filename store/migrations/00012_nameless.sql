-- +goose Up
-- Copies are marked without names, until they are returned.
ALTER TABLE assignments ADD COLUMN nameless BOOLEAN NOT NULL DEFAULT FALSE;

-- +goose Down
ALTER TABLE assignments DROP COLUMN nameless;
