-- +goose Up
-- What somebody is typing and has not kept yet: one row a place, written over.
CREATE TABLE drafts (
  person_id BIGINT UNSIGNED NOT NULL,
  thing VARCHAR(12) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  thing_id BIGINT UNSIGNED NOT NULL,
  place VARCHAR(100) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  body TEXT NOT NULL,
  at DATETIME(6) NOT NULL,
  PRIMARY KEY (person_id, thing, thing_id, place),
  KEY (thing, thing_id)
);

-- +goose Down
DROP TABLE drafts;
