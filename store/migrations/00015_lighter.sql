-- +goose Up
-- Pictures of pages for slow lines stand beside the others.
ALTER TABLE pictures ADD COLUMN light BOOLEAN NOT NULL DEFAULT FALSE, DROP PRIMARY KEY, ADD PRIMARY KEY (file_hash, page, scale, light);

-- +goose Down
DELETE FROM pictures WHERE light;
ALTER TABLE pictures DROP PRIMARY KEY, ADD PRIMARY KEY (file_hash, page, scale), DROP COLUMN light;
