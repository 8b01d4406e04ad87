-- +goose Up
-- What people write down about a person or a machine; it decides nothing.
CREATE TABLE note (
	kind text NOT NULL CHECK (kind IN ('person', 'machine')),
	folded text NOT NULL,
	name text NOT NULL,
	says text NOT NULL,
	author text NOT NULL,
	at timestamptz NOT NULL DEFAULT clock_timestamp(),
	PRIMARY KEY (kind, folded)
);

-- +goose Down
DROP TABLE note;
