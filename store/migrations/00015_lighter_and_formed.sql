-- +goose Up
-- Pictures of pages for slow lines stand beside the others.
ALTER TABLE pictures ADD COLUMN light BOOLEAN NOT NULL DEFAULT FALSE, DROP PRIMARY KEY, ADD PRIMARY KEY (file_hash, page, scale, light);
-- What is said often may have a form: bold, slanted, lists, links.
ALTER TABLE ready_remarks ADD COLUMN rich BOOLEAN NOT NULL DEFAULT FALSE;
ALTER TABLE attempts ADD COLUMN remark_rich BOOLEAN NOT NULL DEFAULT FALSE;

-- +goose Down
ALTER TABLE attempts DROP COLUMN remark_rich;
ALTER TABLE ready_remarks DROP COLUMN rich;
DELETE FROM pictures WHERE light;
ALTER TABLE pictures DROP PRIMARY KEY, ADD PRIMARY KEY (file_hash, page, scale), DROP COLUMN light;
