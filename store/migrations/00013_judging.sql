-- +goose Up
-- By which levels a question was judged: criterion to level, where it was.
ALTER TABLE scores ADD COLUMN levels TEXT NULL;
-- Why points were given as a whole and not as the questions add up.
ALTER TABLE attempts ADD COLUMN reason VARCHAR(300) NOT NULL DEFAULT '';
-- What the questions add up to is brought to the points of the assignment.
ALTER TABLE assignments ADD COLUMN scaled BOOLEAN NOT NULL DEFAULT FALSE;
-- By what somebody judges questions, kept to be used again.
CREATE TABLE rubrics (
  id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
  owner_id BIGINT UNSIGNED NOT NULL,
  title VARCHAR(100) NOT NULL,
  body TEXT NOT NULL,
  created_at DATETIME(6) NOT NULL,
  UNIQUE KEY (owner_id, title),
  CONSTRAINT rubric_owner FOREIGN KEY (owner_id) REFERENCES people (id) ON DELETE CASCADE
);
-- Teachers may look at copies that are still being worked on; the student is
-- told who does.
ALTER TABLE courses ADD COLUMN watch BOOLEAN NOT NULL DEFAULT FALSE;
ALTER TABLE viewers ADD COLUMN watching BOOLEAN NOT NULL DEFAULT FALSE;

-- A remark that is kept may be spoken.
ALTER TABLE ready_remarks ADD COLUMN sound CHAR(64) NULL, ADD COLUMN milliseconds INT NOT NULL DEFAULT 0, ADD COLUMN peaks TEXT NULL,
  ADD CONSTRAINT ready_sound FOREIGN KEY (sound) REFERENCES blobs (hash);

-- +goose Down
ALTER TABLE ready_remarks DROP CONSTRAINT ready_sound, DROP COLUMN sound, DROP COLUMN milliseconds, DROP COLUMN peaks;
ALTER TABLE viewers DROP COLUMN watching;
ALTER TABLE courses DROP COLUMN watch;
DROP TABLE rubrics;
ALTER TABLE assignments DROP COLUMN scaled;
ALTER TABLE attempts DROP COLUMN reason;
ALTER TABLE scores DROP COLUMN levels;
