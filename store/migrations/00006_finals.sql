-- +goose Up
-- Final frames: what was asked for, as it was then.
CREATE TABLE finals (
    id        bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    setup     bigint NOT NULL REFERENCES setups ON DELETE CASCADE,
    revision  bigint NOT NULL,
    document  jsonb NOT NULL,
    place     text NOT NULL,
    file      text NOT NULL,
    wanted    jsonb NOT NULL,
    evs       double precision[] NOT NULL DEFAULT '{}',
    priority  int NOT NULL,
    state     text NOT NULL DEFAULT 'waiting',
    error     text NOT NULL DEFAULT '',
    asked     timestamptz NOT NULL DEFAULT now(),
    begun     timestamptz,
    done      timestamptz
);
CREATE INDEX finals_setup ON finals (setup, id DESC);
-- The pieces of their frames: tiles of passes. Their pictures are kept by key, as layers of bakes are.
CREATE TABLE final_pieces (
    final    bigint NOT NULL REFERENCES finals ON DELETE CASCADE,
    frame    int NOT NULL,
    piece    int NOT NULL,
    key      text NOT NULL DEFAULT '',
    state    text NOT NULL DEFAULT 'waiting',
    seconds  double precision NOT NULL DEFAULT 0,
    PRIMARY KEY (final, frame, piece)
);
-- Frames of the passes that there are so far.
CREATE TABLE final_frames (
    final   bigint NOT NULL REFERENCES finals ON DELETE CASCADE,
    frame   int NOT NULL,
    passes  int NOT NULL,
    error   double precision NOT NULL,
    ev      double precision NOT NULL,
    exr     bytea NOT NULL,
    png     bytea NOT NULL,
    small   bytea NOT NULL,
    PRIMARY KEY (final, frame)
);

-- +goose Down
DROP TABLE final_frames;
DROP TABLE final_pieces;
DROP TABLE finals;
