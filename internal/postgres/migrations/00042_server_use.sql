-- +goose Up
-- Who printed through which queue of which server: one row for each person and machine.
CREATE TABLE server_use (
	server text NOT NULL,
	queue text NOT NULL, -- by its name there
	owner text NOT NULL,
	host text NOT NULL,
	jobs integer NOT NULL,
	first_at timestamptz NOT NULL,
	last_at timestamptz NOT NULL,
	PRIMARY KEY (server, queue, owner, host)
);
CREATE INDEX server_use_owner ON server_use (folded(owner));
CREATE INDEX server_use_last ON server_use (last_at);
-- Since when that is known, and when a server's lists were last read.
CREATE TABLE server_use_read (
	server text PRIMARY KEY,
	since timestamptz NOT NULL,
	read_at timestamptz NOT NULL,
	says text NOT NULL DEFAULT '' -- why they could not be read, the last time
);

-- +goose Down
DROP TABLE server_use;
DROP TABLE server_use_read;
