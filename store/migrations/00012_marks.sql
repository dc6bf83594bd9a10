-- +goose Up
-- What is thought of a take: stars, a note, whether it is rejected, whether it is its shot's now; and when it is to be
-- made.
alter table take add column marks jsonb not null default '{}', add column due timestamptz;

-- +goose Down
alter table take drop column marks, drop column due;
