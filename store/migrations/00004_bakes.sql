-- +goose Up
-- Layers of lightmaps by the hash of all that they depend on.
CREATE TABLE bake_layers (
    key   text PRIMARY KEY,
    data  bytea NOT NULL,
    used  timestamptz NOT NULL DEFAULT now()
);
-- A bake: what was asked for, as it was then.
CREATE TABLE bakes (
    id        bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    setup     bigint NOT NULL REFERENCES setups ON DELETE CASCADE,
    revision  bigint NOT NULL,
    document  jsonb NOT NULL,
    place     text NOT NULL,
    file      text NOT NULL,
    quality   text NOT NULL,
    numbers   jsonb NOT NULL,
    priority  int NOT NULL,
    state     text NOT NULL DEFAULT 'waiting',
    stage     text NOT NULL DEFAULT '',
    error     text NOT NULL DEFAULT '',
    summary   jsonb NOT NULL DEFAULT '{}',
    ended     bytea,
    asked     timestamptz NOT NULL DEFAULT now(),
    begun     timestamptz,
    done      timestamptz
);
CREATE INDEX bakes_setup ON bakes (setup, id DESC);
-- The objects of a bake that have to be made: tiles.
CREATE TABLE bake_tiles (
    bake     bigint NOT NULL REFERENCES bakes ON DELETE CASCADE,
    object   int NOT NULL,
    name     text NOT NULL,
    cells    int NOT NULL,
    state    text NOT NULL DEFAULT 'waiting',
    worker   text NOT NULL DEFAULT '',
    samples  bigint NOT NULL DEFAULT 0,
    seconds  double precision NOT NULL DEFAULT 0,
    PRIMARY KEY (bake, object)
);
-- Processes that take part, with a sign of life.
CREATE TABLE farm_workers (
    name   text PRIMARY KEY,
    kind   text NOT NULL,
    doing  text NOT NULL DEFAULT '',
    job    bigint NOT NULL DEFAULT 0,
    rate   double precision NOT NULL DEFAULT 0,
    since  timestamptz NOT NULL DEFAULT now(),
    seen   timestamptz NOT NULL DEFAULT now()
);

-- +goose Down
DROP TABLE farm_workers;
DROP TABLE bake_tiles;
DROP TABLE bakes;
DROP TABLE bake_layers;
