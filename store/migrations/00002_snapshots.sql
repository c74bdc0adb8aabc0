-- +goose Up
ALTER TABLE edits ADD COLUMN called text NOT NULL DEFAULT ''; -- what the person was called then
CREATE TABLE snapshots (
    id        bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    setup     bigint NOT NULL REFERENCES setups ON DELETE CASCADE,
    name      text NOT NULL,
    revision  bigint NOT NULL,
    view      text NOT NULL,               -- that its picture shows
    document  jsonb NOT NULL,
    picture   bytea NOT NULL,              -- PNG, small
    person    text NOT NULL,
    made      timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX snapshots_of_setup ON snapshots (setup, id);

-- +goose Down
DROP TABLE snapshots;
ALTER TABLE edits DROP COLUMN called;
