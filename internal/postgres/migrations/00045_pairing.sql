-- +goose Up
-- Machines that ask to be let in by a code that they show.
CREATE TABLE pairing (
	ticket bytea PRIMARY KEY, -- SHA-256
	code text UNIQUE, -- once the machine shows it
	machine text NOT NULL,
	system text NOT NULL,
	remote text NOT NULL,
	place text NOT NULL, -- what the address counts as where it is counted
	request text NOT NULL,
	addresses inet[] NOT NULL,
	follows boolean NOT NULL,
	commitment text NOT NULL,
	nonce text NOT NULL,
	at timestamptz NOT NULL,
	ends_at timestamptz NOT NULL,
	site text NOT NULL DEFAULT '',
	let_in_by text NOT NULL DEFAULT '',
	let_in_at timestamptz,
	token bigint REFERENCES enrol_token ON DELETE CASCADE
);
CREATE INDEX pairing_ends_at ON pairing (ends_at);

-- +goose Down
DROP TABLE pairing;
