-- +goose Up
-- Lists of the console as people keep them, for their account.
CREATE TABLE kept_view (
    account text NOT NULL REFERENCES account ON DELETE CASCADE ON UPDATE CASCADE,
    page    text NOT NULL,
    name    text NOT NULL,
    search  text NOT NULL,
    at      timestamptz NOT NULL DEFAULT clock_timestamp(),
    PRIMARY KEY (account, page, name)
);

-- +goose Down
DROP TABLE kept_view;
