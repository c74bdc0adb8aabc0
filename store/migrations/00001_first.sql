-- +goose Up
CREATE TABLE blobs (
    hash    text PRIMARY KEY,              -- sha-256, hex
    size    bigint NOT NULL,
    made    timestamptz NOT NULL DEFAULT now()
);
CREATE TABLE blob_chunks (
    hash    text NOT NULL REFERENCES blobs ON DELETE CASCADE,
    n       int NOT NULL,                  -- chunks of 1 MiB, from 0
    data    bytea NOT NULL,
    PRIMARY KEY (hash, n)
);
ALTER TABLE blob_chunks ALTER COLUMN data SET STORAGE EXTERNAL;
CREATE TABLE setups (
    id        bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    project   text NOT NULL,
    place     text NOT NULL REFERENCES blobs,
    file      text NOT NULL,               -- the place's file name
    notes     jsonb NOT NULL DEFAULT '[]', -- what was said when it came in
    document  jsonb NOT NULL,
    revision  bigint NOT NULL DEFAULT 0,
    demo      boolean NOT NULL DEFAULT false,
    made      timestamptz NOT NULL DEFAULT now()
);
CREATE UNIQUE INDEX one_demo ON setups (demo) WHERE demo;
CREATE TABLE edits (
    setup     bigint NOT NULL REFERENCES setups ON DELETE CASCADE,
    revision  bigint NOT NULL,
    person    text NOT NULL,
    browser   text NOT NULL,               -- the window
    seq       bigint NOT NULL,
    gesture   text NOT NULL,
    base      bigint NOT NULL,
    target    text NOT NULL,
    deed      text NOT NULL,
    of        bigint NOT NULL,             -- revision undone or done again, else 0
    label     text NOT NULL,
    ops       jsonb NOT NULL,
    inverse   jsonb NOT NULL,
    made      timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (setup, revision)
);
CREATE UNIQUE INDEX edits_once ON edits (setup, browser, seq);
CREATE INDEX edits_of_person ON edits (setup, person, revision);

-- +goose Down
DROP TABLE edits;
DROP TABLE setups;
DROP TABLE blob_chunks;
DROP TABLE blobs;
