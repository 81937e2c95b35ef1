-- +goose Up
-- What each page of a revision has to be worked on, with IDs that stay.
CREATE TABLE revision_guides (
  revision_id BIGINT UNSIGNED NOT NULL,
  page INT NOT NULL,
  guide MEDIUMTEXT NOT NULL,
  PRIMARY KEY (revision_id, page)
);
-- What an attempt answers, by blank, laid down when it is submitted.
CREATE TABLE answers (
  copy_id BIGINT UNSIGNED NOT NULL,
  attempt INT NOT NULL,
  blank_id VARCHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  question_id VARCHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  text MEDIUMTEXT NOT NULL,
  normal MEDIUMTEXT NOT NULL,
  drawn BOOLEAN NOT NULL,
  PRIMARY KEY (copy_id, attempt, blank_id),
  KEY (blank_id)
);
-- What an attempt got, by question.
CREATE TABLE scores (
  copy_id BIGINT UNSIGNED NOT NULL,
  attempt INT NOT NULL,
  question_id VARCHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  points INT NOT NULL,
  person_id BIGINT UNSIGNED NOT NULL,
  at DATETIME(6) NOT NULL,
  PRIMARY KEY (copy_id, attempt, question_id),
  KEY (question_id)
);
-- Work behind the requests: one row for a kind of work on a thing.
CREATE TABLE jobs (
  id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
  kind VARCHAR(20) NOT NULL,
  ref BIGINT UNSIGNED NOT NULL,
  due_at DATETIME(6) NOT NULL,
  leased_until DATETIME(6) NULL,
  tries INT NOT NULL,
  error TEXT NOT NULL,
  created_at DATETIME(6) NOT NULL,
  UNIQUE KEY (kind, ref),
  KEY (due_at)
);

-- Nobody is NULL, where it was 0: an invitation is for nobody yet, the
-- practice sheet belongs to nobody, a copy that is one for all to nobody alone.
ALTER TABLE sign_in_tokens MODIFY person_id BIGINT UNSIGNED NULL;
UPDATE sign_in_tokens SET person_id = NULL WHERE person_id = 0;
ALTER TABLE worksheets MODIFY owner_id BIGINT UNSIGNED NULL;
UPDATE worksheets SET owner_id = NULL WHERE owner_id = 0;
ALTER TABLE sessions MODIFY person_id BIGINT UNSIGNED NULL DEFAULT NULL;
UPDATE sessions SET person_id = NULL WHERE person_id = 0;
ALTER TABLE attempts MODIFY returned_hash CHAR(64) NULL;
UPDATE attempts SET returned_hash = NULL WHERE returned_hash = '';
ALTER TABLE copies ADD KEY (assignment_id), DROP KEY assignment_id, MODIFY student_id BIGINT UNSIGNED NULL;
UPDATE copies SET student_id = NULL WHERE student_id = 0;
ALTER TABLE copies ADD COLUMN owner BIGINT UNSIGNED AS (COALESCE(student_id, 0)) PERSISTENT, ADD UNIQUE KEY owner (assignment_id, owner);
ALTER TABLE blob_chunks ADD COLUMN created_at DATETIME(6) NOT NULL DEFAULT UTC_TIMESTAMP(6);

-- What points nowhere goes.
DELETE FROM pictures WHERE NOT EXISTS (SELECT 1 FROM blobs WHERE blobs.hash = pictures.blob_hash) OR NOT EXISTS (SELECT 1 FROM blobs WHERE blobs.hash = pictures.file_hash);
DELETE FROM file_pages WHERE NOT EXISTS (SELECT 1 FROM blobs WHERE blobs.hash = file_pages.file_hash);
DELETE FROM sessions WHERE person_id IS NOT NULL AND NOT EXISTS (SELECT 1 FROM people WHERE people.id = sessions.person_id);
DELETE FROM drafts WHERE NOT EXISTS (SELECT 1 FROM people WHERE people.id = drafts.person_id);
DELETE FROM viewers WHERE NOT EXISTS (SELECT 1 FROM people WHERE people.id = viewers.person_id);

ALTER TABLE sign_in_tokens ADD CONSTRAINT token_person FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE;
ALTER TABLE calendars ADD CONSTRAINT calendar_person FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE;
ALTER TABLE devices ADD CONSTRAINT device_person FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE;
ALTER TABLE sessions ADD CONSTRAINT session_person FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE;
ALTER TABLE drafts ADD CONSTRAINT draft_person FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE;
ALTER TABLE memberships ADD CONSTRAINT member_person FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE,
  ADD CONSTRAINT member_course FOREIGN KEY (course_id) REFERENCES courses (id) ON DELETE CASCADE,
  ADD CONSTRAINT member_role CHECK (role IN ('', 'waiting', 'student', 'left', 'assistant', 'teacher'));
ALTER TABLE worksheets ADD CONSTRAINT worksheet_owner FOREIGN KEY (owner_id) REFERENCES people (id);
ALTER TABLE sources ADD CONSTRAINT source_worksheet FOREIGN KEY (worksheet_id) REFERENCES worksheets (id) ON DELETE CASCADE,
  ADD CONSTRAINT source_file FOREIGN KEY (file_hash) REFERENCES blobs (hash);
ALTER TABLE worksheet_attachments ADD CONSTRAINT attachment_worksheet FOREIGN KEY (worksheet_id) REFERENCES worksheets (id) ON DELETE CASCADE,
  ADD CONSTRAINT worksheet_attachment_blob FOREIGN KEY (hash) REFERENCES blobs (hash);
ALTER TABLE revisions ADD CONSTRAINT revision_worksheet FOREIGN KEY (worksheet_id) REFERENCES worksheets (id) ON DELETE CASCADE,
  ADD CONSTRAINT revision_file FOREIGN KEY (file_hash) REFERENCES blobs (hash);
ALTER TABLE revision_guides ADD CONSTRAINT guide_revision FOREIGN KEY (revision_id) REFERENCES revisions (id) ON DELETE CASCADE;
ALTER TABLE file_pages ADD CONSTRAINT page_file FOREIGN KEY (file_hash) REFERENCES blobs (hash) ON DELETE CASCADE;
ALTER TABLE pictures ADD CONSTRAINT picture_file FOREIGN KEY (file_hash) REFERENCES blobs (hash) ON DELETE CASCADE,
  ADD CONSTRAINT picture_blob FOREIGN KEY (blob_hash) REFERENCES blobs (hash) ON DELETE CASCADE;
ALTER TABLE assignments ADD CONSTRAINT assignment_course FOREIGN KEY (course_id) REFERENCES courses (id) ON DELETE CASCADE,
  ADD CONSTRAINT assignment_mode CHECK (mode IN ('copy', 'read', 'shared'));
ALTER TABLE handouts ADD CONSTRAINT handout_assignment FOREIGN KEY (assignment_id) REFERENCES assignments (id) ON DELETE CASCADE,
  ADD CONSTRAINT handout_worksheet FOREIGN KEY (worksheet_id) REFERENCES worksheets (id),
  ADD CONSTRAINT handout_revision FOREIGN KEY (revision_id) REFERENCES revisions (id);
ALTER TABLE copies ADD CONSTRAINT copy_assignment FOREIGN KEY (assignment_id) REFERENCES assignments (id) ON DELETE CASCADE,
  ADD CONSTRAINT copy_student FOREIGN KEY (student_id) REFERENCES people (id) ON DELETE CASCADE,
  ADD CONSTRAINT copy_revision FOREIGN KEY (revision_id) REFERENCES revisions (id),
  ADD CONSTRAINT copy_state CHECK (state IN ('not started', 'in progress', 'submitted', 'returned', 'reworking'));
ALTER TABLE attempts ADD CONSTRAINT attempt_copy FOREIGN KEY (copy_id) REFERENCES copies (id) ON DELETE CASCADE,
  ADD CONSTRAINT attempt_snapshot FOREIGN KEY (snapshot_hash) REFERENCES blobs (hash),
  ADD CONSTRAINT attempt_returned FOREIGN KEY (returned_hash) REFERENCES blobs (hash);
ALTER TABLE withdrawn ADD CONSTRAINT withdrawn_copy FOREIGN KEY (copy_id) REFERENCES copies (id) ON DELETE CASCADE,
  ADD CONSTRAINT withdrawn_snapshot FOREIGN KEY (snapshot_hash) REFERENCES blobs (hash);
ALTER TABLE answers ADD CONSTRAINT answer_attempt FOREIGN KEY (copy_id, attempt) REFERENCES attempts (copy_id, number) ON DELETE CASCADE;
ALTER TABLE scores ADD CONSTRAINT score_attempt FOREIGN KEY (copy_id, attempt) REFERENCES attempts (copy_id, number) ON DELETE CASCADE;
ALTER TABLE layers ADD CONSTRAINT layer_copy FOREIGN KEY (copy_id) REFERENCES copies (id) ON DELETE CASCADE;
ALTER TABLE ops ADD CONSTRAINT op_copy FOREIGN KEY (copy_id) REFERENCES copies (id) ON DELETE CASCADE;
ALTER TABLE heads ADD CONSTRAINT head_copy FOREIGN KEY (copy_id) REFERENCES copies (id) ON DELETE CASCADE;
ALTER TABLE copy_attachments ADD CONSTRAINT attachment_copy FOREIGN KEY (copy_id) REFERENCES copies (id) ON DELETE CASCADE,
  ADD CONSTRAINT copy_attachment_blob FOREIGN KEY (hash) REFERENCES blobs (hash);
ALTER TABLE viewers ADD CONSTRAINT viewer_copy FOREIGN KEY (copy_id) REFERENCES copies (id) ON DELETE CASCADE,
  ADD CONSTRAINT viewer_person FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE;

-- Behind the first start: the answers of what was submitted before, files that
-- were handed out whole, pages that are still being read.
INSERT INTO jobs (kind, ref, due_at, tries, error, created_at) SELECT DISTINCT 'answers', copy_id, UTC_TIMESTAMP(6), 0, '', UTC_TIMESTAMP(6) FROM attempts;
INSERT INTO jobs (kind, ref, due_at, tries, error, created_at) SELECT 'assemble', id, UTC_TIMESTAMP(6), 0, '', UTC_TIMESTAMP(6) FROM revisions
  WHERE EXISTS (SELECT 1 FROM sources WHERE sources.worksheet_id = revisions.worksheet_id AND sources.file_hash = revisions.file_hash);
INSERT INTO jobs (kind, ref, due_at, tries, error, created_at) SELECT 'read', id, UTC_TIMESTAMP(6), 0, '', UTC_TIMESTAMP(6) FROM worksheets WHERE reading;

-- +goose Down
ALTER TABLE viewers DROP CONSTRAINT viewer_copy, DROP CONSTRAINT viewer_person;
ALTER TABLE copy_attachments DROP CONSTRAINT attachment_copy, DROP CONSTRAINT copy_attachment_blob;
ALTER TABLE heads DROP CONSTRAINT head_copy;
ALTER TABLE ops DROP CONSTRAINT op_copy;
ALTER TABLE layers DROP CONSTRAINT layer_copy;
DROP TABLE scores, answers, jobs, revision_guides;
ALTER TABLE withdrawn DROP CONSTRAINT withdrawn_copy, DROP CONSTRAINT withdrawn_snapshot;
ALTER TABLE attempts DROP CONSTRAINT attempt_copy, DROP CONSTRAINT attempt_snapshot, DROP CONSTRAINT attempt_returned;
UPDATE attempts SET returned_hash = '' WHERE returned_hash IS NULL;
ALTER TABLE attempts MODIFY returned_hash VARCHAR(64) NOT NULL;
ALTER TABLE copies DROP CONSTRAINT copy_assignment, DROP CONSTRAINT copy_student, DROP CONSTRAINT copy_revision, DROP CONSTRAINT copy_state;
ALTER TABLE copies DROP KEY owner, DROP COLUMN owner;
UPDATE copies SET student_id = 0 WHERE student_id IS NULL;
ALTER TABLE copies MODIFY student_id BIGINT UNSIGNED NOT NULL, ADD UNIQUE KEY (assignment_id, student_id);
ALTER TABLE handouts DROP CONSTRAINT handout_assignment, DROP CONSTRAINT handout_worksheet, DROP CONSTRAINT handout_revision;
ALTER TABLE assignments DROP CONSTRAINT assignment_course, DROP CONSTRAINT assignment_mode;
ALTER TABLE pictures DROP CONSTRAINT picture_file, DROP CONSTRAINT picture_blob;
ALTER TABLE file_pages DROP CONSTRAINT page_file;
ALTER TABLE revisions DROP CONSTRAINT revision_worksheet, DROP CONSTRAINT revision_file;
ALTER TABLE worksheet_attachments DROP CONSTRAINT attachment_worksheet, DROP CONSTRAINT worksheet_attachment_blob;
ALTER TABLE sources DROP CONSTRAINT source_worksheet, DROP CONSTRAINT source_file;
ALTER TABLE worksheets DROP CONSTRAINT worksheet_owner;
UPDATE worksheets SET owner_id = 0 WHERE owner_id IS NULL;
ALTER TABLE worksheets MODIFY owner_id BIGINT UNSIGNED NOT NULL;
ALTER TABLE memberships DROP CONSTRAINT member_person, DROP CONSTRAINT member_course, DROP CONSTRAINT member_role;
ALTER TABLE drafts DROP CONSTRAINT draft_person;
ALTER TABLE sessions DROP CONSTRAINT session_person;
UPDATE sessions SET person_id = 0 WHERE person_id IS NULL;
ALTER TABLE sessions MODIFY person_id BIGINT UNSIGNED NOT NULL DEFAULT 0;
ALTER TABLE devices DROP CONSTRAINT device_person;
ALTER TABLE calendars DROP CONSTRAINT calendar_person;
ALTER TABLE sign_in_tokens DROP CONSTRAINT token_person;
UPDATE sign_in_tokens SET person_id = 0 WHERE person_id IS NULL;
ALTER TABLE sign_in_tokens MODIFY person_id BIGINT UNSIGNED NOT NULL;
ALTER TABLE blob_chunks DROP COLUMN created_at;
