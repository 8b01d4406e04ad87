-- +goose Up
-- Checkups of endpoints: asked for, and answered by their agents.
CREATE TABLE checkup (
    id      bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    machine text NOT NULL, -- folded
    queue   text NOT NULL DEFAULT '',
    author  text NOT NULL,
    at      timestamptz NOT NULL DEFAULT clock_timestamp(),
    done    timestamptz,
    rungs   jsonb NOT NULL DEFAULT '[]'
);
CREATE INDEX checkup_of ON checkup (machine, id);

-- +goose Down
DROP TABLE checkup;
