-- +goose Up
-- What somebody registered to be watched; what the estate names is watched besides.
CREATE TABLE stock_watch (
    kind   text NOT NULL CHECK (kind IN ('server', 'device')),
    name   text NOT NULL,
    body   jsonb NOT NULL,
    author text NOT NULL,
    at     timestamptz NOT NULL DEFAULT clock_timestamp(),
    PRIMARY KEY (kind, name)
);
-- What came of reading servers and devices: the last try, and the last reading, which stays while nothing answers.
CREATE TABLE stock_reading (
    kind     text NOT NULL CHECK (kind IN ('server', 'device')),
    name     text NOT NULL,
    checked  jsonb NOT NULL,
    reading  jsonb,
    identity jsonb,
    PRIMARY KEY (kind, name)
);
CREATE TABLE stock_scan (
    id       bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    author   text NOT NULL,
    ranges   text[] NOT NULL,
    state    text NOT NULL CHECK (state IN ('running', 'done', 'stopped')),
    rate     integer NOT NULL,
    total    integer NOT NULL,
    done     integer NOT NULL DEFAULT 0,
    found    integer NOT NULL DEFAULT 0,
    at       timestamptz NOT NULL DEFAULT clock_timestamp(),
    beat     timestamptz NOT NULL DEFAULT clock_timestamp(),
    ended_at timestamptz,
    stop     boolean NOT NULL DEFAULT false
);
-- What answered in a scan and is not listed: proposed, never added by itself.
CREATE TABLE stock_found (
    address text PRIMARY KEY,
    uri     text NOT NULL,
    reading jsonb NOT NULL,
    at      timestamptz NOT NULL DEFAULT clock_timestamp()
);
CREATE TABLE stock_reservation (
    mac     text NOT NULL,
    address text NOT NULL,
    name    text NOT NULL,
    PRIMARY KEY (mac, address)
);
CREATE TABLE stock_capture (
    machine  text PRIMARY KEY,
    platform text NOT NULL,
    reading  jsonb NOT NULL,
    author   text NOT NULL,
    at       timestamptz NOT NULL DEFAULT clock_timestamp()
);
-- Keys to servers and devices; what is secret is sealed with a key that lies beside the data.
CREATE TABLE credential (
    name     text PRIMARY KEY,
    kind     text NOT NULL CHECK (kind IN ('sign-in', 'snmp', 'snmp-usm')),
    username text NOT NULL,
    hosts    text[] NOT NULL,
    sealed   bytea NOT NULL,
    expires  timestamptz,
    author   text NOT NULL,
    at       timestamptz NOT NULL DEFAULT clock_timestamp(),
    state    text NOT NULL CHECK (state IN ('works', 'refused', 'unproven')),
    says     text NOT NULL,
    checked  timestamptz
);
-- Driver packages: contents by checksum, in chunks; the same file of two packages is kept once.
CREATE TABLE driver_package (
    digest text PRIMARY KEY CHECK (length(digest) = 64),
    name   text NOT NULL,
    body   jsonb NOT NULL,
    author text NOT NULL,
    at     timestamptz NOT NULL DEFAULT clock_timestamp()
);
CREATE TABLE driver_file (
    digest text NOT NULL REFERENCES driver_package ON DELETE CASCADE,
    path   text NOT NULL,
    sha256 text NOT NULL CHECK (length(sha256) = 64),
    bytes  bigint NOT NULL,
    PRIMARY KEY (digest, path)
);
CREATE INDEX driver_file_contents ON driver_file (sha256);
CREATE TABLE driver_chunk (
    sha256 text NOT NULL,
    n      integer NOT NULL,
    data   bytea NOT NULL,
    PRIMARY KEY (sha256, n)
);
ALTER TABLE driver_chunk ALTER COLUMN data SET STORAGE EXTERNAL;

-- +goose Down
DROP TABLE driver_chunk, driver_file, driver_package, credential, stock_capture, stock_reservation, stock_found, stock_scan, stock_reading, stock_watch;
