-- +goose Up
-- The field's own words.
RENAME TABLE slips TO sign_in_tokens, extras TO worksheet_attachments, enclosures TO copy_attachments;
ALTER TABLE assignments CHANGE COLUMN way mode VARCHAR(10) NOT NULL;
ALTER TABLE file_pages CHANGE COLUMN print text_layer MEDIUMTEXT NOT NULL;

-- +goose Down
ALTER TABLE file_pages CHANGE COLUMN text_layer print MEDIUMTEXT NOT NULL;
ALTER TABLE assignments CHANGE COLUMN mode way VARCHAR(10) NOT NULL;
RENAME TABLE sign_in_tokens TO slips, worksheet_attachments TO extras, copy_attachments TO enclosures;
