-- +goose Up
-- What people have asked for, and the answers.
CREATE TABLE request (
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    person      text NOT NULL,
    folded      text NOT NULL,
    queue       text NOT NULL,
    reason      text NOT NULL,
    at          timestamptz NOT NULL DEFAULT clock_timestamp(),
    state       text NOT NULL DEFAULT 'open' CHECK (state IN ('open', 'granted', 'declined', 'withdrawn')),
    answered_at timestamptz,
    answered_by text NOT NULL DEFAULT '',
    answer      text NOT NULL DEFAULT ''
);
CREATE UNIQUE INDEX request_open ON request (folded, queue) WHERE state = 'open';

-- +goose Down
DROP TABLE request;
