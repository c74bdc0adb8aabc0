-- +goose Up
-- The keys of all layers that a bake needs, and how many of them had to be made.
ALTER TABLE bakes ADD COLUMN IF NOT EXISTS layers text[] NOT NULL DEFAULT '{}';
ALTER TABLE bakes ADD COLUMN made int NOT NULL DEFAULT 0;

-- +goose Down
ALTER TABLE bakes DROP COLUMN made;
ALTER TABLE bakes DROP COLUMN layers;
