-- +goose Up
-- How many of a bake's layers had to be made.
ALTER TABLE bakes ADD COLUMN made int NOT NULL DEFAULT 0;

-- +goose Down
ALTER TABLE bakes DROP COLUMN made;
