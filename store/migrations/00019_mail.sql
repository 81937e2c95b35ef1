-- +goose Up
-- Where somebody has mail sent, once they have confirmed that it is theirs, and what.
CREATE TABLE mailboxes (
  person_id BIGINT UNSIGNED PRIMARY KEY,
  address VARCHAR(254) NOT NULL DEFAULT '',
  wanted VARCHAR(254) NOT NULL DEFAULT '',
  token_hash CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL DEFAULT '',
  token_until DATETIME(6) NULL,
  leave_key CHAR(26) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  choices TEXT NOT NULL,
  daily BOOLEAN NOT NULL DEFAULT FALSE,
  mailed_at DATETIME(6) NULL,
  UNIQUE KEY (leave_key),
  KEY (token_hash),
  CONSTRAINT mailbox_person FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE
);
-- What somebody is to be told by mail: of what, and never what it says.
CREATE TABLE notices (
  id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
  person_id BIGINT UNSIGNED NOT NULL,
  kind VARCHAR(20) NOT NULL CHECK (kind IN ('returned', 'answered', 'asked', 'line')),
  course_id BIGINT UNSIGNED NOT NULL,
  copy_id BIGINT UNSIGNED NULL,
  about BIGINT UNSIGNED AS (COALESCE(copy_id, 0)) PERSISTENT,
  due_at DATETIME(6) NOT NULL,
  UNIQUE KEY (person_id, kind, course_id, about),
  CONSTRAINT notice_person FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE,
  CONSTRAINT notice_course FOREIGN KEY (course_id) REFERENCES courses (id) ON DELETE CASCADE,
  CONSTRAINT notice_copy FOREIGN KEY (copy_id) REFERENCES copies (id) ON DELETE CASCADE
);
-- A course lets its students give an address.
ALTER TABLE courses ADD COLUMN mail BOOLEAN NOT NULL DEFAULT FALSE;

-- +goose Down
ALTER TABLE courses DROP COLUMN mail;
DROP TABLE notices, mailboxes;
