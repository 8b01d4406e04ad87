-- +goose Up
-- Which queues servers told that they have, by their last good readings, and before. seen is when that was last told.
CREATE TABLE server_list (
    server     text NOT NULL,
    queues     text[] NOT NULL,
    seen       timestamptz NOT NULL,
    valid_from timestamptz NOT NULL,
    valid_to   timestamptz CHECK (valid_to >= valid_from),
    PRIMARY KEY (server, valid_from)
);
CREATE UNIQUE INDEX server_list_present ON server_list (server) WHERE valid_to IS NULL;

-- +goose Down
DROP TABLE server_list;
