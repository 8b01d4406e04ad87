-- +goose Up
-- Which accounts are one person: by rules, and by hand. What holds now has no end.
CREATE TABLE directory_join_rule (
    rule       text NOT NULL CHECK (rule IN ('address', 'employee')),
    author     text NOT NULL,
    valid_from timestamptz NOT NULL DEFAULT clock_timestamp(),
    valid_to   timestamptz CHECK (valid_to >= valid_from)
);
CREATE UNIQUE INDEX directory_join_rule_present ON directory_join_rule (rule) WHERE valid_to IS NULL;
CREATE TABLE directory_join (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    a          jsonb NOT NULL,
    b          jsonb NOT NULL,
    apart      boolean NOT NULL,
    reason     text NOT NULL,
    author     text NOT NULL,
    valid_from timestamptz NOT NULL DEFAULT clock_timestamp(),
    valid_to   timestamptz CHECK (valid_to >= valid_from)
);

-- +goose Down
DROP TABLE directory_join, directory_join_rule;
