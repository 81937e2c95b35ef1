-- +goose Up
-- A page that is only a picture, of which no words are known yet.
ALTER TABLE file_pages ADD COLUMN wordless BOOLEAN NOT NULL DEFAULT FALSE, ADD KEY (wordless);
-- How often words came behind, or were put right, after the revision was handed out.
ALTER TABLE revisions ADD COLUMN reread INT NOT NULL DEFAULT 0;
UPDATE file_pages SET wordless = TRUE WHERE text = '';
INSERT INTO jobs (kind, ref, due_at, tries, error, created_at) SELECT 'scans', 0, UTC_TIMESTAMP(6), 0, '', UTC_TIMESTAMP(6) FROM file_pages WHERE wordless LIMIT 1;

-- +goose Down
DELETE FROM jobs WHERE kind = 'scans';
ALTER TABLE revisions DROP COLUMN reread;
ALTER TABLE file_pages DROP COLUMN wordless;
