-- +goose Up
-- A checkup may try another driver, and somebody may say what came out of the device.
ALTER TABLE checkup
    ADD COLUMN try        text NOT NULL DEFAULT '', -- driverless, plain, or a driver's exact name
    ADD COLUMN tried      text NOT NULL DEFAULT '', -- what the agent says it tried
    ADD COLUMN model      text NOT NULL DEFAULT '', -- of the device behind the queue, where it is known
    ADD COLUMN paper      text NOT NULL DEFAULT '' CHECK (paper IN ('', 'good', 'garbled', 'nothing')),
    ADD COLUMN paper_by   text NOT NULL DEFAULT '',
    ADD COLUMN paper_at   timestamptz,
    ADD COLUMN paper_note text NOT NULL DEFAULT '';
CREATE INDEX checkup_queue ON checkup (queue, id) WHERE queue <> '';

-- What is remembered of a driver with a model, for ever.
CREATE TABLE driver_paper (
    id      bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    checkup bigint NOT NULL UNIQUE, -- told once of each; telling anew replaces it
    model   text NOT NULL,
    driver  text NOT NULL,
    paper   text NOT NULL CHECK (paper IN ('good', 'garbled', 'nothing')),
    machine text NOT NULL,
    queue   text NOT NULL,
    author  text NOT NULL,
    note    text NOT NULL DEFAULT '',
    at      timestamptz NOT NULL DEFAULT clock_timestamp()
);
CREATE INDEX driver_paper_of ON driver_paper (model, driver);

-- +goose Down
DROP TABLE driver_paper;
DROP INDEX checkup_queue;
ALTER TABLE checkup DROP COLUMN try, DROP COLUMN tried, DROP COLUMN model, DROP COLUMN paper, DROP COLUMN paper_by, DROP COLUMN paper_at, DROP COLUMN paper_note;
