-- +goose Up
-- Who works alone among several processes, until when; number grows with each holder, so that whoever wakes late is
-- recognised.
CREATE TABLE lease (
    name   text PRIMARY KEY,
    holder text NOT NULL,
    number bigint NOT NULL,
    ends   timestamptz NOT NULL
);

-- +goose Down
DROP TABLE lease;
