-- +goose Up
-- Jobs that the gateway has taken. Their numbers are handed out to processes in blocks of 32.
CREATE SEQUENCE job_number AS integer INCREMENT BY 32;
CREATE TABLE job (
	id bigint PRIMARY KEY,
	queue text NOT NULL,
	owner text NOT NULL,
	known boolean NOT NULL,
	name text NOT NULL,
	format text NOT NULL,
	bytes bigint NOT NULL DEFAULT 0,
	pages integer,
	take text NOT NULL CHECK (take IN ('stream', 'keep', 'hold')),
	state text NOT NULL CHECK (state IN ('pending', 'pending-held', 'processing', 'processing-stopped', 'completed',
		'canceled', 'aborted')),
	reasons text[] NOT NULL,
	says text NOT NULL,
	device text NOT NULL DEFAULT '',
	wanted text NOT NULL DEFAULT '',
	asked jsonb NOT NULL DEFAULT '{}',
	defaults jsonb NOT NULL DEFAULT '{}',
	did jsonb NOT NULL DEFAULT '{}',
	replaced jsonb NOT NULL DEFAULT '[]',
	raw bytea,
	impressions integer,
	charge text NOT NULL DEFAULT '',
	origin jsonb NOT NULL DEFAULT '{}',
	at timestamptz NOT NULL DEFAULT clock_timestamp(),
	changed timestamptz NOT NULL DEFAULT clock_timestamp(),
	began timestamptz,
	sent timestamptz,
	ended timestamptz,
	due timestamptz,
	wakes timestamptz,
	kept boolean NOT NULL DEFAULT false,
	unknown boolean NOT NULL DEFAULT false,
	far_uri text NOT NULL DEFAULT '',
	far_id integer NOT NULL DEFAULT 0,
	far_up timestamptz,
	erase_at timestamptz,
	tries integer NOT NULL DEFAULT 0,
	stopping boolean NOT NULL DEFAULT false,
	sender text NOT NULL DEFAULT '',
	fence bigint NOT NULL DEFAULT 0,
	lease_ends timestamptz,
	CHECK ((state IN ('completed', 'canceled', 'aborted')) = (ended IS NOT NULL)),
	CHECK (lease_ends IS NULL OR state NOT IN ('completed', 'canceled', 'aborted', 'pending-held'))
);
CREATE INDEX job_ready ON job (queue, id) WHERE state = 'pending' AND kept;
CREATE INDEX job_under_way ON job (device) WHERE state IN ('processing', 'processing-stopped');
CREATE INDEX job_wakes ON job (wakes) WHERE wakes IS NOT NULL;
CREATE INDEX job_due ON job (due) WHERE due IS NOT NULL;
CREATE INDEX job_erase ON job (erase_at) WHERE erase_at IS NOT NULL;
CREATE INDEX job_of_queue ON job (queue, id);
CREATE INDEX job_of_owner ON job (folded(owner), id);
CREATE INDEX job_open ON job (queue, state, id) WHERE state NOT IN ('completed', 'canceled', 'aborted');
CREATE INDEX job_ended ON job (ended) WHERE ended IS NOT NULL;

-- What happened to each.
CREATE TABLE job_event (
	id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	job bigint NOT NULL REFERENCES job ON DELETE CASCADE,
	at timestamptz NOT NULL DEFAULT clock_timestamp(),
	event text NOT NULL,
	state text NOT NULL,
	reasons text[] NOT NULL,
	says text NOT NULL,
	person text NOT NULL DEFAULT '',
	device text NOT NULL DEFAULT ''
);
CREATE INDEX job_event_job ON job_event (job, id);

-- When the latest job of ours began at each device.
CREATE TABLE job_device (
	device text PRIMARY KEY,
	began timestamptz NOT NULL
);

-- The keys of kept documents, wrapped, and documents that lie in the database. A copy of the data leaves both out.
CREATE TABLE job_document (
	job bigint PRIMARY KEY REFERENCES job ON DELETE CASCADE,
	key bytea NOT NULL,
	place text NOT NULL CHECK (place IN ('file', 'database')),
	bytes bigint NOT NULL
);
CREATE TABLE job_chunk (
	job bigint NOT NULL,
	n integer NOT NULL,
	data bytea NOT NULL,
	at timestamptz NOT NULL DEFAULT clock_timestamp(),
	PRIMARY KEY (job, n)
);
ALTER TABLE job_chunk ALTER COLUMN data SET STORAGE EXTERNAL;

-- What people have printed of their allowances, by the local date on which a window begins.
CREATE TABLE allowance_balance (
	allowance text NOT NULL,
	person text NOT NULL,
	begins text NOT NULL,
	used integer NOT NULL DEFAULT 0,
	reserved integer NOT NULL DEFAULT 0,
	PRIMARY KEY (allowance, person, begins)
);
CREATE INDEX allowance_balance_person ON allowance_balance (person);
CREATE TABLE job_reservation (
	job bigint NOT NULL REFERENCES job ON DELETE CASCADE,
	allowance text NOT NULL,
	person text NOT NULL,
	begins text NOT NULL,
	pages integer NOT NULL,
	counted integer,
	PRIMARY KEY (job, allowance)
);

-- +goose Down
DROP TABLE job_reservation, allowance_balance, job_chunk, job_document, job_device, job_event, job;
DROP SEQUENCE job_number;
