-- +goose Up
-- Which keys each process of the service has, by name: all of them have the same.
ALTER TABLE process ADD COLUMN keys text[] NOT NULL DEFAULT '{}';

-- The sequence of an unlogged table is unlogged, too, and on a standby that is promoted it may be broken (PostgreSQL 15
-- says "bad magic number in sequence"): then nothing at all could be written. A sequence of its own is logged.
ALTER TABLE signal ALTER COLUMN id DROP IDENTITY;
CREATE SEQUENCE signal_number;
SELECT setval('signal_number', (SELECT coalesce(max(id), 0) + 1 FROM signal), false);
ALTER TABLE signal ALTER COLUMN id SET DEFAULT nextval('signal_number');

-- +goose Down
ALTER TABLE signal ALTER COLUMN id DROP DEFAULT;
ALTER TABLE signal ALTER COLUMN id ADD GENERATED ALWAYS AS IDENTITY;
DROP SEQUENCE signal_number;
ALTER TABLE process DROP COLUMN keys;
