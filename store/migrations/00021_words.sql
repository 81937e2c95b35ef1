-- +goose Up
-- What words mean in a course.
CREATE TABLE course_words (
  id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
  course_id BIGINT UNSIGNED NOT NULL,
  word VARCHAR(60) NOT NULL,
  means VARCHAR(400) NOT NULL,
  UNIQUE KEY (course_id, word),
  CONSTRAINT word_course FOREIGN KEY (course_id) REFERENCES courses (id) ON DELETE CASCADE
);
-- The words that somebody has looked up on a copy, and how often.
CREATE TABLE looked_up (
  copy_id BIGINT UNSIGNED NOT NULL,
  person_id BIGINT UNSIGNED NOT NULL,
  word VARCHAR(60) NOT NULL,
  times INT NOT NULL,
  at DATETIME(6) NOT NULL,
  PRIMARY KEY (copy_id, person_id, word),
  CONSTRAINT looked_up_copy FOREIGN KEY (copy_id) REFERENCES copies (id) ON DELETE CASCADE,
  CONSTRAINT looked_up_person FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE
);

-- +goose Down
DROP TABLE looked_up, course_words;
