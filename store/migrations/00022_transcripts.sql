-- +goose Up
-- What a program hears in recordings on copies, until it was fetched by who asked for it.
CREATE TABLE transcripts (
  id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
  copy_id BIGINT UNSIGNED NOT NULL,
  sound CHAR(64) NOT NULL,
  done BOOLEAN NOT NULL DEFAULT FALSE,
  text MEDIUMTEXT NOT NULL,
  problem VARCHAR(20) NOT NULL DEFAULT '',
  asked_at DATETIME(6) NOT NULL,
  UNIQUE KEY (copy_id, sound),
  CONSTRAINT transcript_copy FOREIGN KEY (copy_id) REFERENCES copies (id) ON DELETE CASCADE
);

-- +goose Down
DROP TABLE transcripts;
DELETE FROM jobs WHERE kind = 'transcribe';
