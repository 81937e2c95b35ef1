-- +goose Up
CREATE TABLE people (
  id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(200) NOT NULL,
  login VARCHAR(100) NOT NULL UNIQUE,
  password_hash VARCHAR(200) NOT NULL,
  admin BOOLEAN NOT NULL,
  staff BOOLEAN NOT NULL,
  settings TEXT NOT NULL,
  source_id VARCHAR(200) NOT NULL DEFAULT '',
  created_at DATETIME(6) NOT NULL,
  KEY (source_id)
);
CREATE TABLE slips (
  token_hash CHAR(64) PRIMARY KEY,
  person_id BIGINT UNSIGNED NOT NULL,
  expires_at DATETIME(6) NOT NULL,
  used_at DATETIME(6) NULL
);
-- Private addresses of calendars; only a hash is kept.
CREATE TABLE calendars (
  person_id BIGINT UNSIGNED PRIMARY KEY,
  token_hash CHAR(64) NOT NULL UNIQUE
);
CREATE TABLE sign_in_failures (
  id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
  subject VARCHAR(150) NOT NULL,
  at DATETIME(6) NOT NULL,
  KEY (subject, at)
);
CREATE TABLE sessions (
  token CHAR(43) PRIMARY KEY,
  data BLOB NOT NULL,
  expiry DATETIME(6) NOT NULL,
  KEY (expiry)
);
CREATE TABLE courses (
  id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(200) NOT NULL,
  zone VARCHAR(60) NOT NULL,
  join_code VARCHAR(20) NOT NULL UNIQUE,
  join_open BOOLEAN NOT NULL,
  voice_seconds INT NOT NULL,
  vet BOOLEAN NOT NULL,
  lessons TEXT NULL,
  source_id VARCHAR(200) NOT NULL DEFAULT '',
  created_at DATETIME(6) NOT NULL,
  KEY (source_id)
);
CREATE TABLE memberships (
  course_id BIGINT UNSIGNED NOT NULL,
  person_id BIGINT UNSIGNED NOT NULL,
  role VARCHAR(20) NOT NULL,
  section VARCHAR(100) NOT NULL,
  seen BOOLEAN NOT NULL,
  joined_at DATETIME(6) NOT NULL,
  PRIMARY KEY (course_id, person_id),
  KEY (person_id)
);
-- The pages of every PDF that is kept: those that teachers brought in, and
-- those that were bound of them.
CREATE TABLE file_pages (
  file_hash CHAR(64) NOT NULL,
  number INT NOT NULL,
  width DOUBLE NOT NULL,
  height DOUBLE NOT NULL,
  box VARCHAR(400) NOT NULL,
  print MEDIUMTEXT NOT NULL,
  text MEDIUMTEXT NOT NULL,
  guide MEDIUMTEXT NOT NULL,
  PRIMARY KEY (file_hash, number),
  FULLTEXT KEY (text)
);
CREATE TABLE worksheets (
  id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
  owner_id BIGINT UNSIGNED NOT NULL,
  title VARCHAR(200) NOT NULL,
  plan MEDIUMTEXT NOT NULL,
  kit MEDIUMTEXT NOT NULL,
  version INT NOT NULL,
  reading BOOLEAN NOT NULL,
  created_at DATETIME(6) NOT NULL,
  KEY (owner_id)
);
-- What the teacher brought in, as it was.
CREATE TABLE sources (
  worksheet_id BIGINT UNSIGNED NOT NULL,
  number INT NOT NULL,
  name VARCHAR(200) NOT NULL,
  file_hash CHAR(64) NOT NULL,
  page_count INT NOT NULL,
  remark TEXT NOT NULL,
  PRIMARY KEY (worksheet_id, number)
);
-- Sounds and pictures that lie with a worksheet.
CREATE TABLE extras (
  worksheet_id BIGINT UNSIGNED NOT NULL,
  hash CHAR(64) NOT NULL,
  media_type VARCHAR(40) NOT NULL,
  milliseconds INT NOT NULL,
  peaks TEXT NOT NULL,
  PRIMARY KEY (worksheet_id, hash)
);
-- What students get of a worksheet. A revision never changes.
CREATE TABLE revisions (
  id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
  worksheet_id BIGINT UNSIGNED NOT NULL,
  number INT NOT NULL,
  file_hash CHAR(64) NOT NULL,
  page_count INT NOT NULL,
  plan MEDIUMTEXT NOT NULL,
  created_at DATETIME(6) NOT NULL,
  UNIQUE KEY (worksheet_id, number)
);
CREATE TABLE pictures (
  file_hash CHAR(64) NOT NULL,
  page INT NOT NULL,
  scale INT NOT NULL,
  blob_hash CHAR(64) NOT NULL,
  media_type VARCHAR(40) NOT NULL,
  PRIMARY KEY (file_hash, page, scale)
);
CREATE TABLE assignments (
  id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
  course_id BIGINT UNSIGNED NOT NULL,
  title VARCHAR(200) NOT NULL,
  instructions TEXT NOT NULL,
  chapter VARCHAR(200) NOT NULL,
  points INT NOT NULL,
  opens_at DATETIME(6) NULL,
  due_at DATETIME(6) NULL,
  closes_at DATETIME(6) NULL,
  max_attempts INT NOT NULL,
  changed_at DATETIME(6) NULL,
  changed VARCHAR(200) NOT NULL,
  way VARCHAR(10) NOT NULL,
  audience TEXT NOT NULL,
  instruments TEXT NULL,
  keep_here BOOLEAN NOT NULL,
  no_spelling BOOLEAN NOT NULL,
  draft BOOLEAN NOT NULL,
  removed_at DATETIME(6) NULL,
  created_at DATETIME(6) NOT NULL,
  KEY (course_id)
);
-- Which worksheet whom an assignment gives; number 0 is for all others.
CREATE TABLE handouts (
  assignment_id BIGINT UNSIGNED NOT NULL,
  number INT NOT NULL,
  worksheet_id BIGINT UNSIGNED NOT NULL,
  revision_id BIGINT UNSIGNED NOT NULL,
  audience TEXT NOT NULL,
  PRIMARY KEY (assignment_id, number),
  KEY (worksheet_id),
  KEY (revision_id)
);
CREATE TABLE copies (
  id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
  assignment_id BIGINT UNSIGNED NOT NULL,
  student_id BIGINT UNSIGNED NOT NULL,
  revision_id BIGINT UNSIGNED NOT NULL,
  state VARCHAR(20) NOT NULL,
  attempts INT NOT NULL,
  waiting INT NOT NULL,
  started_at DATETIME(6) NULL,
  due_at DATETIME(6) NULL,
  UNIQUE KEY (assignment_id, student_id),
  KEY (student_id)
);
CREATE TABLE attempts (
  copy_id BIGINT UNSIGNED NOT NULL,
  number INT NOT NULL,
  submitted_at DATETIME(6) NOT NULL,
  late_minutes INT NOT NULL,
  line TEXT NOT NULL,
  snapshot_hash CHAR(64) NOT NULL,
  points INT NULL,
  remark TEXT NOT NULL,
  marked_at DATETIME(6) NULL,
  returned_at DATETIME(6) NULL,
  returned_hash VARCHAR(64) NOT NULL,
  opened_at DATETIME(6) NULL,
  PRIMARY KEY (copy_id, number)
);
-- Attempts that the student took back before anybody marked them.
CREATE TABLE withdrawn (
  id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
  copy_id BIGINT UNSIGNED NOT NULL,
  number INT NOT NULL,
  submitted_at DATETIME(6) NOT NULL,
  snapshot_hash CHAR(64) NOT NULL,
  withdrawn_at DATETIME(6) NOT NULL,
  KEY (copy_id)
);
-- One row for each layer that was written in; seq is the newest operation's.
CREATE TABLE layers (
  copy_id BIGINT UNSIGNED NOT NULL,
  layer VARCHAR(20) NOT NULL,
  seq BIGINT NOT NULL,
  PRIMARY KEY (copy_id, layer)
);
CREATE TABLE ops (
  copy_id BIGINT UNSIGNED NOT NULL,
  layer VARCHAR(20) NOT NULL,
  seq BIGINT NOT NULL,
  op_id VARCHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  base VARCHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  author_id BIGINT UNSIGNED NOT NULL,
  at DATETIME(6) NOT NULL,
  body MEDIUMTEXT NOT NULL,
  PRIMARY KEY (copy_id, layer, seq),
  UNIQUE KEY (copy_id, op_id),
  KEY (copy_id, base)
);
-- What is present: the operations that no other was made on.
CREATE TABLE heads (
  copy_id BIGINT UNSIGNED NOT NULL,
  layer VARCHAR(20) NOT NULL,
  op_id VARCHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  author_id BIGINT UNSIGNED NOT NULL,
  at DATETIME(6) NOT NULL,
  body MEDIUMTEXT NOT NULL,
  PRIMARY KEY (copy_id, layer, op_id)
);
CREATE TABLE enclosures (
  copy_id BIGINT UNSIGNED NOT NULL,
  layer VARCHAR(20) NOT NULL,
  hash CHAR(64) NOT NULL,
  person_id BIGINT UNSIGNED NOT NULL,
  media_type VARCHAR(40) NOT NULL,
  milliseconds INT NOT NULL,
  peaks TEXT NOT NULL,
  PRIMARY KEY (copy_id, layer, hash)
);
CREATE TABLE viewers (
  copy_id BIGINT UNSIGNED NOT NULL,
  person_id BIGINT UNSIGNED NOT NULL,
  seen_at DATETIME(6) NOT NULL,
  PRIMARY KEY (copy_id, person_id)
);
-- A blob is complete when its row is here; chunks come first.
CREATE TABLE blobs (
  hash CHAR(64) PRIMARY KEY,
  size BIGINT NOT NULL,
  created_at DATETIME(6) NOT NULL
);
CREATE TABLE blob_chunks (
  hash CHAR(64) NOT NULL,
  n INT NOT NULL,
  data MEDIUMBLOB NOT NULL,
  PRIMARY KEY (hash, n)
);

-- +goose Down
DROP TABLE blob_chunks, blobs, viewers, enclosures, heads, ops, layers, withdrawn, attempts, copies, handouts, assignments,
  pictures, revisions, extras, sources, worksheets, file_pages, memberships, courses, sessions, sign_in_failures, calendars, slips, people;
