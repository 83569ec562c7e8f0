-- +goose Up
-- The take of a pass that somebody chose; without one it is the last whole one.
ALTER TABLE passes ADD COLUMN chosen uuid REFERENCES takes;

-- +goose Down
ALTER TABLE passes DROP COLUMN chosen;
