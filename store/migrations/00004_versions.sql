-- +goose Up
-- What two teachers may change in the same moment carries a version.
ALTER TABLE courses ADD COLUMN version INT NOT NULL DEFAULT 1;
ALTER TABLE assignments ADD COLUMN version INT NOT NULL DEFAULT 1;
-- A copy that was written on is never "not started".
UPDATE copies SET state = 'in progress', started_at = COALESCE(started_at, (SELECT MIN(at) FROM ops WHERE ops.copy_id = copies.id AND ops.layer = 'work'))
  WHERE state = 'not started' AND EXISTS (SELECT 1 FROM ops WHERE ops.copy_id = copies.id AND ops.layer = 'work');
-- Settings that are no object would break the pages that read them.
UPDATE people SET settings = '{}' WHERE NOT JSON_VALID(settings) OR JSON_TYPE(settings) <> 'OBJECT';

-- +goose Down
ALTER TABLE assignments DROP COLUMN version;
ALTER TABLE courses DROP COLUMN version;
