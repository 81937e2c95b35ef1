-- +goose Up
-- How often somebody has begun to hear a sound on a sheet that may be heard so often,
-- and whether they have had its words; the token opens the last hearing.
CREATE TABLE hearings (
  copy_id BIGINT UNSIGNED NOT NULL,
  person_id BIGINT UNSIGNED NOT NULL,
  mark_id VARCHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  times INT NOT NULL DEFAULT 0,
  words BOOLEAN NOT NULL DEFAULT FALSE,
  token_hash CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL DEFAULT '',
  until DATETIME(6) NULL,
  PRIMARY KEY (copy_id, person_id, mark_id),
  CONSTRAINT hearing_copy FOREIGN KEY (copy_id) REFERENCES copies (id) ON DELETE CASCADE,
  CONSTRAINT hearing_person FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE
);

-- +goose Down
DROP TABLE hearings;
