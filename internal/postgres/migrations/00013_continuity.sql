-- +goose Up
-- A drain may end by itself; a server that returns takes its people back part by part.
ALTER TABLE live_state
    ADD COLUMN share  double precision NOT NULL DEFAULT 1 CHECK (share > 0 AND share <= 1),
    ADD COLUMN begun  timestamptz,
    ADD COLUMN until  timestamptz,
    ADD COLUMN moving integer NOT NULL DEFAULT 0;

-- What probing has found, and when it changed.
CREATE TABLE health (
    kind  text NOT NULL CHECK (kind IN ('server', 'device')),
    name  text NOT NULL,
    state jsonb NOT NULL,
    PRIMARY KEY (kind, name)
);
CREATE TABLE health_change (
    id      bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    kind    text NOT NULL,
    name    text NOT NULL,
    verdict text NOT NULL CHECK (verdict IN ('unproven', 'up', 'down')),
    says    text NOT NULL DEFAULT '',
    at      timestamptz NOT NULL DEFAULT clock_timestamp()
);
CREATE INDEX health_change_of ON health_change (kind, name, at);

-- Through which servers an endpoint's own queues lead, and from where it was seen to report.
ALTER TABLE endpoint
    ADD COLUMN servers   text[] NOT NULL DEFAULT '{}',
    ADD COLUMN failing   boolean NOT NULL DEFAULT false,
    ADD COLUMN seen_from text NOT NULL DEFAULT '';
CREATE INDEX endpoint_servers ON endpoint USING gin (servers);

-- How the fleet stood, now and then.
CREATE TABLE fleet_sample (
    at        timestamptz PRIMARY KEY,
    converged integer NOT NULL,
    behind    integer NOT NULL,
    failing   integer NOT NULL,
    silent    integer NOT NULL
);

-- +goose Down
DROP TABLE fleet_sample, health_change, health;
ALTER TABLE endpoint DROP COLUMN servers, DROP COLUMN failing, DROP COLUMN seen_from;
ALTER TABLE live_state DROP COLUMN share, DROP COLUMN begun, DROP COLUMN until, DROP COLUMN moving;
