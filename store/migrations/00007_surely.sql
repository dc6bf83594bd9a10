-- +goose Up
-- An arrival lies in the bin with the pieces that were made of it.
alter table arrival add column binned timestamptz;

-- +goose Down
alter table arrival drop column binned;
