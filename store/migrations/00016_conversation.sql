-- +goose Up
-- What was asked of the teachers before a copy was submitted, with the marks that
-- stood beside it, and what one person of the course was asked. The words are in
-- the operation.
CREATE TABLE questions (
  copy_id BIGINT UNSIGNED NOT NULL,
  mark_id VARCHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  note_id VARCHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  layer VARCHAR(20) NOT NULL,
  op_id VARCHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  asker_id BIGINT UNSIGNED NOT NULL,
  asked_id BIGINT UNSIGNED NULL,
  at DATETIME(6) NOT NULL,
  answered_at DATETIME(6) NULL,
  patch MEDIUMTEXT NULL,
  PRIMARY KEY (copy_id, mark_id),
  KEY (asked_id),
  CONSTRAINT question_copy FOREIGN KEY (copy_id) REFERENCES copies (id) ON DELETE CASCADE,
  CONSTRAINT question_asker FOREIGN KEY (asker_id) REFERENCES people (id) ON DELETE CASCADE,
  CONSTRAINT question_asked FOREIGN KEY (asked_id) REFERENCES people (id) ON DELETE CASCADE
);
-- How much was said aloud in what was returned, and to where it was heard.
ALTER TABLE attempts ADD COLUMN spoken INT NOT NULL DEFAULT 0;
CREATE TABLE heard (
  copy_id BIGINT UNSIGNED NOT NULL,
  attempt INT NOT NULL,
  mark_id VARCHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  milliseconds INT NOT NULL,
  at DATETIME(6) NOT NULL,
  PRIMARY KEY (copy_id, attempt, mark_id),
  CONSTRAINT heard_attempt FOREIGN KEY (copy_id, attempt) REFERENCES attempts (copy_id, number) ON DELETE CASCADE
);

-- +goose Down
DROP TABLE heard;
ALTER TABLE attempts DROP COLUMN spoken;
DROP TABLE questions;
