-- +goose Up
-- What a teacher says often, for oneself or for all who mark in a course.
CREATE TABLE ready_remarks (
  id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
  owner_id BIGINT UNSIGNED NOT NULL,
  course_id BIGINT UNSIGNED NULL,
  text TEXT NOT NULL,
  short VARCHAR(20) NOT NULL,
  points INT NULL,
  created_at DATETIME(6) NOT NULL,
  KEY (owner_id), KEY (course_id),
  CONSTRAINT ready_owner FOREIGN KEY (owner_id) REFERENCES people (id) ON DELETE CASCADE,
  CONSTRAINT ready_course FOREIGN KEY (course_id) REFERENCES courses (id) ON DELETE CASCADE
);
-- When one was last used at a question, by whom.
CREATE TABLE ready_uses (
  remark_id BIGINT UNSIGNED NOT NULL,
  person_id BIGINT UNSIGNED NOT NULL,
  question_id VARCHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  at DATETIME(6) NOT NULL,
  PRIMARY KEY (remark_id, person_id, question_id),
  CONSTRAINT ready_use FOREIGN KEY (remark_id) REFERENCES ready_remarks (id) ON DELETE CASCADE,
  CONSTRAINT ready_user FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE
);

-- +goose Down
DROP TABLE ready_uses;
DROP TABLE ready_remarks;
