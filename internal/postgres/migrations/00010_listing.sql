-- +goose Up
-- Printer entries that Cirque has written into directories, or is about to: nothing else there is touched.
CREATE TABLE listing_entry (
    source text NOT NULL,
    dn     text NOT NULL,
    at     timestamptz NOT NULL DEFAULT clock_timestamp(),
    PRIMARY KEY (source, dn)
);
CREATE TABLE listing_state (
    source text PRIMARY KEY,
    body   jsonb NOT NULL,
    at     timestamptz NOT NULL DEFAULT clock_timestamp()
);

-- +goose Down
DROP TABLE listing_state, listing_entry;
