-- +goose Up
-- The set of a take as it was when the take was asked for.
alter table take add column world json;

-- +goose Down
alter table take drop column world;
