-- +goose Up
-- What a teacher says to a whole class, on its students' start pages.
CREATE TABLE class_lines (
  id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
  course_id BIGINT UNSIGNED NOT NULL,
  author_id BIGINT UNSIGNED NULL,
  text TEXT NOT NULL,
  sound CHAR(64) NULL,
  milliseconds INT NOT NULL DEFAULT 0,
  peaks TEXT NULL,
  at DATETIME(6) NOT NULL,
  KEY (course_id, at),
  CONSTRAINT line_course FOREIGN KEY (course_id) REFERENCES courses (id) ON DELETE CASCADE,
  CONSTRAINT line_author FOREIGN KEY (author_id) REFERENCES people (id) ON DELETE SET NULL,
  CONSTRAINT line_sound FOREIGN KEY (sound) REFERENCES blobs (hash)
);
CREATE TABLE class_line_reads (
  line_id BIGINT UNSIGNED NOT NULL,
  person_id BIGINT UNSIGNED NOT NULL,
  at DATETIME(6) NOT NULL,
  PRIMARY KEY (line_id, person_id),
  CONSTRAINT read_line FOREIGN KEY (line_id) REFERENCES class_lines (id) ON DELETE CASCADE,
  CONSTRAINT read_person FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE
);

-- +goose Down
DROP TABLE class_line_reads, class_lines;
