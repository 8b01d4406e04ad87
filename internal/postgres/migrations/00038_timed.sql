-- +goose Up
-- A draft may wait for the moment at which it is published by itself, as it is; where that failed, why.
ALTER TABLE draft
	ADD COLUMN publish_at timestamptz,
	ADD COLUMN publish_why text NOT NULL DEFAULT '',
	ADD COLUMN publish_breaks boolean NOT NULL DEFAULT false,
	ADD COLUMN publish_failed text NOT NULL DEFAULT '',
	ADD COLUMN publish_failed_at timestamptz;
CREATE INDEX draft_publish_at ON draft (publish_at) WHERE publish_at IS NOT NULL;

-- What people say of a draft; it goes with what is published of it.
CREATE TABLE draft_comment (
	id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	draft bigint REFERENCES draft ON DELETE CASCADE,
	revision int,
	list text NOT NULL DEFAULT '',
	name text NOT NULL DEFAULT '',
	author text NOT NULL,
	says text NOT NULL,
	at timestamptz NOT NULL DEFAULT clock_timestamp(),
	CHECK ((draft IS NULL) <> (revision IS NULL))
);
CREATE INDEX draft_comment_draft ON draft_comment (draft) WHERE draft IS NOT NULL;
CREATE INDEX draft_comment_revision ON draft_comment (revision) WHERE revision IS NOT NULL;

-- +goose Down
DROP TABLE draft_comment;
DROP INDEX draft_publish_at;
ALTER TABLE draft
	DROP COLUMN publish_at,
	DROP COLUMN publish_why,
	DROP COLUMN publish_breaks,
	DROP COLUMN publish_failed,
	DROP COLUMN publish_failed_at;
