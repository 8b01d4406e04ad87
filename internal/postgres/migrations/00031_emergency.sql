-- +goose Up
-- The account for emergencies: its password lies in an envelope, and whoever opens that is heard of.
ALTER TABLE account ADD COLUMN emergency boolean NOT NULL DEFAULT false, ADD COLUMN opened_at timestamptz;
CREATE UNIQUE INDEX account_emergency ON account (emergency) WHERE emergency;

-- +goose Down
DELETE FROM account WHERE emergency;
ALTER TABLE account DROP COLUMN emergency, DROP COLUMN opened_at;
