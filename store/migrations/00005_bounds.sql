-- +goose Up
-- How much there is in a layer, so that it can be bounded without counting:
-- what is present, and all that was ever written.
ALTER TABLE layers ADD COLUMN marks INT NOT NULL DEFAULT 0, ADD COLUMN bytes BIGINT NOT NULL DEFAULT 0, ADD COLUMN written BIGINT NOT NULL DEFAULT 0;
UPDATE layers SET
  marks = (SELECT COUNT(*) FROM heads WHERE heads.copy_id = layers.copy_id AND heads.layer = layers.layer),
  bytes = (SELECT COALESCE(SUM(LENGTH(body)), 0) FROM heads WHERE heads.copy_id = layers.copy_id AND heads.layer = layers.layer),
  written = (SELECT COALESCE(SUM(LENGTH(body)), 0) FROM ops WHERE ops.copy_id = layers.copy_id AND ops.layer = layers.layer);

-- +goose Down
ALTER TABLE layers DROP COLUMN written, DROP COLUMN bytes, DROP COLUMN marks;
