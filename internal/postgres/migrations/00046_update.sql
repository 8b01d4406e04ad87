-- +goose Up
-- Packages of the agent, with their contents in chunks.
CREATE TABLE agent_package (
	digest text PRIMARY KEY CHECK (length(digest) = 64),
	file text NOT NULL,
	version text NOT NULL,
	platform text NOT NULL,
	kind text NOT NULL,
	bytes bigint NOT NULL,
	author text NOT NULL,
	at timestamptz NOT NULL DEFAULT clock_timestamp(),
	UNIQUE (version, platform, kind)
);
CREATE TABLE agent_package_chunk (
	digest text NOT NULL REFERENCES agent_package ON DELETE CASCADE,
	n integer NOT NULL,
	data bytea NOT NULL,
	PRIMARY KEY (digest, n)
);
ALTER TABLE agent_package_chunk ALTER COLUMN data SET STORAGE EXTERNAL;

-- Orders to bring endpoints to a version, and what came of each endpoint that began.
CREATE TABLE agent_update (
	id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	state text NOT NULL,
	body jsonb NOT NULL
);
CREATE UNIQUE INDEX agent_update_under_way ON agent_update ((true)) WHERE state <> 'ended';
CREATE TABLE agent_update_record (
	id bigint NOT NULL REFERENCES agent_update ON DELETE CASCADE,
	folded text NOT NULL,
	machine text NOT NULL,
	former text NOT NULL,
	state text NOT NULL,
	begun_at timestamptz NOT NULL,
	at timestamptz NOT NULL,
	says text NOT NULL DEFAULT '',
	PRIMARY KEY (id, folded)
);
CREATE INDEX agent_update_record_state ON agent_update_record (id, state, begun_at);

-- +goose Down
DROP TABLE agent_update_record, agent_update, agent_package_chunk, agent_package;
