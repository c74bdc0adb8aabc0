-- +goose Up
-- Blobs are written as they come in, before their hash is known.
ALTER TABLE blobs ADD COLUMN id bigint GENERATED ALWAYS AS IDENTITY UNIQUE;
ALTER TABLE blobs ADD COLUMN used timestamptz NOT NULL DEFAULT now(); -- when it was last sent or named
ALTER TABLE blob_chunks ADD COLUMN blob bigint;
UPDATE blob_chunks c SET blob = b.id FROM blobs b WHERE b.hash = c.hash;
ALTER TABLE blob_chunks DROP CONSTRAINT blob_chunks_pkey;
ALTER TABLE blob_chunks DROP COLUMN hash;
ALTER TABLE blob_chunks ADD PRIMARY KEY (blob, n);
ALTER TABLE blob_chunks ADD FOREIGN KEY (blob) REFERENCES blobs (id) ON DELETE CASCADE;
-- What a blob was read as before it was kept. Of the older ones nothing is known.
CREATE TABLE blob_kinds (
    hash    text NOT NULL REFERENCES blobs ON DELETE CASCADE,
    kind    text NOT NULL,
    PRIMARY KEY (hash, kind)
);
INSERT INTO blob_kinds SELECT hash, kind FROM blobs, unnest(ARRAY['place', 'profile', 'slide']) AS kind;
-- Which blobs a setup, its journal and its snapshots name.
CREATE TABLE names (
    setup   bigint NOT NULL REFERENCES setups ON DELETE CASCADE,
    hash    text NOT NULL,
    PRIMARY KEY (setup, hash)
);
CREATE INDEX names_of_hash ON names (hash);
INSERT INTO names SELECT id, place FROM setups ON CONFLICT DO NOTHING;
INSERT INTO names
    SELECT DISTINCT setup, (regexp_matches(said, '[0-9a-f]{64}', 'g'))[1] FROM (
        SELECT id AS setup, document::text AS said FROM setups
        UNION ALL SELECT setup, ops::text || inverse::text FROM edits
        UNION ALL SELECT setup, document::text FROM snapshots) AS everything
    ON CONFLICT DO NOTHING;

ALTER TABLE setups DROP CONSTRAINT setups_place_fkey; -- files may lie elsewhere some day
ALTER TABLE setups ADD COLUMN archived boolean NOT NULL DEFAULT false;
ALTER TABLE setups ADD COLUMN removed timestamptz; -- may be brought back for a while
-- The document every so many edits, so that going back does not read the whole journal.
CREATE TABLE states (
    setup     bigint NOT NULL REFERENCES setups ON DELETE CASCADE,
    revision  bigint NOT NULL,
    document  jsonb NOT NULL,
    PRIMARY KEY (setup, revision)
);
-- What each person would undo and do again next; the edit beneath it is in edits.below.
ALTER TABLE edits ADD COLUMN below bigint NOT NULL DEFAULT 0;
CREATE TABLE hands (
    setup   bigint NOT NULL REFERENCES setups ON DELETE CASCADE,
    person  text NOT NULL,
    undo    bigint NOT NULL,
    redo    bigint NOT NULL,
    PRIMARY KEY (setup, person)
);

-- +goose Down
DROP TABLE hands;
ALTER TABLE edits DROP COLUMN below;
DROP TABLE states;
ALTER TABLE setups ADD CONSTRAINT setups_place_fkey FOREIGN KEY (place) REFERENCES blobs;
ALTER TABLE setups DROP COLUMN removed;
ALTER TABLE setups DROP COLUMN archived;
DROP TABLE names;
DROP TABLE blob_kinds;
ALTER TABLE blob_chunks ADD COLUMN hash text;
UPDATE blob_chunks c SET hash = b.hash FROM blobs b WHERE b.id = c.blob;
ALTER TABLE blob_chunks DROP CONSTRAINT blob_chunks_pkey;
ALTER TABLE blob_chunks DROP COLUMN blob;
ALTER TABLE blob_chunks ADD PRIMARY KEY (hash, n);
ALTER TABLE blob_chunks ADD FOREIGN KEY (hash) REFERENCES blobs ON DELETE CASCADE;
ALTER TABLE blobs DROP COLUMN used;
ALTER TABLE blobs DROP COLUMN id;
