-- +goose Up
-- A name in two fields beside the whole: the last word is the family's until
-- somebody says otherwise.
ALTER TABLE people ADD COLUMN given VARCHAR(200) NOT NULL DEFAULT '', ADD COLUMN family VARCHAR(200) NOT NULL DEFAULT '',
  ADD COLUMN closed_at DATETIME(6) NULL;
UPDATE people SET family = SUBSTRING_INDEX(name, ' ', -1), given = TRIM(LEFT(name, CHAR_LENGTH(name) - CHAR_LENGTH(SUBSTRING_INDEX(name, ' ', -1))));
-- Signs in a young child, again and again until it ends.
ALTER TABLE sign_in_tokens ADD COLUMN card BOOLEAN NOT NULL DEFAULT FALSE;
-- What a device calls itself, in words.
ALTER TABLE devices ADD COLUMN label VARCHAR(60) NOT NULL DEFAULT '', ADD KEY (seen_at);
-- Last year's is put away, and can be brought back.
ALTER TABLE courses ADD COLUMN archived_at DATETIME(6) NULL;
ALTER TABLE assignments ADD COLUMN archived_at DATETIME(6) NULL;
ALTER TABLE worksheets ADD COLUMN archived_at DATETIME(6) NULL, ADD COLUMN deleted_at DATETIME(6) NULL, ADD COLUMN folder VARCHAR(100) NOT NULL DEFAULT '', ADD KEY (deleted_at);
-- Colleagues with whom a worksheet is shared: those of a course, or of the school.
CREATE TABLE worksheet_shares (
  worksheet_id BIGINT UNSIGNED NOT NULL,
  course_id BIGINT UNSIGNED NULL,
  may_change BOOLEAN NOT NULL,
  UNIQUE KEY (worksheet_id, course_id),
  KEY (course_id),
  CONSTRAINT share_worksheet FOREIGN KEY (worksheet_id) REFERENCES worksheets (id) ON DELETE CASCADE,
  CONSTRAINT share_course FOREIGN KEY (course_id) REFERENCES courses (id) ON DELETE CASCADE
);

-- More ways to give a sheet: to keep, and pages of one's own.
ALTER TABLE assignments DROP CONSTRAINT assignment_mode, ADD CONSTRAINT assignment_mode CHECK (mode IN ('copy', 'read', 'shared', 'keep', 'own'));
ALTER TABLE copies ADD COLUMN shown BOOLEAN NOT NULL DEFAULT FALSE, ADD COLUMN own_key TEXT NULL;
-- A teacher's practice student, who is in no count, figure, grid or file.
ALTER TABLE people ADD COLUMN practice_of BIGINT UNSIGNED NULL, ADD UNIQUE KEY (practice_of), ADD CONSTRAINT practice_teacher FOREIGN KEY (practice_of) REFERENCES people (id) ON DELETE CASCADE;
ALTER TABLE memberships DROP CONSTRAINT member_role, ADD CONSTRAINT member_role CHECK (role IN ('', 'waiting', 'student', 'practice', 'left', 'assistant', 'teacher'));

-- +goose Down
DELETE FROM people WHERE practice_of IS NOT NULL;
ALTER TABLE memberships DROP CONSTRAINT member_role, ADD CONSTRAINT member_role CHECK (role IN ('', 'waiting', 'student', 'left', 'assistant', 'teacher'));
ALTER TABLE people DROP CONSTRAINT practice_teacher, DROP KEY practice_of, DROP COLUMN practice_of;
ALTER TABLE copies DROP COLUMN shown, DROP COLUMN own_key;
DELETE FROM assignments WHERE mode IN ('keep', 'own');
ALTER TABLE assignments DROP CONSTRAINT assignment_mode, ADD CONSTRAINT assignment_mode CHECK (mode IN ('copy', 'read', 'shared'));
DROP TABLE worksheet_shares;
ALTER TABLE worksheets DROP COLUMN archived_at, DROP COLUMN deleted_at, DROP COLUMN folder;
ALTER TABLE assignments DROP COLUMN archived_at;
ALTER TABLE courses DROP COLUMN archived_at;
ALTER TABLE devices DROP COLUMN label, DROP KEY seen_at;
ALTER TABLE sign_in_tokens DROP COLUMN card;
ALTER TABLE people DROP COLUMN given, DROP COLUMN family, DROP COLUMN closed_at;
