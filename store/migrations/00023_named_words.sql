-- +goose Up
-- A student lets teachers see which words they have looked up.
ALTER TABLE memberships ADD COLUMN names_words BOOLEAN NOT NULL DEFAULT FALSE;

-- +goose Down
ALTER TABLE memberships DROP COLUMN names_words;
