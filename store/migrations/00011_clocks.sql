-- +goose Up
-- How many milliseconds apart the rows of a take's trace lie: more than one on slow clocks.
ALTER TABLE takes ADD COLUMN every_ms bigint NOT NULL DEFAULT 1;

-- +goose Down
ALTER TABLE takes DROP COLUMN every_ms;
