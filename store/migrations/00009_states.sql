-- +goose Up
-- States of a copy that somebody keeps under a name: a place in the course of
-- its operations.
CREATE TABLE states (
  copy_id BIGINT UNSIGNED NOT NULL,
  layer VARCHAR(20) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  number INT NOT NULL,
  name VARCHAR(100) NOT NULL,
  seq BIGINT NOT NULL,
  at DATETIME(6) NOT NULL,
  PRIMARY KEY (copy_id, layer, number),
  CONSTRAINT state_copy FOREIGN KEY (copy_id) REFERENCES copies (id) ON DELETE CASCADE
);

-- +goose Down
DROP TABLE states;
