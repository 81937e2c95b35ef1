-- +goose Up
-- Whose a session is, so that a new password can end the others.
ALTER TABLE sessions ADD COLUMN person_id BIGINT UNSIGNED NOT NULL DEFAULT 0, ADD KEY (person_id);
UPDATE sessions SET person_id = COALESCE(JSON_VALUE(CONVERT(data USING utf8mb4), '$.person'), 0);
-- How far ahead of their pace those are who try something; the subject is a
-- hash. See store.Allow.
CREATE TABLE allowances (
  subject CHAR(64) CHARACTER SET ascii COLLATE ascii_bin PRIMARY KEY,
  ahead_until DATETIME(6) NOT NULL
);
DROP TABLE sign_in_failures;
-- Browsers in which a person has signed in before; only a hash is kept.
CREATE TABLE devices (
  token_hash CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  person_id BIGINT UNSIGNED NOT NULL,
  seen_at DATETIME(6) NOT NULL,
  PRIMARY KEY (token_hash, person_id),
  KEY (person_id)
);

-- +goose Down
DROP TABLE devices, allowances;
ALTER TABLE sessions DROP COLUMN person_id;
CREATE TABLE sign_in_failures (
  id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
  subject VARCHAR(150) NOT NULL,
  at DATETIME(6) NOT NULL,
  KEY (subject, at)
);
