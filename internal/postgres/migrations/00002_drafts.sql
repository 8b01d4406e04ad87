-- +goose Up
-- Drafts: what somebody has decided and not yet published, object by object, on top of a revision.
CREATE TABLE draft (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    owner      text NOT NULL, -- folded name of an account or a token, with which of the two
    author     text NOT NULL, -- the name as it is shown
    name       text NOT NULL,
    base       integer NOT NULL CHECK (base >= 0),
    version    bigint NOT NULL DEFAULT 1,
    changed_at timestamptz NOT NULL DEFAULT clock_timestamp(),
    UNIQUE (owner, name)
);
CREATE TABLE draft_change (
    draft  bigint NOT NULL REFERENCES draft ON DELETE CASCADE,
    list   text NOT NULL,
    name   text NOT NULL,
    object json, -- null: taken out
    PRIMARY KEY (draft, list, name)
);
CREATE INDEX live_state_past ON live_state (valid_from);
CREATE INDEX pick_past ON pick (valid_from);

-- +goose Down
DROP TABLE draft_change, draft;
DROP INDEX live_state_past, pick_past;
