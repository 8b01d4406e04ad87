-- +goose Up
-- Revisions of the estate: numbered without gaps, never altered.
CREATE TABLE revision (
    number   integer PRIMARY KEY CHECK (number > 0),
    document json NOT NULL,
    author   text NOT NULL,
    reason   text NOT NULL CHECK (reason <> ''),
    at       timestamptz NOT NULL DEFAULT clock_timestamp()
);

-- +goose StatementBegin
CREATE FUNCTION refuse_change() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    RAISE EXCEPTION '% is append-only', TG_TABLE_NAME;
END $$;
-- +goose StatementEnd
CREATE TRIGGER revision_is_final BEFORE UPDATE OR DELETE ON revision FOR EACH ROW EXECUTE FUNCTION refuse_change();

-- The directory: one row for each state that a user, group or machine of a source has had.
CREATE TABLE directory_import (
    id       bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    source   text NOT NULL,
    author   text NOT NULL,
    at       timestamptz NOT NULL DEFAULT clock_timestamp(),
    added    integer NOT NULL,
    changed  integer NOT NULL,
    removed  integer NOT NULL
);
CREATE TABLE directory_row (
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    source      text NOT NULL,
    kind        text NOT NULL CHECK (kind IN ('user', 'group', 'machine')),
    external_id text NOT NULL,
    name        text NOT NULL,
    attributes  jsonb NOT NULL,
    valid_from  timestamptz NOT NULL,
    valid_to    timestamptz CHECK (valid_to >= valid_from)
);
CREATE UNIQUE INDEX directory_row_present ON directory_row (source, kind, external_id) WHERE valid_to IS NULL;
CREATE INDEX directory_row_past ON directory_row USING brin (valid_from);

-- Picks and live state keep their history: what holds now has no end.
CREATE TABLE pick (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    person     text NOT NULL, -- folded
    queue      text NOT NULL,
    valid_from timestamptz NOT NULL DEFAULT clock_timestamp(),
    valid_to   timestamptz CHECK (valid_to >= valid_from)
);
CREATE UNIQUE INDEX pick_present ON pick (person, queue) WHERE valid_to IS NULL;
CREATE TABLE live_state (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    kind       text NOT NULL CHECK (kind IN ('server', 'device')),
    name       text NOT NULL,
    duty       text NOT NULL CHECK (duty IN ('serving', 'drained', 'down')),
    reason     text NOT NULL DEFAULT '',
    author     text NOT NULL,
    valid_from timestamptz NOT NULL DEFAULT clock_timestamp(),
    valid_to   timestamptz CHECK (valid_to >= valid_from)
);
CREATE UNIQUE INDEX live_state_present ON live_state (kind, name) WHERE valid_to IS NULL;

-- Who may come in.
CREATE TABLE account (
    folded     text PRIMARY KEY,
    name       text NOT NULL,
    role       text NOT NULL CHECK (role IN ('administrator')),
    password   text NOT NULL, -- argon2id, in the PHC string format
    created_at timestamptz NOT NULL DEFAULT clock_timestamp()
);
CREATE TABLE console_session (
    hash       bytea PRIMARY KEY CHECK (length(hash) = 32),
    account    text NOT NULL REFERENCES account ON DELETE CASCADE,
    created_at timestamptz NOT NULL DEFAULT clock_timestamp(),
    expires_at timestamptz NOT NULL
);
CREATE TABLE token (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name       text NOT NULL,
    hash       bytea NOT NULL UNIQUE CHECK (length(hash) = 32), -- SHA-256
    role       text NOT NULL CHECK (role IN ('administrator', 'agent')),
    machine    text CHECK ((machine IS NOT NULL) = (role = 'agent')),
    author     text NOT NULL,
    created_at timestamptz NOT NULL DEFAULT clock_timestamp(),
    used_at    timestamptz,
    revoked_at timestamptz
);
CREATE UNIQUE INDEX token_name ON token (name) WHERE revoked_at IS NULL;

-- Endpoints, each with its latest report.
CREATE TABLE endpoint (
    folded     text PRIMARY KEY,
    first_seen timestamptz NOT NULL DEFAULT clock_timestamp(),
    last_seen  timestamptz NOT NULL DEFAULT clock_timestamp(),
    report     jsonb NOT NULL
);

CREATE TABLE event (
    id      bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    at      timestamptz NOT NULL DEFAULT clock_timestamp(),
    kind    text NOT NULL,
    subject text NOT NULL,
    author  text NOT NULL,
    says    text NOT NULL
);
CREATE INDEX event_at ON event (at);

-- +goose Down
DROP TABLE event, endpoint, token, console_session, account, live_state, pick, directory_row, directory_import, revision;
DROP FUNCTION refuse_change;
