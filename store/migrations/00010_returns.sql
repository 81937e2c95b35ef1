-- +goose Up
-- What a student asked in what was handed in, by the names of the notes, and
-- whether help was received.
ALTER TABLE attempts ADD COLUMN asked TEXT NULL, ADD COLUMN helped BOOLEAN NOT NULL DEFAULT FALSE;
-- In which steps points are given, in quarters, and which attempt counts.
ALTER TABLE courses ADD COLUMN point_step INT NOT NULL DEFAULT 1, ADD COLUMN counts VARCHAR(8) NOT NULL DEFAULT 'best', ADD COLUMN weights TEXT NULL;
-- A student who need not do it.
ALTER TABLE copies ADD COLUMN excused BOOLEAN NOT NULL DEFAULT FALSE;
-- Every giving back of an attempt: planned, then done, stopped before that, or
-- withdrawn after it. What it stood in place of comes back with a withdrawal.
CREATE TABLE returns (
  id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
  copy_id BIGINT UNSIGNED NOT NULL,
  attempt INT NOT NULL,
  person_id BIGINT UNSIGNED NULL,
  planned_at DATETIME(6) NOT NULL,
  due_at DATETIME(6) NOT NULL,
  done_at DATETIME(6) NULL,
  stopped_at DATETIME(6) NULL,
  withdrawn_at DATETIME(6) NULL,
  before_hash CHAR(64) NULL,
  before_at DATETIME(6) NULL,
  before_opened DATETIME(6) NULL,
  KEY (copy_id, attempt),
  CONSTRAINT return_attempt FOREIGN KEY (copy_id, attempt) REFERENCES attempts (copy_id, number) ON DELETE CASCADE,
  CONSTRAINT return_person FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE SET NULL,
  CONSTRAINT return_before FOREIGN KEY (before_hash) REFERENCES blobs (hash)
);

-- Answers are compared in another form than before: they are laid down anew.
INSERT IGNORE INTO jobs (kind, ref, due_at, tries, error, created_at)
  SELECT 'answers', id, UTC_TIMESTAMP(6), 0, '', UTC_TIMESTAMP(6) FROM copies WHERE attempts > 0;

-- +goose Down
DROP TABLE returns;
ALTER TABLE courses DROP COLUMN point_step, DROP COLUMN counts, DROP COLUMN weights;
ALTER TABLE copies DROP COLUMN excused;
ALTER TABLE attempts DROP COLUMN asked, DROP COLUMN helped;
